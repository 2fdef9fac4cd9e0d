import type { Contract, Field, InputField, Operation, Outcome } from '../../contract/contract.js'
import { byName } from '../../contract/ordering.js'
import { endpointFirst, endpointsOf, operationsOf, pathOf } from '../../contract/queries.js'
import type { Names } from '../../naming/names.js'
import { moduleOfOperation } from '../../naming/operation-files.js'
import {
  codeInMarkdown,
  docComment,
  fenced,
  identifier,
  indented,
  inMarkdown,
  memberAccess,
  propertyName,
  quoted,
} from '../../printing/escaping.js'
import { Page } from '../../printing/page.js'
import { code, joined, markdown, type Code, type Markdown } from '../../printing/safe-text.js'
import { exportedNames } from '../../typescript/exported-names.js'
import { printFaults, printFunction, thrownRemarks } from '../../typescript/operation-function.js'
import { typeTextsOf } from '../../typescript/types.js'
import { codecModule, codecPages } from '../codec-pages.js'
import { Builtin, TreePrinter, type CodecTree } from '../codec-tree.js'
import { commonRuntime } from '../common-runtime.js'
import type {
  Declaration,
  DeclarationContext,
  Emitter,
  OpenTypes,
  OperationContext,
} from '../dialect.js'
import { runtimeNeeds } from './client-needs.js'
import { answersExactly } from './exact-numbers.js'
import { isChoice, JsonTrees, valueNames } from './json-trees.js'
import {
  endpointSpecifics,
  operationSpecifics,
  typeOfAnswer,
  type BodySpecifics,
} from './specifics.js'

const httpModule = 'runtime/http/http'
const listingModule = 'runtime/listing'
const pagesModule = 'runtime/http/pages'
const codecsOfJson = 'runtime/http/json-codec'

/** A record that is open has members of any name. */
const openMembers: OpenTypes = {
  fragment: () => code`unknown`,
  recordLines: (_, __, indent = '  ') =>
    indented(
      [code`/** Members that the contract does not name. */`, code`[name: string]: unknown`],
      indent,
    ),
}

