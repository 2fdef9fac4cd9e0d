import type { Contract } from '../../contract/contract.js'
import { endpointsOf, namedType, pathOf } from '../../contract/queries.js'
import { operationExports, type Names } from '../../naming/names.js'
import * as json from '../../runtime/http/json.js'
import { docComment, propertyName, quoted } from '../../typescript/escaping.js'
import { Page } from '../../typescript/page.js'
import { TreePrinter, type CodecTree } from '../codec-tree.js'
import type { Emitter, OperationContext } from '../dialect.js'
import { JsonTrees, needsExactJson } from './json-trees.js'

const httpModule = 'runtime/http/http'
const jsonModule = 'runtime/http/json'

/** What an HTTP client has besides the parts that all clients share. */
export const httpEmitter: Emitter = {
  open: { fragment: () => 'unknown', recordLines: () => ['  /** Members that the contract does not name. */', '  [name: string]: unknown'] },
  reexports: [],
  reservedNames: [...Object.keys(json), 'send', 'exactJson'],
  runtimeFiles: (contract) => ['connection.ts', 'failures.ts', 'plain.ts', 'http/http.ts', 'http/json.ts', 'http/parameters.ts', ...(needsExactJson(contract) ? ['http/exact-json.ts'] : [])],
  dependencies: (contract) => (needsExactJson(contract) ? { 'lossless-json': '^4.0.0' } : {}),
  codecs: codecsPage,
  operation: printOperation,
  endpoints(contract, page) {
    const endpoint = page.useType('runtime/connection', 'Endpoint')
    page.print('/** The servers that the metadata names, the preferred one first. */', `export const endpoints: Readonly<Record<string, ${endpoint}>> = {`)
    for (const each of endpointsOf(contract)) page.print(...docComment([each.documentation], '  '), `  ${propertyName(each.name)}: { address: ${quoted(each.address)}, protocol: ${quoted(each.protocol)} },`)
    page.print('}')
  },
}

function codecsPage(contract: Contract, names: Names): Page | undefined {
  const types = Object.values(contract.types)
  if (types.length === 0) return undefined
  const trees = new JsonTrees(contract)
  const page = new Page('codecs')
  for (const { id } of types) page.declare(names.codecs[id] ?? '')
  page.print('// How each type stands in JSON: plain data that serves to write, to read and to check.')
  const printer = new TreePrinter(page, contract, names)
  const name = (id: string): string => names.codecs[id] ?? ''
  for (const type of [...types].sort((a, b) => (name(a.id) < name(b.id) ? -1 : 1))) {
    const tree = trees.ofNamed(type)
    // A type that is just another one refers to it when it is used, whichever of the two comes first.
    const isAlias = type.kind === 'reference' || type.kind === 'anything' || (type.kind === 'scalar' && type.constraints === undefined)
    const text = printer.print(tree)
    const alias = type.kind === 'reference' ? `{ oneOf: [${text}] }` : text
    page.print('', `export const ${name(type.id)}: ${page.useType(jsonModule, 'JsonCodec')} = ${isAlias ? alias : text}`)
  }
  return page
}

function printOperation({ contract, names, operation, page, inputType, outcomeType }: OperationContext): void {
  const [call, , , fault, guard] = operationExports(names.operations[pathOf(operation)] ?? '')
  const input = inputType ?? 'Record<string, never>'
  const allOptional = operation.inputs.every((each) => each.optional)
  const described = operation.faults.filter((each) => each.type.kind === 'reference')
  page.print(
    '',
    ...docComment([operation.documentation, operation.deprecated === true ? '@deprecated' : undefined, operation.faults.length === 0 ? undefined : `@throws ServiceFault, with the status ${operation.faults.map((each) => `\`${each.name}\``).join(' or ')} among others`]),
    `export function ${call}(connection: ${page.useType('runtime/connection', 'Connection')}, input: ${input}${allOptional ? ' = {}' : ''}, thisCall?: ${page.useType('runtime/connection', 'ThisCall')}): Promise<${outcomeType}> {`,
    `  return ${page.use(httpModule, 'send')}(connection, operation, input, thisCall)`,
    '}',
  )
  if (described.length > 0) {
    const serviceFault = page.use('runtime/failures', 'ServiceFault')
    const types = described.map((each) => {
      const named = each.type.kind === 'reference' ? namedType(contract, each.type.to) : undefined
      return `${serviceFault}<${quoted(each.name)}, ${named === undefined || named.kind === 'list' ? 'unknown' : page.useType('types', names.types[named.id] ?? '')}>`
    })
    const conditions = described.map((each) => `error.fault === ${quoted(each.name)}`)
    page.print(
      '',
      ...docComment([`The faults that ${call} declares, by status.`, ...described.filter((each) => each.documentation !== undefined).map((each) => `- \`${each.name}\`: ${each.documentation ?? ''}`)]),
      `export type ${fault} = ${types.join(' | ')}`,
      '',
      `/** Is a caught error one of the faults that ${call} declares? */`,
      `export function ${guard}(error: unknown): error is ${fault} {`,
      `  return error instanceof ${serviceFault} && ${conditions.length === 1 ? (conditions[0] ?? '') : `(${conditions.join(' || ')})`}`,
      '}',
    )
  }
  const tree: CodecTree = { name: pathOf(operation), ...new JsonTrees(contract).operation(operation) }
  const text = new TreePrinter(page, contract, names).print(tree)
  const parse = needsExactJson(contract) ? `,\n  parse: ${page.use('runtime/http/exact-json', 'exactJson')},\n}` : undefined
  page.print('', `const operation: ${page.useType(httpModule, 'HttpOperation')} = ${parse === undefined ? text : text.replace(/,\n\}$/, parse)}`)
}
