import { special } from '../../contract/special-members.js'
import { compareTexts } from '../../contract/ordering.js'
import type { Contract, NamedType, Operation, TypeId } from '../../contract/contract.js'
import {
  endpointFirst,
  endpointsOf,
  fieldsOf,
  operationsOf,
  pathOf,
  recordType,
} from '../../contract/queries.js'
import { groupName } from '../../naming/methods.js'
import type { Names } from '../../naming/names.js'
import {
  docComment,
  fenced,
  identifier,
  indented,
  memberAccess,
  propertyName,
  quoted,
} from '../../printing/escaping.js'
import { Page } from '../../printing/page.js'
import { code, joined, markdown, type Code, type Markdown } from '../../printing/safe-text.js'
import { exportedNames } from '../../typescript/exported-names.js'
import { printFunction } from '../../typescript/operation-function.js'
import { typeTextsOf, type TypeTexts } from '../../typescript/types.js'
import { Builtin, TreePrinter, type CodecTree } from '../codec-tree.js'
import { commonRuntime } from '../common-runtime.js'
import type {
  Declaration,
  DeclarationContext,
  Emitter,
  OpenTypes,
  OperationContext,
} from '../dialect.js'
import {
  fieldSpecifics,
  operationSpecifics,
  type EndpointSpecifics,
  type OperationSpecifics,
  type EntitySpecifics,
} from './specifics.js'
import { propertyNames, queriesPage, queryNames, queryOptions } from './queries-page.js'
import { hasExactNumbers, ODataTrees } from './trees.js'

const listingModule = 'runtime/listing'
const queryModule = 'runtime/odata/query'
const modelModule = 'runtime/odata/model'

/** What does the work: a function of a module of the runtime, which takes facts of a type. */
interface Work {
  readonly module: string
  readonly call: string
  readonly facts: readonly [module: string, name: string]
}

const onEntities = (module: string, call: string): Work => ({
  module,
  call,
  facts: ['input-checks', 'EntityOperation'],
})

/** By what an operation does. */
const works: Readonly<Record<OperationSpecifics['kind'], Work>> = {
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
  clear: { module: 'media', call: 'clear', facts: ['media', 'MediaOperation'] },
  link: { module: 'links', call: 'link', facts: ['links', 'LinkOperation'] },
  unlink: { module: 'links', call: 'unlink', facts: ['links', 'LinkOperation'] },
  invoke: { module: 'invocations', call: 'invoke', facts: ['invocations', 'Invocation'] },
}

/**
 * A record that is open has properties of any name. The one thing else that is left open is what
 * stands for a key before there is one.
 */
const openMembers: OpenTypes = {
  fragment: (page) => page.useType('runtime/odata/addresses', 'Reference'),
  known({ fields: [only] }, page, textOf) {
    if (only?.name !== special.bind || only.type.kind !== 'union') return undefined
    const keys = only.type.alternatives.filter(({ kind }) => kind !== 'fragment').map(textOf)
    return code`${page.useType('runtime/odata/addresses', 'Bound')}<${joined(keys, ' | ')}>`
  },
  recordLines: (_, __, indent = '  ') =>
    indented(
      [code`/** Properties that the contract does not name. */`, code`[name: string]: unknown`],
      indent,
    ),
}