/** What an HTTP client has besides the parts that all clients share. */
export const httpEmitter: Emitter = {
  open: openMembers,
  reexports: (contract) =>
    hasPages(contract)
      ? [
          [listingModule, code`type { Listing, ListingPage }`],
          [pagesModule, code`type { AnswerPage }`],
        ]
      : [],
  reservedNames: (contract) => [
    ...valueNames,
    'send',
    'sendFor',
    'sendForBytes',
    'stream',
    'exactJson',
    'prove',
    'renew',
    'readHeaders',
    'many',
    'form',
    'multipart',
    'lines',
    'xml',
    'tokenSource',
    'Accept',
    'AsStream',
    ...(hasPages(contract) ? ['list', 'Listing', 'ListingPage', 'AnswerPage'] : []),
  ],
  runtimeFiles: (contract) => [
    ...commonRuntime,
    'http/http.ts',
    'http/headers.ts',
    'http/json.ts',
    'http/as-promised.ts',
    'http/json-codec.ts',
    'http/parameters.ts',
    'http/security.ts',
    'json/as-it-came.ts',
    'json/parse-json.ts',
    'json/values.ts',
    ...runtimeNeeds(contract).files,
  ],
  dependencies: (contract) => runtimeNeeds(contract).packages,
  pages: (contract, names) => {
    const trees = treesOf(contract)
    const codecs = codecsPages(contract, names, trees)
    // Constants for XML come to light while the operations are gone through.
    for (const operation of operationsOf(contract))
      if (hasXml(operation)) trees.operation(operation)
    return [
      ...codecs,
      ...constantsPage(
        'rules',
        code`Rules that refer to themselves or to each other.`,
        trees.rules(),
        ['runtime/json/rules', 'LiveRule'],
        contract,
        names,
      ),
      ...constantsPage(
        'xml-shapes',
        code`How types stand in XML.`,
        trees.xmlShapes(),
        ['runtime/http/xml', 'XmlShape'],
        contract,
        names,
      ),
      ...constantsPage(
        'security',
        code`Who may call: the security schemes of the metadata.`,
        trees.schemes(),
        ['runtime/http/security', 'Scheme'],
        contract,
        names,
      ),
    ]
  },
  declaration: declare,
  operation: printOperation,
  readme,
  endpoints(contract, page, preferred) {
    const endpoint = page.useType('runtime/connection', 'Endpoint')
    page.print(
      code`/** The servers that the metadata names, the preferred one first. */`,
      code`export const endpoints: Readonly<Record<string, ${endpoint}>> = {`,
    )
    for (const each of endpointFirst(endpointsOf(contract), preferred)) {
      const specifics = endpointSpecifics(each)
      const variables = Object.entries(specifics?.variables ?? {})
      const choices = variables
        .filter(([, variable]) => variable.values !== undefined)
        .map(
          ([name, variable]) =>
            `\`${name}\`: ${(variable.values ?? []).map((value) => `\`${value}\``).join(', ')}.`,
        )
      const further =
        variables.length === 0
          ? code``
          : code`, variables: { ${joined(
              variables.map(
                ([name, variable]) => code`${propertyName(name)}: ${quoted(variable.default)}`,
              ),
              ', ',
            )} }`
      page.print(
        ...docComment([each.documentation, ...choices], '  '),
        code`  ${propertyName(each.name)}: { address: ${quoted(specifics?.template ?? each.address)}, protocol: ${quoted(each.protocol)}${further} },`,
      )
    }
    page.print(code`}`)
  },
}

function hasPages(contract: Contract): boolean {
  return operationsOf(contract).some(
    (operation) => operationSpecifics(operation).pages !== undefined,
  )
}

function hasXml(operation: Operation): boolean {
  const body = operation.inputs.find((input) => input.place === 'body')?.specifics as
    BodySpecifics | undefined
  const contents = [
    ...(body?.contents ?? []),
    ...Object.values(operationSpecifics(operation).answers).flat(),
    ...operation.faults.map(
      (fault) => (fault.specifics as { content?: { kind: string } } | undefined)?.content,
    ),
  ]
  return contents.some((content) => content?.kind === 'xml')
}

function codecsPages(contract: Contract, names: Names, trees: JsonTrees): Page[] {
  return codecPages(contract, names).map(({ module, types }) => {
    const page = new Page(module)
    for (const { id } of types) page.declare(names.codecs[id] ?? '')
    page.print(
      code`// How each type stands in JSON: plain data that serves to write, to read and to check.`,
    )
    const printer = new TreePrinter(page, contract, names, new Map(), codecModule)
    const texts = typeTextsOf(contract, names, openMembers)
    for (const type of types) {
      const text = printer.print(trees.ofNamed(type))
      // A type that is just another one refers to it when it is used, whichever of the two comes
      // first.
      page.print(
        code``,
        code`export const ${identifier(names.codecs[type.id] ?? '')}: ${page.useType(codecsOfJson, 'JsonCodec')}<${texts.of({ kind: 'reference', to: type.id }, page)}> = ${type.kind === 'reference' ? code`{ oneOf: [${text}] }` : text}`,
      )
    }
    return page
  })
}

function constantsPage(
  module: string,
  meaning: Code,
  constants: readonly (readonly [name: string, tree: CodecTree])[],
  [from, type]: readonly [string, string],
  contract: Contract,
  names: Names,
): Page[] {
  if (constants.length === 0) return []
  const page = new Page(module)
  for (const [name] of constants) page.declare(name)
  page.print(code`// ${meaning}`)
  const printer = new TreePrinter(page, contract, names)
  for (const [name, tree] of byName(constants))
    page.print(
      code``,
      code`export const ${identifier(name)}: ${page.useType(from, type)} = ${printer.print(tree)}`,
    )
  return [page]
}

