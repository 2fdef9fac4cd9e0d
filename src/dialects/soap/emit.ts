import { compareTexts } from '../../contract/ordering.js'
import { commonRuntime } from '../common-runtime.js'
import type {
  Contract,
  Endpoint,
  NamedType,
  Operation,
  Type,
  TypeId,
} from '../../contract/contract.js'
import {
  directSubtypes,
  endpointFirst,
  endpointsOffering,
  endpointsOf,
  pathOf,
} from '../../contract/queries.js'
import { camelCase } from '../../naming/identifiers.js'
import type { Names } from '../../naming/names.js'
import * as simple from '../../runtime/soap/simple.js'
import { docComment, identifier, indented, propertyName, quoted } from '../../printing/escaping.js'
import { printFaults, printFunction, thrownRemarks } from '../../typescript/operation-function.js'
import { Page } from '../../printing/page.js'
import type { Emitter, OperationContext } from '../dialect.js'
import { TreePrinter, type CodecTree } from '../codec-tree.js'
import { CodecTrees } from './codec-tree.js'
import { endpointSpecifics, operationSpecifics, recordSpecifics, wireAt } from './specifics.js'
import { code, type Code } from '../../printing/safe-text.js'

const codecModule = 'runtime/soap/codec'
const soapModule = 'runtime/soap/soap'
const plainModule = 'runtime/soap/plain-http'

/** What a SOAP client has besides the parts that all clients share. */
export const soapEmitter: Emitter = {
  open: {
    fragment: (page) => page.useType(codecModule, 'AnyValue'),
    recordLines: (page, required, indent = '  ') =>
      indented(
        [
          code`/** Content that the contract leaves open. */`,
          code`$open${required === true ? code`` : code`?`}: ${page.useType(codecModule, 'OpenContent')}`,
        ],
        indent,
      ),
  },
  reexports: () => [[codecModule, code`type { AnyValue, OpenContent, OpenElement }`]],
  reservedNames: () => [
    ...Object.keys(simple),
    'send',
    'sendPlain',
    'AnyValue',
    'anyValue',
    'dataSet',
    'encodedMessages',
  ],
  runtimeFiles: () => [
    ...commonRuntime,
    'special-members.ts',
    ...[
      'addressing',
      'answer',
      'anything',
      'attachments',
      'check',
      'codec',
      'data-set',
      'encoded-arrays',
      'envelope',
      'faults',
      'message',
      'message-shapes',
      'message-text',
      'moments',
      'namespaces',
      'operation',
      'parts',
      'pieces',
      'plain-http',
      'references',
      'security',
      'settings',
      'simple',
      'soap',
      'start-tag',
      'xml-name',
      'xml-reader',
      'xml-writer',
    ].map((name) => `soap/${name}.ts`),
  ],
  dependencies: () => ({ saxes: '^6.0.0' }),
  ownLogins: { wsse: { module: 'runtime/soap/security', name: 'wsseLogin' } },
  settingsModule: 'runtime/soap/settings',
  variables: [
    {
      say: 'Do messages travel in parts, with bytes beside them (MTOM), and are they addressed (WS-Addressing)? true or false; without these as the metadata says.',
      names: ['MTOM', 'ADDRESSING'],
    },
  ],
  logins: [
    {
      say: 'A user name token in the header of messages; WSSE_DIGEST=true keeps the password itself at home.',
      names: ['WSSE_USER', 'WSSE_PASSWORD', 'WSSE_DIGEST'],
      schemes: ['usernameToken'],
      login: 'wsse',
    },
  ],
  pages: codecsPage,
  operation: printOperation,
  endpoints(contract, page, preferred) {
    const endpoint = page.useType('runtime/connection', 'Endpoint')
    page.print(
      code`/** The endpoints that the metadata names, the preferred one first. */`,
      code`export const endpoints: Readonly<Record<string, ${endpoint}>> = {`,
    )
    for (const each of endpointFirst(preferredFirst(contract), preferred)) {
      const { addressing, mtom } = endpointSpecifics(each)
      page.print(
        ...docComment([each.documentation], '  '),
        code`  ${propertyName(each.name)}: { address: ${quoted(each.address)}, protocol: ${quoted(each.protocol)}${addressing === true ? code`, addressing: true` : code``}${mtom === true ? code`, mtom: true` : code``} },`,
      )
    }
    page.print(code`}`)
  },
}

/** SOAP 1.2 before 1.1, both before plain HTTP, otherwise in the order of the metadata. */
function preferredFirst(contract: Contract): Contract['services'][number]['endpoints'] {
  const rank = (protocol: string): number =>
    ['SOAP 1.2', 'SOAP 1.1'].indexOf(protocol) + (protocol.startsWith('HTTP') ? 3 : 0)
  return [...endpointsOf(contract)].sort((a, b) => rank(a.protocol) - rank(b.protocol))
}