/** What an OData client has besides the parts that all clients share. */
export const odataEmitter: Emitter = {
  open: openMembers,
  reexports: () => [
    [listingModule, code`type { Listing, ListingPage }`],
    ['runtime/odata/addresses', code`{ type Bound, Reference }`],
    ['runtime/odata/batch', code`type { Batch, BatchCall, BatchOptions }`],
    ['batch', code`{ batch }`],
    ['runtime/odata/filter', code`{ allOf, anyOf, not }`],
    ['runtime/odata/terms', code`type { Condition, Conditions }`],
  ],
  reservedNames: () => [
    'Listing',
    'ListingPage',
    'Reference',
    'Bound',
    'Batch',
    'BatchCall',
    'BatchOptions',
    'batch',
    'openBatch',
    'Change',
    'Removed',
    'Aggregation',
    'Aggregated',
    'allOf',
    'anyOf',
    'not',
    'Condition',
    'Conditions',
    'exactJson',
  ],
  runtimeFiles: (contract) => [
    ...commonRuntime,
    'listing.ts',
    'service-links.ts',
    'special-members.ts',
    'json/as-it-came.ts',
    'json/parse-json.ts',
    'json/values.ts',
    ...[
      'addresses',
      'batch',
      'checking',
      'edm',
      'filter',
      'input-checks',
      'model',
      'odata',
      'pages',
      'protocol',
      'query',
      'restrictions',
      'sending',
      'structure',
      'terms',
      ...(isNew(contract) ? ['edm4', 'v4'] : ['edm2', 'v2']),
      ...moreFiles(contract),
    ].map((name) => `odata/${name}.ts`),
    ...(hasExactNumbers(contract) ? ['json/exact-json.ts'] : []),
  ],
  dependencies: () => ({}),
  pages(contract, names) {
    const pages = [
      codecsPage(contract, names),
      queriesPage(contract, names),
      batchPage(contract, names),
    ]
    return pages.filter((page) => page !== undefined)
  },
  declaration: declare,
  operation: printOperation,
  readme: queriesSection,
  endpoints(contract, page, preferred) {
    const endpoint = page.useType('runtime/connection', 'Endpoint')
    page.print(
      code`/** The service root, where the metadata tells it. */`,
      code`export const endpoints: Readonly<Record<string, ${endpoint}>> = {`,
    )
    for (const each of endpointFirst(endpointsOf(contract), preferred))
      page.print(
        code`  ${propertyName(each.name)}: { address: ${quoted(each.address)}, protocol: ${quoted(each.protocol)} },`,
      )
    page.print(code`}`)
  },
}

/** Files of the runtime that only some clients need: those of the operations that there are. */
function moreFiles(contract: Contract): string[] {
  const kinds = new Set(
    operationsOf(contract).map((operation) => works[operationSpecifics(operation).kind].module),
  )
  return ['aggregation', 'changes', 'invocations', 'links', 'media'].filter((each) =>
    kinds.has(each),
  )
}

/** batch.ts: calls that travel together. */
function batchPage(contract: Contract, names: Names): Page {
  const page = new Page('batch')
  page.declare('batch')
  const { protocol } = treesOf(contract, names)
  const connection = page.useType('runtime/connection', 'Connection')
  const parse = hasExactNumbers(contract)
    ? code`, parse: ${page.use('runtime/json/exact-json', 'exactJson')}`
    : code``
  const facts = code`{ name: 'batch', protocol: ${page.use(protocol.module, protocol.name)}${parse} }`
  page.print(
    ...docComment([
      'Calls that travel together in one request: `const call = calls.add((connection) => …)` for each, `await calls.send()`, and `await call.outcome`. With `{ together: true }` all changes happen, or none of them does.',
    ]),
    code`export function batch(connection: ${connection}): ${page.useType('runtime/odata/batch', 'Batch')}<${connection}> {`,
    code`  return ${page.use('runtime/odata/batch', 'openBatch')}(connection, ${facts}, (later) => later)`,
    code`}`,
  )
  return page
}