const trees = new WeakMap<Contract, JsonTrees>()

/**
 * The trees of a contract: the same for all its pages, which have to agree on the names of
 * constants.
 */
function treesOf(contract: Contract): JsonTrees {
  const made = trees.get(contract) ?? new JsonTrees(contract)
  trees.set(contract, made)
  return made
}

/**
 * How an operation is declared whose answer is a sequence, bytes, one of several media types, or
 * has headers to tell.
 */
function declare(context: DeclarationContext): Declaration {
  const { contract, names, operation, page, inputType, outcomeType } = context
  const { outcome } = operation
  const [, , , , , headersType, outcomesType] = exportedNames(names, operation)
  const module = moduleOfOperation(contract, names, operation)
  const isListed = outcome.kind === 'value' && outcome.iterable === true
  const headers = outcome.kind === 'record' ? undefined : outcome.headers
  const extras: Code[] = []
  if (headers !== undefined)
    extras.push(code`readonly onHeaders?: (headers: ${page.useType(module, headersType)}) => void`)
  if (isBytes(outcome) && !isListed) extras.push(code`readonly asStream?: AsStream`)
  const usual = operation.inputs.every((each) => each.optional) ? code` = {}` : code``
  const plain = {
    typeParameters: code``,
    input: code`input: ${inputType}${usual}`,
    thisCall: thisCallText(page, extras),
  }
  if (isListed) {
    const returns = listingText(contract, names, operation, outcome.field, page)
    return { signature: { ...plain, returns } }
  }
  if (outcome.kind === 'value' && outcome.stream === true) {
    const texts = typeTextsOf(contract, names, openMembers)
    const returns = code`AsyncIterable<${texts.itemOf(outcome.field.type, page)}>`
    return { signature: { ...plain, returns } }
  }
  if (isBytes(outcome))
    return {
      signature: {
        ...plain,
        typeParameters: code`<AsStream extends boolean = false>`,
        returns: code`Promise<AsStream extends true ? ReadableStream<Uint8Array> : ${outcomeType}>`,
      },
    }
  if (isByMediaType(operation)) {
    const outcomes = page.useType(module, outcomesType)
    const preferred =
      Object.values(operationSpecifics(operation).answers)[0]?.[0]?.mediaType ?? code``
    return {
      signature: {
        ...plain,
        typeParameters: code`<Accept extends keyof ${outcomes} = ${quoted(preferred)}>`,
        input: code`input: ${inputType} & { accept?: Accept }${usual}`,
        returns: code`Promise<${outcomes}[Accept]>`,
      },
    }
  }
  if (headers === undefined) return {}
  return { signature: { ...plain, returns: code`Promise<${outcomeType}>` } }
}

function thisCallText(page: Page, extras: readonly Code[]): Code {
  const thisCall = page.useType('runtime/connection', 'ThisCall')
  return extras.length === 0 ? thisCall : code`${thisCall} & { ${joined(extras, '; ')} }`
}

/** What a list in pages is: its rows, and pages that have the rest of each answer. */
function listingText(
  contract: Contract,
  names: Names,
  operation: Operation,
  field: Field,
  page: Page,
): Code {
  const texts = typeTextsOf(contract, names, openMembers)
  const listing = page.useType(listingModule, 'Listing')
  const row = texts.itemOf(field.type, page)
  if (operationSpecifics(operation).pages?.rows.length === 0) return code`${listing}<${row}>`
  const answer = texts.of(typeOfAnswer(operation, field), page)
  return code`${listing}<${row}, ${page.useType(pagesModule, 'AnswerPage')}<${row}, ${answer}>>`
}

