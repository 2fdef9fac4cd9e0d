import type { Contract, Operation } from '../../contract/contract.js'
import { endpointsOf, operationsOf, pathOf } from '../../contract/queries.js'
import { operationExports, type Names } from '../../naming/names.js'
import { docComment, propertyName, quoted } from '../../typescript/escaping.js'
import { printFaults, printFunction } from '../../typescript/operation-function.js'
import { Page } from '../../typescript/page.js'
import { TypeTexts } from '../../typescript/types.js'
import { codecModule, codecPages } from '../codec-pages.js'
import { TreePrinter, type CodecTree } from '../codec-tree.js'
import type { Declaration, DeclarationContext, Emitter, OperationContext } from '../dialect.js'
import { runtimeNeeds } from './client-needs.js'
import { isChoice, JsonTrees, needsExactJson, valueNames } from './json-trees.js'
import { endpointLayout, operationLayout, type BodyLayout } from './layout.js'

const httpModule = 'runtime/http/http'
const jsonModule = 'runtime/http/json'

/** What an HTTP client has besides the parts that all clients share. */
export const httpEmitter: Emitter = {
  open: { fragment: () => 'unknown', recordLines: () => ['  /** Members that the contract does not name. */', '  [name: string]: unknown'] },
  reexports: [],
  reservedNames: [...valueNames, 'send', 'stream', 'exactJson', 'prove', 'renew', 'readHeaders', 'form', 'multipart', 'lines', 'xml', 'tokenSource', 'Accept', 'AsStream'],
  runtimeFiles: (contract) => [
    'connection.ts', 'digest.ts', 'md5.ts', 'redirects.ts', 'retries.ts', 'tokens.ts', 'failures.ts', 'plain.ts', 'response-text.ts', 'http/http.ts', 'http/headers.ts', 'http/json.ts', 'http/json-as-is.ts', 'http/parameters.ts', 'http/security.ts', 'json/numbers.ts', 'json/values.ts', ...runtimeNeeds(contract).files,
  ],
  dependencies: (contract) => runtimeNeeds(contract).packages,
  pages: (contract, names) => {
    const trees = treesOf(contract)
    const codecs = codecsPages(contract, names, trees)
    // Constants for XML come to light while the operations are gone through.
    for (const operation of operationsOf(contract)) if (hasXml(operation)) trees.operation(operation)
    return [...codecs, ...constantsPage('rules', 'Rules that refer to themselves or to each other.', trees.rules(), ['runtime/json/rules', 'LiveRule'], contract, names), ...constantsPage('xml-shapes', 'How types stand in XML.', trees.xmlShapes(), ['runtime/http/xml', 'XmlShape'], contract, names), ...constantsPage('security', 'Who may call: the security schemes of the metadata.', trees.schemes(), ['runtime/http/security', 'Scheme'], contract, names)]
  },
  declaration: declare,
  operation: printOperation,
  readme,
  endpoints(contract, page) {
    const endpoint = page.useType('runtime/connection', 'Endpoint')
    page.print('/** The servers that the metadata names, the preferred one first. */', `export const endpoints: Readonly<Record<string, ${endpoint}>> = {`)
    for (const each of endpointsOf(contract)) {
      const layout = endpointLayout(each)
      const variables = Object.entries(layout?.variables ?? {})
      const choices = variables.filter(([, variable]) => variable.values !== undefined).map(([name, variable]) => `\`${name}\`: ${(variable.values ?? []).map((value) => `\`${value}\``).join(', ')}.`)
      const further = variables.length === 0 ? '' : `, variables: { ${variables.map(([name, variable]) => `${propertyName(name)}: ${quoted(variable.default)}`).join(', ')} }`
      page.print(...docComment([each.documentation, ...choices], '  '), `  ${propertyName(each.name)}: { address: ${quoted(layout?.template ?? each.address)}, protocol: ${quoted(each.protocol)}${further} },`)
    }
    page.print('}')
  },
}

function hasXml(operation: Operation): boolean {
  const body = operation.inputs.find((input) => input.place === 'body')?.layout as BodyLayout | undefined
  const contents = [...(body?.contents ?? []), ...Object.values(operationLayout(operation).answers).flat(), ...operation.faults.map((fault) => (fault.layout as { content?: { kind: string } } | undefined)?.content)]
  return contents.some((content) => content?.kind === 'xml')
}

function codecsPages(contract: Contract, names: Names, trees: JsonTrees): Page[] {
  return codecPages(contract, names).map(({ module, types }) => {
    const page = new Page(module)
    for (const { id } of types) page.declare(names.codecs[id] ?? '')
    page.print('// How each type stands in JSON: plain data that serves to write, to read and to check.')
    const printer = new TreePrinter(page, contract, names, new Map(), codecModule)
    for (const type of types) {
      const text = printer.print(trees.ofNamed(type))
      // A type that is just another one refers to it when it is used, whichever of the two comes first.
      page.print('', `export const ${names.codecs[type.id] ?? ''}: ${page.useType(jsonModule, 'JsonCodec')} = ${type.kind === 'reference' ? `{ oneOf: [${text}] }` : text}`)
    }
    return page
  })
}

function constantsPage(module: string, meaning: string, constants: readonly (readonly [name: string, tree: CodecTree])[], [from, type]: readonly [string, string], contract: Contract, names: Names): Page[] {
  if (constants.length === 0) return []
  const page = new Page(module)
  for (const [name] of constants) page.declare(name)
  page.print(`// ${meaning}`)
  const printer = new TreePrinter(page, contract, names)
  for (const [name, tree] of [...constants].sort(([a], [b]) => (a < b ? -1 : 1))) page.print('', `export const ${name}: ${page.useType(from, type)} = ${printer.print(tree)}`)
  return [page]
}

const trees = new WeakMap<Contract, JsonTrees>()

/** The trees of a contract: the same for all its pages, which have to agree on the names of constants. */
function treesOf(contract: Contract): JsonTrees {
  const made = trees.get(contract) ?? new JsonTrees(contract)
  trees.set(contract, made)
  return made
}

const textsOf = new WeakMap<Names, TypeTexts>()

function typeTexts(contract: Contract, names: Names): TypeTexts {
  let texts = textsOf.get(names)
  if (texts?.contract !== contract) textsOf.set(names, (texts = new TypeTexts(contract, names, httpEmitter.open)))
  return texts
}

/** How an operation is declared whose answer is a sequence, bytes, one of several media types, or has headers to tell. */
function declare({ names, operation, page, inputType, outcomeType }: DeclarationContext): Declaration {
  const { outcome } = operation
  const [call] = operationExports(names.operations[pathOf(operation)] ?? '')
  const pascal = call.charAt(0).toUpperCase() + call.slice(1)
  const allOptional = operation.inputs.every((each) => each.optional)
  const usual = allOptional ? ' = {}' : ''
  const extras: string[] = []
  const headers = outcome.kind === 'record' ? undefined : outcome.headers
  if (headers !== undefined) extras.push(`readonly onHeaders?: (headers: ${page.useType(`operations/${call}`, `${pascal}Headers`)}) => void`)
  const isBytes = outcome.kind === 'value' && outcome.field.type.kind === 'scalar' && outcome.field.type.base === 'bytes'
  if (isBytes) extras.push('readonly asStream?: AsStream')
  const thisCall = `${page.useType('runtime/connection', 'ThisCall')}${extras.length === 0 ? '' : ` & { ${extras.join('; ')} }`}`
  const several = operation.inputs.some((input) => isChoice(input) && input.name === 'accept')
  if (outcome.kind === 'value' && outcome.stream === true) {
    const item = outcomeType.replace(/\[\]$/, '').replace(/^\((.*)\)$/, '$1')
    return { signature: { typeParameters: '', input: `input: ${inputType}${usual}`, returns: `AsyncIterable<${item}>`, thisCall } }
  }
  if (isBytes) return { signature: { typeParameters: '<AsStream extends boolean = false>', input: `input: ${inputType}${usual}`, returns: `Promise<AsStream extends true ? ReadableStream<Uint8Array> : ${outcomeType}>`, thisCall } }
  if (several) {
    const outcomes = page.useType(`operations/${call}`, `${pascal}Outcomes`)
    const preferred = Object.values(operationLayout(operation).answers)[0]?.[0]?.mediaType ?? ''
    return { signature: { typeParameters: `<Accept extends keyof ${outcomes} = ${quoted(preferred)}>`, input: `input: ${inputType} & { accept?: Accept }${usual}`, returns: `Promise<${outcomes}[Accept]>`, thisCall } }
  }
  return headers === undefined ? {} : { signature: { typeParameters: '', input: `input: ${inputType}${usual}`, returns: `Promise<${outcomeType}>`, thisCall } }
}

function printOperation(context: OperationContext): void {
  const { contract, names, operation, page } = context
  const { outcome } = operation
  const texts = typeTexts(contract, names)
  const [call] = operationExports(names.operations[pathOf(operation)] ?? '')
  const pascal = call.charAt(0).toUpperCase() + call.slice(1)
  if (outcome.kind !== 'record' && outcome.headers !== undefined) {
    page.declare(`${pascal}Headers`)
    page.print('', ...docComment([`The headers that the answer to ${call} is promised to have.`]), `export interface ${pascal}Headers {`, ...outcome.headers.flatMap((field) => texts.propertyLines(field, page)), '}')
  }
  if (outcome.kind === 'value' && outcome.field.type.kind === 'union' && operation.inputs.some((input) => isChoice(input) && input.name === 'accept')) {
    const { alternatives } = outcome.field.type
    page.declare(`${pascal}Outcomes`)
    const contents = Object.values(operationLayout(operation).answers)[0] ?? []
    const rows = contents.map((content) => `  ${propertyName(content.mediaType)}: ${texts.of(alternatives[content.at] ?? outcome.field.type, page)}`)
    page.print('', ...docComment([`What ${call} answers, by what is asked for.`]), `export interface ${pascal}Outcomes {`, ...rows, '}')
  }
  const remarks = [
    ...(operation.leadsTo ?? []).map((each) => `Leads to ${each}`),
    ...(operation.faults.length === 0 ? [] : [`@throws ServiceFault, with the status ${operation.faults.map((each) => `\`${each.name}\``).join(' or ')} among others`]),
  ]
  const isStream = outcome.kind === 'value' && outcome.stream === true
  printFunction(context, isStream ? page.use('runtime/http/streams', 'stream') : page.use(httpModule, 'send'), remarks)
  printFaults(context, operation.faults.filter((each) => each.type.kind === 'reference'))
  const tree: CodecTree = { name: pathOf(operation), ...treesOf(contract).operation(operation) }
  const text = new TreePrinter(page, contract, names, new Map(), codecModule).print(tree)
  const parse = needsExactJson(contract) ? `,\n  parse: ${page.use('runtime/json/exact-json', 'exactJson')},\n}` : undefined
  page.print('', `const operation: ${page.useType(httpModule, 'HttpOperation')} = ${parse === undefined ? text : text.replace(/,\n\}$/, parse)}`)
}

/** What is worth knowing of this client, with its own operations as examples. */
function readme(contract: Contract, variable: string): string[] {
  const operations = operationsOf(contract)
  const at = (operation: Operation): string => `${variable}.${operation.path.join('.')}`
  const find = (wanted: (operation: Operation) => boolean): Operation | undefined => operations.find(wanted)
  const streaming = find(({ outcome }) => outcome.kind === 'value' && outcome.stream === true)
  const bytes = find(({ outcome }) => outcome.kind === 'value' && outcome.field.type.kind === 'scalar' && outcome.field.type.base === 'bytes')
  const headed = find(({ outcome }) => outcome.kind !== 'record' && outcome.headers !== undefined)
  const several = find((operation) => operation.inputs.some((input) => isChoice(input) && input.name === 'accept'))
  const section = (title: string, text: string, code?: string): string[] => [`## ${title}`, '', text, '', ...(code === undefined ? [] : ['```ts', code, '```', ''])]
  const incoming = [...(contract.incoming ?? []), ...operations.flatMap((operation) => operation.incoming ?? [])]
  return [
    ...(streaming === undefined ? [] : section('Sequences', 'What the service sends piece by piece is read as it comes; leaving the loop ends the call.', `for await (const each of ${at(streaming)}(input)) console.log(each)`)),
    ...(bytes === undefined ? [] : section('Bytes', 'Bytes come whole, or as a stream:', `const stream = await ${at(bytes)}(input, { asStream: true })`)),
    ...(several === undefined ? [] : section('Several media types', 'What comes depends on what is asked for, in type too:', `const answer = await ${at(several)}({ ...input, accept: ${quoted(Object.values(operationLayout(several).answers)[0]?.[1]?.mediaType ?? '')} })`)),
    ...(headed === undefined ? [] : section('Headers of answers', 'Headers that the metadata promises are handed over decoded:', `await ${at(headed)}(input, { onHeaders: (headers) => console.log(headers) })`)),
    ...(contract.security.length === 0 ? [] : section('Who calls', `The service knows ${contract.security.map((scheme) => `\`${scheme.name}\` (${scheme.scheme})`).join(', ')}. Give one credential, or a list of them with the name of the scheme each is for: \`credential: [{ kind: 'key', value, scheme: ${quoted(contract.security[0]?.name ?? '')} }]\`.`)),
    ...(incoming.length === 0 ? [] : section('What the service sends', `Messages that your own server may get: ${[...new Set(incoming.map((each) => `\`${each.name}\``))].join(', ')}. Their types are in types.ts.`)),
  ]
}
