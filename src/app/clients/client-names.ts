import type { Contract } from '../../contract/contract.js'
import { noNames, type KeptNames } from '../../contract/kept-names.js'
import { messageText, problem } from '../../contract/problem.js'
import { dialectNamed } from '../../dialects/registry.js'
import { generalReason, nameClashes, type NameClash } from '../../naming/clashes.js'
import { pascalCase } from '../../naming/identifiers.js'
import { assignNames, type Names } from '../../naming/names.js'
import type { OpenContract } from '../contracts/open-contract.js'

/**
 * The identifiers of a contract's client. The endpoint chosen in the project has no part in them.
 *
 * @throws Problem TM-3009 when the project names the class so that no client can have it
 */
export async function namesFor(open: OpenContract): Promise<Names> {
  const { emit } = await dialectNamed(open.contract.dialect)
  const { class: className } = open.kept?.entry ?? {}
  const reserved = emit.reservedNames(open.contract)
  checkClass(className, open.name, reserved)
  return assignNames(open.contract, open.kept?.names ?? noNames, reserved, className)
}

/**
 * The identifiers of a contract that is imported. Its class is called unlike those of the other
 * contracts, so that one file can import them all.
 *
 * @param className the name of the class where the project says it
 * @param others the classes of the project's other contracts, by contract
 */
export async function namesForImport(
  contract: Contract,
  kept: KeptNames,
  className: string | undefined,
  others: Readonly<Record<string, string>>,
): Promise<{ names: Names; clashes: NameClash[] }> {
  const { emit } = await dialectNamed(contract.dialect)
  const reserved = emit.reservedNames(contract)
  checkClass(className, contract.name, reserved)
  const names = assignNames(contract, kept, reserved, className)
  const rival = Object.entries(others).find(
    ([, other]) => other.toLowerCase() === names.class.toLowerCase(),
  )
  if (className !== undefined || rival === undefined)
    return { names, clashes: nameClashes(contract, names, reserved) }
  const taken = new Set(Object.values(others).map((name) => name.toLowerCase()))
  const wanted = `${pascalCase(contract.name)}${names.class}`
  let given = wanted
  for (let count = 2; taken.has(given.toLowerCase()); count += 1) given = `${wanted}${count}`
  const renamed = assignNames(contract, kept, reserved, given)
  return {
    names: renamed,
    clashes: [
      {
        what: 'class',
        name: names.class,
        given,
        reason: `the contract ${rival[0]} has a class of that name`,
      },
      ...nameClashes(contract, renamed, reserved),
    ],
  }
}

/** A name that could not be given, as it is told. */
export function clashText({ what, name, given, reason }: NameClash): string {
  return `TM-3008  ${messageText('TM-3008', { what, name, given, reason })}`
}

function checkClass(name: string | undefined, contract: string, reserved: readonly string[]): void {
  const reason = name === undefined ? undefined : generalReason(name, reserved)
  if (name !== undefined && reason !== undefined)
    throw problem('TM-3009', { name, contract, reason })
}