/** How to ask, shown with a set and properties of this very service. */
function queriesSection(contract: Contract, variable: Code, names: Names): Markdown[] {
  const operation = operationsOf(contract).find((each) => operationSpecifics(each).kind === 'list')
  const specifics = operation === undefined ? undefined : operationSpecifics(operation)
  if (operation === undefined || specifics?.kind !== 'list') return []
  const fields = fieldsOf(contract, recordType(contract, specifics.entity)).filter(
    (field) => fieldSpecifics(field).about !== true,
  )
  const own = fields.filter((field) => fieldSpecifics(field).navigation === undefined)
  const text = own.find(
    (field) => field.type.kind === 'scalar' && field.type.format === 'Edm.String',
  )
  const target = fields.find((field) => fieldSpecifics(field).navigation !== undefined)
  const listing = [
    code`const listing = ${variable}${memberAccess(groupName(operation.path[0] ?? ''))}.list({`,
    ...(text === undefined
      ? []
      : [code`  filter: (it) => it${memberAccess(text.name)}.startsWith('A'),`]),
    code`  select: [${joined(
      own.slice(0, 2).map((field) => quoted(field.name)),
      ', ',
    )}],`,
    ...(target === undefined ? [] : [code`  expand: [${quoted(target.name)}],`]),
    code`})`,
    code`for await (const each of listing) console.log(each)`,
  ]
  const together = [
    code`const calls = batch(${variable}.connection)`,
    code`const call = calls.add((connection) => ${exportedNames(names, operation)[0]}(connection, { top: 1 }).all())`,
    code`await calls.send()`,
    code`console.log(await call.outcome)`,
  ]
  return [
    markdown`## Queries`,
    markdown``,
    markdown`\`list\` fetches as you look: \`for await\` goes through all pages, \`.page()\` gives one, \`.all()\` everything. What comes back is typed by what was asked for.`,
    markdown``,
    ...fenced(listing),
    markdown``,
    markdown`Conditions in a list must all be true; \`anyOf\`, \`allOf\` and \`not\` put them together otherwise. Every option may also be text in OData's own language.`,
    markdown``,
    markdown`## Calls that travel together`,
    markdown``,
    markdown`A batch takes functions of this client, sends them in one request, and settles each of them by itself; with \`{ together: true }\` all changes happen, or none of them does.`,
    markdown``,
    ...fenced(together),
    markdown``,
    markdown`A new entity can be bound to one that is there, \`{ $bind: key }\`, or to one that another call of the batch makes, \`{ $bind: call.reference }\`; later calls can change it, \`{ key: call.key }\`.`,
    markdown``,
  ]
}

function isNew(contract: Contract): boolean {
  return (endpointsOf(contract)[0]?.specifics as EndpointSpecifics).version.startsWith('4')
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
  const name = (type: NamedType): string => names.codecs[type.id] ?? code``
  const rank = (type: NamedType): number => (type.kind === 'record' ? 1 : 0)
  const types = Object.values(contract.types)
    .map((type) => ({ type, tree: trees.ofNamed(type) }))
    .filter(({ tree }) => tree !== undefined)
    .sort((a, b) => rank(a.type) - rank(b.type) || compareTexts(name(a.type), name(b.type)))
  if (types.length === 0) return undefined
  const page = new Page('codecs')
  for (const { type } of types) page.declare(name(type))
  page.print(
    code`// How each type stands in JSON and in addresses: plain data that serves to write, to read and to check.`,
  )
  const printer = new TreePrinter(page, contract, names)
  const texts = typeTextsOf(contract, names, openMembers)
  for (const { type, tree } of types) {
    if (tree === undefined) continue
    page.print(
      code``,
      code`export const ${identifier(name(type))}: ${codecType(type, texts, page)} = ${printer.print(tree)}`,
    )
  }
  return page
}

/** The type of the constant that says how a type stands on the wire. */
function codecType(type: NamedType, texts: TypeTexts, page: Page): Code {
  const all = texts.of({ kind: 'reference', to: type.id }, page)
  if (type.kind === 'enumeration') return code`${page.useType(modelModule, 'EnumType')}<${all}>`
  if (type.kind !== 'record') return code`${page.useType(modelModule, 'ValueCodec')}<${all}>`
  const structure = page.useType(modelModule, 'Structure')
  const own = texts.recordItself(type.id, page)
  const base = type.base === undefined ? undefined : texts.recordItself(type.base.to, page)
  if (texts.hasSubtypes(type.id))
    return code`${structure}<${own}, ${base ?? code`unknown`}, ${all}>`
  return code`${structure}<${own}${base === undefined ? code`` : code`, ${base}`}>`
}

