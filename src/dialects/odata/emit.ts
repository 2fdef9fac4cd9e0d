import type { Contract, NamedType, RecordType } from '../../contract/contract.js'
import { endpointsOf, fieldsOf, namedType, operationsOf, pathOf } from '../../contract/queries.js'
import { groupName } from '../../naming/methods.js'
import type { Names } from '../../naming/names.js'
import { propertyName, quoted } from '../../typescript/escaping.js'
import { printFunction } from '../../typescript/operation-function.js'
import { Page } from '../../typescript/page.js'
import { TreePrinter, type CodecTree } from '../codec-tree.js'
import type { Declaration, DeclarationContext, Emitter, OperationContext } from '../dialect.js'
import { fieldLayout, operationLayout, type EndpointLayout } from './layout.js'
import { queriesPage, queryNames } from './queries-page.js'
import { hasExactNumbers, ODataTrees } from './trees.js'

const odataModule = 'runtime/odata/odata'
const queryModule = 'runtime/odata/query'
const structureModule = 'runtime/odata/structure'

/** Functions of the runtime by what an operation does. */
const calls = { list: 'list', get: 'get', count: 'count', create: 'create', update: 'update', replace: 'replace', delete: 'remove', invoke: 'invoke' } as const

/** What an OData client has besides the parts that all clients share. */
export const odataEmitter: Emitter = {
  open: { fragment: () => 'unknown', recordLines: () => ['  /** Properties that the contract does not name. */', '  [name: string]: unknown'] },
  reexports: [
    [odataModule, 'type { Listing, ListingPage }'],
    ['runtime/odata/filter', '{ allOf, anyOf, not }'],
    ['runtime/odata/terms', 'type { Condition, Conditions }'],
  ],
  reservedNames: ['Listing', 'ListingPage', 'allOf', 'anyOf', 'not', 'Condition', 'Conditions', 'exactJson'],
  runtimeFiles: (contract) => [
    'connection.ts', 'failures.ts', 'plain.ts', 'response-text.ts', 'json/numbers.ts', 'json/values.ts',
    ...['edm', 'filter', 'odata', 'protocol', 'query', 'structure', 'terms', ...(isNew(contract) ? ['edm4', 'v4'] : ['edm2', 'v2'])].map((name) => `odata/${name}.ts`),
    ...(hasExactNumbers(contract) ? ['json/exact-json.ts'] : []),
  ],
  dependencies: (contract) => (hasExactNumbers(contract) ? { 'lossless-json': '^4.0.0' } : {}),
  pages(contract, names) {
    const pages = [codecsPage(contract, names), queriesPage(contract, names, isNew(contract))]
    return pages.filter((page) => page !== undefined)
  },
  declaration: declare,
  operation: printOperation,
  readme: queriesSection,
  endpoints(contract, page) {
    const endpoint = page.useType('runtime/connection', 'Endpoint')
    page.print('/** The service root, where the metadata tells it. */', `export const endpoints: Readonly<Record<string, ${endpoint}>> = {`)
    for (const each of endpointsOf(contract)) page.print(`  ${propertyName(each.name)}: { address: ${quoted(each.address)}, protocol: ${quoted(each.protocol)} },`)
    page.print('}')
  },
}

/** How to ask, shown with a set and properties of this very service. */
function queriesSection(contract: Contract, variable: string): string[] {
  const operation = operationsOf(contract).find((each) => operationLayout(each).kind === 'list')
  const layout = operation === undefined ? undefined : operationLayout(operation)
  if (operation === undefined || layout?.kind !== 'list') return []
  const fields = fieldsOf(contract, namedType(contract, layout.entity) as RecordType).filter((field) => fieldLayout(field).about !== true)
  const own = fields.filter((field) => fieldLayout(field).navigation === undefined)
  const text = own.find((field) => field.type.kind === 'scalar' && field.type.format === 'Edm.String')
  const target = fields.find((field) => fieldLayout(field).navigation !== undefined)
  const property = (name: string): string => (/^[\p{L}_]\w*$/u.test(name) ? `.${name}` : `[${quoted(name)}]`)
  const lines = [
    ...(text === undefined ? [] : [`  filter: (it) => it${property(text.name)}.startsWith('A'),`]),
    `  select: [${own.slice(0, 2).map((field) => quoted(field.name)).join(', ')}],`,
    ...(target === undefined ? [] : [`  expand: [${quoted(target.name)}],`]),
  ]
  return [
    '## Queries',
    '',
    '`list` fetches as you look: `for await` goes through all pages, `.page()` gives one, `.all()` everything. What comes back is typed by what was asked for.',
    '',
    '```ts',
    `const listing = ${variable}${property(groupName(operation.path[0] ?? ''))}.list({`,
    ...lines,
    '})',
    'for await (const each of listing) console.log(each)',
    '```',
    '',
    'Conditions in a list must all be true; `anyOf`, `allOf` and `not` put them together otherwise. Every option may also be text in OData\'s own language.',
    '',
  ]
}