function printOperation(context: OperationContext): void {
  const { contract, names, operation, page, constant } = context
  const { outcome } = operation
  const texts = typeTextsOf(contract, names, openMembers)
  const [call, , , , , headersType, outcomesType] = exportedNames(names, operation)
  if (outcome.kind !== 'record' && outcome.headers !== undefined) {
    page.declare(headersType)
    page.print(
      code``,
      ...docComment([`The headers that the answer to ${call} is promised to have.`]),
      code`export interface ${headersType} {`,
      ...outcome.headers.flatMap((field) => texts.propertyLines(field, page)),
      code`}`,
    )
  }
  if (outcome.kind === 'value' && outcome.field.type.kind === 'union' && isByMediaType(operation)) {
    const { alternatives } = outcome.field.type
    page.declare(outcomesType)
    const contents = Object.values(operationSpecifics(operation).answers)[0] ?? []
    const rows = contents.map(
      (content) =>
        code`  ${propertyName(content.mediaType)}: ${texts.of(alternatives[content.at] ?? outcome.field.type, page)}`,
    )
    page.print(
      code``,
      ...docComment([`What ${call} answers, by what is asked for.`]),
      code`export interface ${outcomesType} {`,
      ...rows,
      code`}`,
    )
  }
  const told = operation.faults.filter((each) => each.type.kind === 'reference')
  const remarks = [
    ...(operation.leadsTo ?? []).map((each) => `Leads to ${each}`),
    ...thrownRemarks(context, told),
  ]
  printFunction(context, worker(operation, page), remarks)
  printFaults(context, told)
  const parse = answersExactly(contract, operation)
    ? { parse: new Builtin('runtime/json/exact-json', 'exactJson') }
    : {}
  const tree: CodecTree = {
    name: pathOf(operation),
    ...treesOf(contract).operation(operation),
    ...parse,
  }
  const text = new TreePrinter(page, contract, names, new Map(), codecModule).print(tree)
  page.print(code``, code`const ${constant}: ${operationType(context)} = ${text}`)
}

/** The type of the constant that says how an operation stands on the wire. */
function operationType(context: OperationContext): Code {
  const { contract, names, operation, page, inputType, outcomeType } = context
  const { outcome } = operation
  const texts = typeTextsOf(contract, names, openMembers)
  const isParameter = (input: InputField): boolean => input.place !== 'body' && !isChoice(input)
  // What is usually no parameter may be one here.
  const others = operation.inputs.some((each) => isNoParameter.has(each.name) && isParameter(each))
    ? code`, ${
        joined(
          operation.inputs.filter((each) => !isParameter(each)).map(({ name }) => quoted(name)),
          ' | ',
        ) || code`never`
      }`
    : code``
  const typed = (name: string, module: string, answer: Code): Code =>
    code`${page.useType(module, name)}<${inputType}, ${answer}${others}>`
  if (outcome.kind !== 'value') return typed('HttpOperation', httpModule, outcomeType)
  if (outcome.stream === true)
    return typed('HttpOperation', httpModule, texts.itemOf(outcome.field.type, page))
  if (operationSpecifics(operation).pages !== undefined)
    return typed(
      'PagedOperation',
      pagesModule,
      texts.of(typeOfAnswer(operation, outcome.field), page),
    )
  return typed('HttpOperation', httpModule, outcomeType)
}

/** What of an input is no parameter, unless one is called so. */
const isNoParameter: ReadonlySet<string> = new Set(['body', 'contentType', 'accept'])

/** What does the work of an operation. */
function worker(operation: Operation, page: Page): Code {
  const { outcome } = operation
  if (outcome.kind === 'value' && outcome.stream === true)
    return page.use('runtime/http/streams', 'stream')
  if (operationSpecifics(operation).pages !== undefined) return page.use(pagesModule, 'list')
  if (isBytes(outcome)) return page.use(httpModule, 'sendForBytes')
  return page.use(httpModule, isByMediaType(operation) ? 'sendFor' : 'send')
}

function isBytes(outcome: Outcome): boolean {
  if (outcome.kind !== 'value') return false
  const { type } = outcome.field
  return type.kind === 'scalar' && type.base === 'bytes'
}

