import type { Contract, Operation } from '../../contract/contract.js'
import { changedOperations } from '../../contract/queries.js'
import { parsePath, type Assignment } from '../../exercise/input.js'
import type { CredentialEntry } from '../../project/project-file.js'
import type { OpenContract } from './open-contract.js'

/** The credentials that the project has for the calls of a contract, at whichever site. */
export function credentialEntries({ kept, name }: OpenContract): CredentialEntry[] {
  if (kept === undefined) return []
  const { credentials, sites } = kept.project
  const ofSites = Object.values(sites).map((site) => site[name])
  const choices = [kept.project, kept.entry, ...ofSites].map((each) => each?.credential ?? {})
  const names = choices.flatMap((choice): readonly string[] =>
    typeof choice === 'string' ? [choice] : Object.values(choice),
  )
  return [...new Set(names)].flatMap((each) => credentials[each] ?? [])
}

/**
 * The ordinary inputs that a client fills with the key of its settings: those that a credential
 * names (`input: appId`) as a whole. What lies inside an input stays with the caller.
 */
export function keyInputs(open: OpenContract): string[] {
  const paths = credentialEntries(open).flatMap(({ input }) =>
    input === undefined ? [] : [parsePath(input)],
  )
  const whole = paths.flatMap(([first, ...others]) =>
    typeof first === 'string' && others.length === 0 ? [first] : [],
  )
  return [...new Set(whole)].sort()
}

/** A contract as its client has it: what a key fills need not be given. */
export function clientContract(open: OpenContract): Contract {
  const filled = new Set(keyInputs(open))
  if (filled.size === 0) return open.contract
  const withKeys = (operation: Operation): Operation => ({
    ...operation,
    inputs: operation.inputs.map((input) =>
      filled.has(input.name) && input.place !== 'messageHeader'
        ? { ...input, optional: true, isKey: true as const }
        : input,
    ),
  })
  return changedOperations(open.contract, withKeys)
}

/** Of the inputs that keys fill those that an operation has. */
export function keysFor(
  operation: Operation,
  assignments: readonly Assignment[],
): readonly Assignment[] {
  return assignments.filter(({ path: [first] }) =>
    operation.inputs.some(({ name }) => name === first),
  )
}