function isNew(contract: Contract): boolean {
  return (endpointsOf(contract)[0]?.layout as EndpointLayout).version.startsWith('4')
}

const made = new WeakMap<Names, ODataTrees>()

/** The trees of a contract under its names: made once, because every operation asks for them. */
function treesOf(contract: Contract, names: Names): ODataTrees {
  const trees = made.get(names) ?? new ODataTrees(contract, (id) => names.types[id] ?? id)
  made.set(names, trees)
  return trees
}

function codecsPage(contract: Contract, names: Names): Page | undefined {
  const trees = treesOf(contract, names)
  const name = (type: NamedType): string => names.codecs[type.id] ?? ''
  const rank = (type: NamedType): number => (type.kind === 'record' ? 1 : 0)
  const types = Object.values(contract.types)
    .map((type) => ({ type, tree: trees.ofNamed(type) }))
    .filter(({ tree }) => tree !== undefined)
    .sort((a, b) => rank(a.type) - rank(b.type) || (name(a.type) < name(b.type) ? -1 : 1))
  if (types.length === 0) return undefined
  const page = new Page('codecs')
  for (const { type } of types) page.declare(name(type))
  page.print('// How each type stands in JSON and in addresses: plain data that serves to write, to read and to check.')
  const printer = new TreePrinter(page, contract, names)
  for (const { type, tree } of types) {
    if (tree === undefined) continue
    const kind = type.kind === 'record' ? 'Structure' : type.kind === 'enumeration' ? 'EnumType' : 'ValueType'
    page.print('', `export const ${name(type)}: ${page.useType(structureModule, kind)} = ${printer.print(tree)}`)
  }
  return page
}

/** Queries are typed by what the entity has, and what comes back by what was asked for. */
function declare({ contract, names, operation, page, inputType, outcomeType }: DeclarationContext): Declaration {
  const layout = operationLayout(operation)
  if (layout.kind === 'invoke' || layout.kind === 'delete' || layout.kind === 'create') return {}
  const covers = operation.inputs.filter((input) => input.place === 'query').map((input) => input.name)
  if (covers.length === 0) return {}
  const { query } = queryNames(names.types[layout.entity] ?? contract.types[layout.entity]?.name ?? '')
  // Only the page that declares the input needs the query itself.
  const inputBase = (): string => {
    const local = page.useType('queries', query)
    return layout.kind === 'list' ? local : `Pick<${local}, ${covers.map(quoted).join(' | ')}>`
  }
  const base = page.module.startsWith('operations/') ? { inputBase: { text: inputBase(), covers } } : {}
  if (layout.kind === 'count') return base
  const asked = page.useType(queryModule, 'Asked')
  const isOptional = operation.inputs.every((input) => input.optional)
  const entity = layout.kind === 'list' ? outcomeType.replace(/^\((.*)\)\[\]$|\[\]$/, '$1') : outcomeType.replace(/ \| undefined$/, '')
  const shape = `${asked}<${entity}, Input>`
  return {
    ...base,
    signature: {
      // Without a default: what a filter's function takes is found from the constraint.
      typeParameters: `<const Input extends ${inputType}>`,
      input: isOptional ? 'input?: Input' : 'input: Input',
      returns: layout.kind === 'list' ? `${page.useType(odataModule, 'Listing')}<${shape}>` : `Promise<${shape}${outcomeType.endsWith(' | undefined') ? ' | undefined' : ''}>`,
    },
  }
}

function printOperation(context: OperationContext): void {
  const { contract, names, operation, page } = context
  const layout = operationLayout(operation)
  printFunction(context, page.use(odataModule, calls[layout.kind]))
  const tree: CodecTree = { name: pathOf(operation), ...treesOf(contract, names).operation(operation) }
  const text = new TreePrinter(page, contract, names).print(tree)
  const parse = hasExactNumbers(contract) ? `  parse: ${page.use('runtime/json/exact-json', 'exactJson')},\n` : ''
  page.print('', `const operation: ${page.useType(odataModule, layout.kind === 'invoke' ? 'Invocation' : 'EntityOperation')} = ${text.replace(/\}$/, `${parse}}`)}`)
}
