import type { Contract, NamedType, RecordType } from '../../contract/contract.js'
import { endpointsOf, fieldsOf, namedType, operationsOf, pathOf } from '../../contract/queries.js'
import { groupName } from '../../naming/methods.js'
import type { Names } from '../../naming/names.js'
import { propertyName, quoted } from '../../typescript/escaping.js'
import { printFunction } from '../../typescript/operation-function.js'
import { Page } from '../../typescript/page.js'
import { TreePrinter, type CodecTree } from '../codec-tree.js'
import type { Declaration, DeclarationContext, Emitter, OperationContext } from '../dialect.js'
import { fieldLayout, operationLayout, type EndpointLayout, type OperationLayout } from './layout.js'
import { propertyNames, queriesPage, queryNames, queryOptions } from './queries-page.js'
import { hasExactNumbers, ODataTrees } from './trees.js'

const pagesModule = 'runtime/odata/pages'
const queryModule = 'runtime/odata/query'
const modelModule = 'runtime/odata/model'

/** What does the work: a function of a module of the runtime, which takes facts of a type. */
interface Work {
  readonly module: string
  readonly call: string
  readonly facts: readonly [module: string, name: string]
}

const onEntities = (module: string, call: string): Work => ({ module, call, facts: ['input-checks', 'EntityOperation'] })

/** By what an operation does. */
const works: Readonly<Record<OperationLayout['kind'], Work>> = {
  list: onEntities('odata', 'list'),
  get: onEntities('odata', 'get'),
  count: onEntities('odata', 'count'),
  create: onEntities('odata', 'create'),
  update: onEntities('odata', 'update'),
  replace: onEntities('odata', 'replace'),
  upsert: onEntities('odata', 'upsert'),
  delete: onEntities('odata', 'remove'),
  changes: onEntities('changes', 'changes'),
  aggregate: onEntities('aggregation', 'aggregate'),
  createMedia: { module: 'media', call: 'createMedia', facts: ['media', 'MediaOperation'] },
  download: { module: 'media', call: 'download', facts: ['media', 'MediaOperation'] },
  upload: { module: 'media', call: 'upload', facts: ['media', 'MediaOperation'] },
  link: { module: 'links', call: 'link', facts: ['links', 'LinkOperation'] },
  unlink: { module: 'links', call: 'unlink', facts: ['links', 'LinkOperation'] },
  invoke: { module: 'invocations', call: 'invoke', facts: ['invocations', 'Invocation'] },
}