/** Is it the caller who chooses the media type of the answer? */
function isByMediaType(operation: Operation): boolean {
  return operation.inputs.some((input) => isChoice(input) && input.name === 'accept')
}

/** What is worth knowing of this client, with its own operations as examples. */
function readme(contract: Contract, variable: Code): Markdown[] {
  const operations = operationsOf(contract)
  const at = ({ path }: Operation): Code => joined([variable, ...path.map(memberAccess)], '')
  const withExample = (
    isFit: (operation: Operation) => boolean,
    title: Markdown,
    text: Markdown,
    example: (operation: Operation) => Code,
  ): Markdown[] => {
    const found = operations.find(isFit)
    return found === undefined ? [] : section(title, text, example(found))
  }
  return [
    ...withExample(
      isSequence,
      markdown`Sequences`,
      markdown`What the service sends piece by piece is read as it comes; leaving the loop ends the call.`,
      (each) => code`for await (const each of ${at(each)}(input)) console.log(each)`,
    ),
    ...withExample(
      isListedFreely,
      markdown`Lists in pages`,
      markdown`Rows are fetched as they are looked at, page after page; ${codeInMarkdown('page()')} gives one page, ${codeInMarkdown('all()')} all rows at once.`,
      (each) => code`for await (const each of ${at(each)}()) console.log(each)`,
    ),
    ...withExample(
      ({ outcome }) => isBytes(outcome),
      markdown`Bytes`,
      markdown`Bytes come whole, or as a stream:`,
      (each) => code`const stream = await ${at(each)}(input, { asStream: true })`,
    ),
    ...withExample(
      isByMediaType,
      markdown`Several media types`,
      markdown`What comes depends on what is asked for, in type too:`,
      (each) =>
        code`const answer = await ${at(each)}({ ...input, accept: ${quoted(secondMediaType(each))} })`,
    ),
    ...withExample(
      ({ outcome }) => outcome.kind !== 'record' && outcome.headers !== undefined,
      markdown`Headers of answers`,
      markdown`Headers that the metadata promises are handed over decoded:`,
      (each) => code`await ${at(each)}(input, { onHeaders: (headers) => console.log(headers) })`,
    ),
    ...credentialsSection(contract),
    ...incomingSection(contract),
  ]
}

function section(title: Markdown, text: Markdown, example?: Code): Markdown[] {
  const shown = example === undefined ? [] : [...fenced([example]), markdown``]
  return [markdown`## ${title}`, markdown``, text, markdown``, ...shown]
}

function isSequence({ outcome }: Operation): boolean {
  return outcome.kind === 'value' && outcome.stream === true
}

/** Can a list be had in pages without saying anything? */
function isListedFreely(operation: Operation): boolean {
  const { pages } = operationSpecifics(operation)
  return pages !== undefined && operation.inputs.every((input) => input.optional)
}

function secondMediaType(operation: Operation): string {
  return Object.values(operationSpecifics(operation).answers)[0]?.[1]?.mediaType ?? ''
}

function credentialsSection({ security }: Contract): Markdown[] {
  const [first] = security
  if (first === undefined) return []
  const schemes = security.map(
    (each) => markdown`${codeInMarkdown(each.name)} (${inMarkdown(each.scheme)})`,
  )
  const example = `credential: [{ kind: 'key', value, scheme: ${quoted(first.name)} }]`
  return section(
    markdown`Who calls`,
    markdown`The service knows ${joined(schemes, ', ')}. Give one credential, or a list of them with the name of the scheme each is for: ${codeInMarkdown(example)}.`,
  )
}

function incomingSection(contract: Contract): Markdown[] {
  const called = operationsOf(contract).flatMap(({ incoming = [] }) => incoming)
  const messages = [...(contract.incoming ?? []), ...called].map(({ name }) => codeInMarkdown(name))
  if (messages.length === 0) return []
  return section(
    markdown`What the service sends`,
    markdown`Messages that your own server may get: ${joined([...new Set(messages)], ', ')}. Their types are exported with the others.`,
  )
}