/** Queries are typed by what the entity has, and what comes back by what was asked for. */
function declare(context: DeclarationContext): Declaration {
  const { operation, page, inputType, outcomeType } = context
  const specifics = operationSpecifics(operation)
  const signature = { typeParameters: code``, input: code`input: ${inputType}` }
  switch (specifics.kind) {
    case 'download':
      return {
        signature: {
          ...signature,
          typeParameters: code`<AsStream extends boolean = false>`,
          returns: code`Promise<AsStream extends true ? ReadableStream<Uint8Array> : ${outcomeType}>`,
          thisCall: code`${page.useType('runtime/connection', 'ThisCall')} & { readonly asStream?: AsStream }`,
        },
      }
    case 'changes': {
      const change = page.useType('runtime/odata/changes', 'Change')
      const entity = page.useType('types', entityNameOf(context))
      const returns = code`${page.useType(listingModule, 'Listing')}<${change}<${entity}>>`
      return { signature: { ...signature, returns } }
    }
    case 'aggregate':
      return declareAggregation(context, specifics)
    default:
      return asking.has(specifics.kind) ? declareQuery(context, specifics) : {}
  }
}

/** The identifier of the entity that an operation is about. */
function entityNameOf({ contract, names, operation }: DeclarationContext): string {
  const id = entityIdOf(operationSpecifics(operation))
  return id === undefined ? '' : (names.types[id] ?? contract.types[id]?.name ?? '')
}

function entityIdOf(specifics: OperationSpecifics): TypeId | undefined {
  return specifics.kind === 'invoke' ? specifics.asks?.entity : specifics.entity
}

/** Only the page that declares the input needs what it extends. */
function declaresInput({ module }: Page): boolean {
  return module.startsWith('operations/')
}

function declareAggregation(context: DeclarationContext, { entity }: EntitySpecifics): Declaration {
  const { contract, page, inputType } = context
  const name = entityNameOf(context)
  const base = (): Code => {
    const properties = joined(propertyNames(contract, entity).map(quoted), ' | ') || code`never`
    const terms = page.useType('queries', queryNames(name).terms)
    return code`${page.useType('runtime/odata/aggregation', 'Aggregation')}<${terms}, ${properties}>`
  }
  const covers = [code`filter`, code`groupBy`, code`measures`]
  const aggregated = page.useType('runtime/odata/aggregation', 'Aggregated')
  return {
    ...(declaresInput(page) ? { inputBase: { text: base(), covers } } : {}),
    signature: {
      typeParameters: code`<const Input extends ${inputType}>`,
      input: code`input: Input`,
      returns: code`Promise<${aggregated}<${page.useType('types', name)}, Input>[]>`,
    },
  }
}

function declareQuery(context: DeclarationContext, specifics: OperationSpecifics): Declaration {
  const { contract, operation, page, inputType } = context
  const covers = operation.inputs
    .filter((input) => input.place === 'query')
    .map((input) => input.name)
  if (covers.length === 0) return specifics.kind === 'get' ? unchangedDeclaration(context) : {}
  const id = entityIdOf(specifics)
  const all = id === undefined ? [] : queryOptions(contract, id)
  const inputBase = (): Code => {
    const query = page.useType('queries', queryNames(entityNameOf(context)).query)
    return covers.length === all.length
      ? query
      : code`Pick<${query}, ${joined(covers.map(quoted), ' | ')}>`
  }
  const base = declaresInput(page) ? { inputBase: { text: inputBase(), covers } } : {}
  if (specifics.kind === 'count') return base
  const isOptional = operation.inputs.every((input) => input.optional)
  const asked = page.useType(queryModule, 'Asked')
  const shape = code`${asked}<${entityType(context)}, Input>`
  return {
    ...base,
    signature: {
      // Without a default: what a filter's function takes is found from the constraint.
      typeParameters: code`<const Input extends ${inputType}>`,
      input: isOptional ? code`input?: Input` : code`input: Input`,
      returns: returnedBy(context, shape),
    },
  }
}