/** What an OData client has besides the parts that all clients share. */
export const odataEmitter: Emitter = {
  // The one thing that is left open is what stands for a key before there is one.
  open: { fragment: (page) => page.useType('runtime/odata/addresses', 'Reference'), recordLines: () => ['  /** Properties that the contract does not name. */', '  [name: string]: unknown'] },
  reexports: [
    [pagesModule, 'type { Listing, ListingPage }'],
    ['runtime/odata/addresses', '{ Reference }'],
    ['runtime/odata/batch', 'type { Batch, BatchCall, BatchOptions }'],
    ['batch', '{ batch }'],
    ['runtime/odata/filter', '{ allOf, anyOf, not }'],
    ['runtime/odata/terms', 'type { Condition, Conditions }'],
  ],
  reservedNames: ['Listing', 'ListingPage', 'Reference', 'Batch', 'BatchCall', 'BatchOptions', 'batch', 'openBatch', 'Change', 'Removed', 'Aggregation', 'Aggregated', 'allOf', 'anyOf', 'not', 'Condition', 'Conditions', 'exactJson'],
  runtimeFiles: (contract) => [
    'connection.ts', 'digest.ts', 'md5.ts', 'redirects.ts', 'retries.ts', 'tokens.ts', 'failures.ts', 'mime.ts', 'plain.ts', 'response-text.ts', 'json/numbers.ts', 'json/values.ts',
    ...['addresses', 'batch', 'checking', 'edm', 'filter', 'input-checks', 'model', 'odata', 'pages', 'protocol', 'query', 'restrictions', 'sending', 'structure', 'terms', ...(isNew(contract) ? ['edm4', 'v4'] : ['edm2', 'v2']), ...moreFiles(contract)].map((name) => `odata/${name}.ts`),
    ...(hasExactNumbers(contract) ? ['json/exact-json.ts'] : []),
  ],
  dependencies: (contract) => (hasExactNumbers(contract) ? { 'lossless-json': '^4.0.0' } : {}),
  pages(contract, names) {
    const pages = [codecsPage(contract, names), queriesPage(contract, names), batchPage(contract, names)]
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

/** Files of the runtime that only some clients need: those of the operations that there are. */
function moreFiles(contract: Contract): string[] {
  const kinds = new Set(operationsOf(contract).map((operation) => works[operationLayout(operation).kind].module))
  return ['aggregation', 'changes', 'invocations', 'links', 'media'].filter((each) => kinds.has(each))
}

/** batch.ts: calls that travel together. */
function batchPage(contract: Contract, names: Names): Page {
  const page = new Page('batch')
  page.declare('batch')
  const { protocol } = treesOf(contract, names)
  const connection = page.useType('runtime/connection', 'Connection')
  const parse = hasExactNumbers(contract) ? `, parse: ${page.use('runtime/json/exact-json', 'exactJson')}` : ''
  const facts = `{ name: 'batch', protocol: ${page.use(protocol.module, protocol.name)}${parse} }`
  page.print(
    '/**',
    ' * Calls that travel together in one request: `const call = calls.add((connection) => …)` for each, `await calls.send()`, and `await call.outcome`. With',
    ' * `{ together: true }` all changes happen, or none of them does.',
    ' */',
    `export function batch(connection: ${connection}): ${page.useType('runtime/odata/batch', 'Batch')}<${connection}> {`,
    `  return ${page.use('runtime/odata/batch', 'openBatch')}(connection, ${facts}, (later) => later)`,
    '}',
  )
  return page
}

/** How to ask, shown with a set and properties of this very service. */
function queriesSection(contract: Contract, variable: string, names: Names): string[] {
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
    '## Calls that travel together',
    '',
    'A batch takes functions of this client, sends them in one request, and settles each of them by itself; with `{ together: true }` all changes happen, or none of them does.',
    '',
    '```ts',
    `const calls = batch(${variable}.connection)`,
    `const call = calls.add((connection) => ${names.operations[pathOf(operation)] ?? ''}(connection, { top: 1 }).all())`,
    'await calls.send()',
    'console.log(await call.outcome)',
    '```',
    '',
    'A new entity can be bound to one that is there, `{ $bind: key }`, or to one that another call of the batch makes, `{ $bind: call.reference }`.',
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
    page.print('', `export const ${name(type)}: ${page.useType(modelModule, kind)} = ${printer.print(tree)}`)
  }
  return page
}

/** Queries are typed by what the entity has, and what comes back by what was asked for. */
function declare({ contract, names, operation, page, inputType, outcomeType }: DeclarationContext): Declaration {
  const layout = operationLayout(operation)
  const name = layout.kind === 'invoke' ? '' : (names.types[layout.entity] ?? contract.types[layout.entity]?.name ?? '')
  const { query, terms } = queryNames(name)
  if (layout.kind === 'download') {
    const thisCall = `${page.useType('runtime/connection', 'ThisCall')} & { readonly asStream?: AsStream }`
    return { signature: { typeParameters: '<AsStream extends boolean = false>', input: `input: ${inputType}`, returns: `Promise<AsStream extends true ? ReadableStream<Uint8Array> : ${outcomeType}>`, thisCall } }
  }
  if (layout.kind === 'changes') return { signature: { typeParameters: '', input: `input: ${inputType}`, returns: `${page.useType(pagesModule, 'Listing')}<${page.useType('runtime/odata/changes', 'Change')}<${page.useType('types', name)}>>` } }
  if (layout.kind === 'aggregate') {
    const covers = ['filter', 'groupBy', 'measures']
    const inside = page.module.startsWith('operations/') ? { inputBase: { text: `${page.useType('runtime/odata/aggregation', 'Aggregation')}<${page.useType('queries', terms)}, ${propertyNames(contract, layout.entity).map(quoted).join(' | ') || 'never'}>`, covers } } : {}
    return { ...inside, signature: { typeParameters: `<const Input extends ${inputType}>`, input: 'input: Input', returns: `Promise<${page.useType('runtime/odata/aggregation', 'Aggregated')}<${page.useType('types', name)}, Input>[]>` } }
  }
  if (!['list', 'get', 'count', 'update', 'replace', 'upsert'].includes(layout.kind)) return {}
  const covers = operation.inputs.filter((input) => input.place === 'query').map((input) => input.name)
  if (covers.length === 0) return {}
  // Only the page that declares the input needs the query itself.
  const all = queryOptions(contract, layout.kind === 'invoke' ? '' : layout.entity)
  const inputBase = (): string => {
    const local = page.useType('queries', query)
    return covers.length === all.length ? local : `Pick<${local}, ${covers.map(quoted).join(' | ')}>`
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
      returns: layout.kind === 'list' ? `${page.useType(pagesModule, 'Listing')}<${shape}>` : `Promise<${shape}${outcomeType.endsWith(' | undefined') ? ' | undefined' : ''}>`,
    },
  }
}

function printOperation(context: OperationContext): void {
  const { contract, names, operation, page } = context
  const layout = operationLayout(operation)
  const { module, call, facts } = works[layout.kind]
  printFunction(context, page.use(`runtime/odata/${module}`, call))
  const tree: CodecTree = { name: pathOf(operation), ...treesOf(contract, names).operation(operation) }
  const text = new TreePrinter(page, contract, names).print(tree)
  const parse = hasExactNumbers(contract) ? `  parse: ${page.use('runtime/json/exact-json', 'exactJson')},\n` : ''
  page.print('', `const operation: ${page.useType(`runtime/odata/${facts[0]}`, facts[1])} = ${text.replace(/\}$/, `${parse}}`)}`)
}
