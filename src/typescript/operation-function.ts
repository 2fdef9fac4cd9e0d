import type { Type } from '../contract/contract.js'
import { addTo } from '../contract/lists.js'
import { namedType } from '../contract/queries.js'
import type { OperationContext } from '../dialects/dialect.js'
import { docComment, quoted } from '../printing/escaping.js'
import { exportedNames } from './exported-names.js'
import { code, joined, type Code } from '../printing/safe-text.js'

/**
 * Prints an operation's exported function, which hands the input on with the constant that says how
 * the operation stands on the wire.
 *
 * @param call what does the work: a function of the runtime that takes the connection, the
 *   operation, the input and what belongs to this call
 * @param remarks further lines of its documentation
 */
export function printFunction(
  { operation, names, page, signature, constant }: OperationContext,
  call: Code,
  remarks: readonly string[] = [],
): void {
  const [name] = exportedNames(names, operation)
  const keys = operation.inputs.flatMap((input) => (input.isKey === true ? input.name : []))
  const input =
    keys.length === 0
      ? code`input`
      : code`${page.use('runtime/key-inputs', 'withKeys')}(connection, input, [${joined(keys.map(quoted), ', ')}])`
  page.print(
    code``,
    ...docComment([
      operation.documentation,
      operation.deprecated === true ? '@deprecated' : undefined,
      ...remarks,
    ]),
    code`export function ${name}${signature.typeParameters}(connection: ${page.useType('runtime/connection', 'Connection')}, ${signature.input}, thisCall?: ${signature.thisCall ?? page.useType('runtime/connection', 'ThisCall')}): ${signature.returns} {`,
    code`  return ${call}(connection, ${constant}, ${input}, thisCall)`,
    code`}`,
  )
}

/** What the documentation of an operation says of its faults, and of the guard that tells some. */
export function thrownRemarks(
  { operation, names }: OperationContext,
  told: OperationContext['operation']['faults'],
): string[] {
  if (operation.faults.length === 0) return []
  const [, , , , guard] = exportedNames(names, operation)
  const faults = operation.faults.map(({ name }) => `\`${name}\``).join(' or ')
  return [
    `@throws ServiceFault, ${faults} among them${told.length === 0 ? '' : `; {@link ${guard}} tells`}`,
  ]
}

/** Prints the type of the faults that an operation declares, and the guard that tells them. */
export function printFaults(
  { contract, operation, names, page }: OperationContext,
  faults: OperationContext['operation']['faults'],
): void {
  if (faults.length === 0) return
  const [call, , , fault, guard] = exportedNames(names, operation)
  const serviceFault = page.useType('runtime/failures', 'ServiceFault')
  const detailOf = (type: Type): Code => {
    const named = type.kind === 'reference' ? namedType(contract, type.to) : undefined
    return named === undefined || named.kind === 'list'
      ? code`unknown`
      : page.useType('types', names.types[named.id] ?? '')
  }
  const byDetail = new Map<Code, Code[]>()
  for (const { name, type } of faults) addTo(byDetail, detailOf(type), quoted(name))
  const isDeclaredFault = page.use('runtime/failures', 'isDeclaredFault')
  const all = faults.map((each) => quoted(each.name))
  page.print(
    code``,
    ...docComment([
      `The faults that ${call} declares.`,
      faults
        .filter((each) => each.documentation !== undefined)
        .map((each) => `- \`${each.name}\`: ${each.documentation ?? ''}`)
        .join('\n'),
    ]),
    code`export type ${fault} = ${joined(
      [...byDetail].map(([detail, own]) => code`${serviceFault}<${joined(own, ' | ')}, ${detail}>`),
      ' | ',
    )}`,
    code``,
    code`/** Is a caught error one of the faults that ${call} declares? */`,
    code`export function ${guard}(error: unknown): error is ${fault} {`,
    code`  return ${isDeclaredFault}(error, [${joined(all, ', ')}])`,
    code`}`,
  )
}