function codecsPage(contract: Contract, names: Names): Page[] {
  const trees = new CodecTrees(contract, (id) => names.types[id] ?? id)
  const types = Object.values(contract.types)
    .map((type) => ({ type, tree: trees.ofNamed(type) }))
    .filter(({ tree }) => tree !== undefined)
  if (types.length === 0) return []
  const page = new Page('codecs')
  for (const id of Object.keys(contract.types)) page.declare(names.codecs[id] ?? '')
  const namespaces = namespaceConstants(
    types.map(({ type }) => type),
    page,
  )
  page.print(
    code`// How each type stands in XML: plain data that serves to write, to read and to check.`,
    code``,
  )
  for (const [namespace, name] of namespaces) page.print(code`const ${name} = ${quoted(namespace)}`)
  const name = (type: NamedType): string => names.codecs[type.id] ?? code``
  const rank = (type: NamedType): number => (type.kind === 'record' ? 1 : 0)
  types.sort((a, b) => rank(a.type) - rank(b.type) || compareTexts(name(a.type), name(b.type)))
  const printer = new TreePrinter(page, contract, names, namespaces)
  const supertypes = directSubtypes(contract)
  for (const { type, tree } of types) {
    if (tree === undefined) continue
    const text = names.types[type.id] ?? code``
    const kind = codecKinds[type.kind] ?? code`RestrictedCodec`
    const typeName = (id: TypeId): string => names.types[id] ?? code``
    const inherited =
      type.kind === 'record' && type.base !== undefined && type.restricts !== true
        ? page.useType('types', typeName(type.base.to))
        : undefined
    const any = supertypes.has(type.id)
      ? page.useType('types', `Any${typeName(type.id)}`)
      : undefined
    const alone = inherited === undefined ? code`` : code`, ${inherited}`
    const base = any === undefined ? alone : code`, ${inherited ?? code`unknown`}, ${any}`
    page.print(
      code``,
      code`export const ${identifier(name(type))}: ${page.useType(codecModule, kind)}<${page.useType('types', text)}${base}> = ${printer.print(tree)}`,
    )
  }
  return [page]
}

function printOperation(context: OperationContext): void {
  const { contract, names, operation, page, inputType, outcomeType, constant } = context
  const trees = new CodecTrees(contract, (id) => names.types[id] ?? id)
  if (operationSpecifics(operation).plain !== undefined) {
    printFunction(context, page.use(plainModule, 'sendPlain'), [])
    const plain = new TreePrinter(page, contract, names).print({
      name: pathOf(operation),
      ...trees.plainOperation(operation),
    })
    page.print(
      code``,
      code`const ${constant}: ${page.useType(plainModule, 'PlainOperation')}<${inputType}, ${outcomeType}> = ${plain}`,
    )
    return
  }
  printFunction(context, page.use(soapModule, 'send'), thrownRemarks(context, operation.faults))
  printFaults(context, operation.faults)
  const offering = endpointsOffering(contract, operation)
  const actions = offering.map((endpoint) => wireAt(operation, endpoint.name).action)
  const same =
    actions.every((action) => action === actions[0]) &&
    offering.length === endpointsOf(contract).length
  const tree: CodecTree = {
    name: pathOf(operation),
    action: same
      ? (actions[0] ?? '')
      : Object.fromEntries(offering.map((endpoint, at) => [endpoint.name, actions[at] ?? code``])),
    ...trees.operation(operation),
    ...differencesAt(operation, offering),
  }
  const printer = new TreePrinter(page, contract, names)
  page.print(
    code``,
    code`const ${constant}: ${page.useType(soapModule, 'SoapOperation')}<${inputType}, ${outcomeType}> = ${printer.print(tree)}`,
  )
}

/** What differs between the endpoints that offer an operation, besides its action. */
function differencesAt(
  operation: Operation,
  offering: readonly Endpoint[],
): { readonly at?: CodecTree } {
  const at = offering.flatMap(({ name }) => {
    const { action: _action, ...others } = wireAt(operation, name)
    return Object.keys(others).length === 0 ? [] : [[name, others as CodecTree] as const]
  })
  return at.length === 0 ? {} : { at: Object.fromEntries(at) }
}

/** Namespaces that several codecs name get a constant each. */
function namespaceConstants(types: readonly NamedType[], page: Page): Map<string, Code> {
  const found = new Map<string, Code>()
  const namespaces = new Set(
    types.flatMap((type) =>
      type.kind === 'record' ? [recordSpecifics(type).typeName?.[0] ?? code``] : [],
    ),
  )
  for (const namespace of [...namespaces].filter((each) => each !== '').sort()) {
    const word =
      namespace
        .split(/[/:#?]+/)
        .filter((part) => /\p{L}/u.test(part))
        .pop() ?? code`namespace`
    const wanted = `${camelCase(word)}Namespace`
    let name = wanted
    for (let count = 2; [...found.values()].some((each) => each === name); count += 1)
      name = `${wanted}${count}`
    found.set(namespace, page.declare(name))
  }
  return found
}

const codecKinds: Readonly<Partial<Record<Type['kind'], Code>>> = {
  record: code`RecordCodec`,
  enumeration: code`LiteralsCodec`,
  union: code`UnionCodec`,
}
