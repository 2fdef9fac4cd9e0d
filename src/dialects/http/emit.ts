import type { Contract } from '../../contract/contract.js'
import { endpointsOf, pathOf } from '../../contract/queries.js'
import type { Names } from '../../naming/names.js'
import { docComment, propertyName, quoted } from '../../typescript/escaping.js'
import { printFaults, printFunction } from '../../typescript/operation-function.js'
import { Page } from '../../typescript/page.js'
import { TreePrinter, type CodecTree } from '../codec-tree.js'
import type { Emitter, OperationContext } from '../dialect.js'
import { JsonTrees, needsExactJson, valueNames } from './json-trees.js'

const httpModule = 'runtime/http/http'
const jsonModule = 'runtime/http/json'

/** What an HTTP client has besides the parts that all clients share. */
export const httpEmitter: Emitter = {
  open: { fragment: () => 'unknown', recordLines: () => ['  /** Members that the contract does not name. */', '  [name: string]: unknown'] },
  reexports: [],
  reservedNames: [...valueNames, 'send', 'exactJson'],
  runtimeFiles: (contract) => ['connection.ts', 'failures.ts', 'plain.ts', 'http/http.ts', 'http/json.ts', 'http/parameters.ts', 'json/values.ts', 'response-text.ts', ...(needsExactJson(contract) ? ['json/exact-json.ts'] : [])],
  dependencies: (contract) => (needsExactJson(contract) ? { 'lossless-json': '^4.0.0' } : {}),
  pages: codecsPage,
  operation: printOperation,
  endpoints(contract, page) {
    const endpoint = page.useType('runtime/connection', 'Endpoint')
    page.print('/** The servers that the metadata names, the preferred one first. */', `export const endpoints: Readonly<Record<string, ${endpoint}>> = {`)
    for (const each of endpointsOf(contract)) page.print(...docComment([each.documentation], '  '), `  ${propertyName(each.name)}: { address: ${quoted(each.address)}, protocol: ${quoted(each.protocol)} },`)
    page.print('}')
  },
}

function codecsPage(contract: Contract, names: Names): Page[] {
  const types = Object.values(contract.types)
  if (types.length === 0) return []
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
  return [page]
}

function printOperation(context: OperationContext): void {
  const { contract, names, operation, page } = context
  const remarks = operation.faults.length === 0 ? [] : [`@throws ServiceFault, with the status ${operation.faults.map((each) => `\`${each.name}\``).join(' or ')} among others`]
  printFunction(context, page.use(httpModule, 'send'), remarks)
  printFaults(context, operation.faults.filter((each) => each.type.kind === 'reference'))
  const tree: CodecTree = { name: pathOf(operation), ...new JsonTrees(contract).operation(operation) }
  const text = new TreePrinter(page, contract, names).print(tree)
  const parse = needsExactJson(contract) ? `,\n  parse: ${page.use('runtime/json/exact-json', 'exactJson')},\n}` : undefined
  page.print('', `const operation: ${page.useType(httpModule, 'HttpOperation')} = ${parse === undefined ? text : text.replace(/,\n\}$/, parse)}`)
}
