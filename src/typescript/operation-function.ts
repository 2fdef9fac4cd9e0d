import type { Type } from '../contract/contract.js'
import { namedType, pathOf } from '../contract/queries.js'
import type { OperationContext } from '../dialects/dialect.js'
import { operationExports } from '../naming/names.js'
import { docComment, quoted } from './escaping.js'

/**
 * Prints an operation's exported function, which hands the input on with the page's constant `operation`.
 *
 * @param call what does the work: a function of the runtime that takes the connection, the operation, the input and what belongs to this call
 * @param remarks further lines of its documentation
 */
export function printFunction({ operation, names, page, signature }: OperationContext, call: string, remarks: readonly string[] = []): void {
  const [name] = operationExports(names.operations[pathOf(operation)] ?? '')
  page.print(
    '',
    ...docComment([operation.documentation, operation.deprecated === true ? '@deprecated' : undefined, ...remarks]),
    `export function ${name}${signature.typeParameters}(connection: ${page.useType('runtime/connection', 'Connection')}, ${signature.input}, thisCall?: ${signature.thisCall ?? page.useType('runtime/connection', 'ThisCall')}): ${signature.returns} {`,
    `  return ${call}(connection, operation, input, thisCall)`,
    '}',
  )
}

/** Prints the type of the faults that an operation declares, and the guard that tells them. */
export function printFaults({ contract, operation, names, page }: OperationContext, faults: OperationContext['operation']['faults']): void {
  if (faults.length === 0) return
  const [call, , , fault, guard] = operationExports(names.operations[pathOf(operation)] ?? '')
  const serviceFault = page.use('runtime/failures', 'ServiceFault')
  const detail = (type: Type): string => {
    const named = type.kind === 'reference' ? namedType(contract, type.to) : undefined
    return named === undefined || named.kind === 'list' ? 'unknown' : page.useType('types', names.types[named.id] ?? '')
  }
  const conditions = faults.map((each) => `error.fault === ${quoted(each.name)}`)
  page.print(
    '',
    ...docComment([`The faults that ${call} declares.`, ...faults.filter((each) => each.documentation !== undefined).map((each) => `- \`${each.name}\`: ${each.documentation ?? ''}`)]),
    `export type ${fault} = ${faults.map((each) => `${serviceFault}<${quoted(each.name)}, ${detail(each.type)}>`).join(' | ')}`,
    '',
    `/** Is a caught error one of the faults that ${call} declares? */`,
    `export function ${guard}(error: unknown): error is ${fault} {`,
    `  return error instanceof ${serviceFault} && ${conditions.length === 1 ? (conditions[0] ?? '') : `(${conditions.join(' || ')})`}`,
    '}',
  )
}