/** What is done with a query. */
const asking: ReadonlySet<OperationSpecifics['kind']> = new Set([
  'list',
  'get',
  'count',
  'update',
  'replace',
  'upsert',
  'invoke',
])

/** What an operation answers of which parts can be asked for, each of them of this shape. */
function returnedBy(context: DeclarationContext, shape: Code): Code {
  const { operation, page } = context
  const { kind } = operationSpecifics(operation)
  if (kind === 'list') return code`${page.useType(listingModule, 'Listing')}<${shape}>`
  if (kind === 'invoke') return code`Promise<${shape}[]>`
  return code`Promise<${shape}${unchanged(context)}${isAbsent(operation) ? code` | undefined` : code``}>`
}

/** What else there is when an entity has not changed since: nothing, for whoever asks so. */
function unchanged({ operation, page }: DeclarationContext): Code {
  if (operationSpecifics(operation).kind !== 'get') return code``
  return code` | ${page.useType(queryModule, 'Unchanged')}<Input>`
}

/** How an entity is got of which no part can be asked for. */
function unchangedDeclaration(context: DeclarationContext): Declaration {
  const { operation, inputType, outcomeType } = context
  const isOptional = operation.inputs.every((input) => input.optional)
  return {
    signature: {
      typeParameters: code`<const Input extends ${inputType}>`,
      input: isOptional ? code`input?: Input` : code`input: Input`,
      returns: code`Promise<${outcomeType}${unchanged(context)}>`,
    },
  }
}

/** The type of the entity that an operation answers, one or many of them. */
function entityType({ contract, names, operation, page, outcomeType }: DeclarationContext): Code {
  if (operation.outcome.kind !== 'value') return outcomeType
  const { type, nullable } = operation.outcome.field
  const texts = typeTextsOf(contract, names, openMembers)
  if (type.kind === 'list') return texts.itemOf(type, page)
  return code`${texts.of(type, page)}${nullable ? code` | null` : code``}`
}

/** May an operation answer nothing? */
function isAbsent({ outcome }: Operation): boolean {
  return outcome.kind === 'value' && outcome.field.optional && outcome.field.type.kind !== 'list'
}

function printOperation(context: OperationContext): void {
  const { contract, names, operation, page, constant } = context
  const specifics = operationSpecifics(operation)
  const { module, call, facts } = works[specifics.kind]
  printFunction(context, page.use(`runtime/odata/${module}`, call))
  const parse = hasExactNumbers(contract)
    ? { parse: new Builtin('runtime/json/exact-json', 'exactJson') }
    : {}
  const tree: CodecTree = {
    name: pathOf(operation),
    ...treesOf(contract, names).operation(operation),
    ...parse,
  }
  page.print(
    code``,
    code`const ${constant}: ${page.useType(`runtime/odata/${facts[0]}`, facts[1])}<${factsOf(context)}> = ${new TreePrinter(page, contract, names).print(tree)}`,
  )
}

/** What the facts of an operation are of: its entities; of functions and actions more. */
function factsOf({ contract, names, operation, page, inputType }: OperationContext): Code {
  const specifics = operationSpecifics(operation)
  const texts = typeTextsOf(contract, names, openMembers)
  const textOf = (id: TypeId): Code => texts.of({ kind: 'reference', to: id }, page)
  if (specifics.kind !== 'invoke') return textOf(specifics.entity)
  const { outcome } = operation
  const returned = outcome.kind === 'value' ? texts.of(outcome.field.type, page) : code`void`
  const parameters = operation.inputs
    .filter(({ place }) => place === 'body')
    .map(({ name }) => quoted(name))
  const named = parameters.length === 0 ? code`` : code`, ${joined(parameters, ' | ')}`
  return code`${inputType}, ${returned}${named}`
}
