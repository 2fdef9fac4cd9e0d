import { groupOf } from '../contract/choice.js'
import type { Contract, Operation } from '../contract/contract.js'
import { textDigest } from '../contract/digest.js'
import { addTo } from '../contract/lists.js'
import { compareTexts } from '../contract/ordering.js'
import { keyInputsOf, neededOf, operationsOf, pathOf } from '../contract/queries.js'
import type { Dialect } from '../dialects/dialect.js'
import { groupName } from '../naming/methods.js'
import type { Names } from '../naming/names.js'
import { groupClassName, groupFileName, moduleOfOperation } from '../naming/operation-files.js'
import {
  docComment,
  fenced,
  identifier,
  memberAccess,
  propertyName,
  quoted,
} from '../printing/escaping.js'
import { Page, type ImportSuffix, type PrintOptions } from '../printing/page.js'
import { code, joined, type Code } from '../printing/safe-text.js'
import { exportedNames } from './exported-names.js'
import { firstLines, type InputMaker } from './first-lines.js'
import { loginsMade, loginsPage, loginsText } from './logins.js'
import { moduleOutside, type Packaged } from './module-names.js'
import { methodHead, operationPages } from './operation-page.js'
import { readmeText } from './readme.js'
import { settingsTemplate } from './settings-template.js'
import { typesReadme } from './types-only.js'
import { TypeTexts, typesPages } from './types.js'
import { fittingVariables, variableNames, variablePrefix } from './variables.js'

/** A generated file: its path below the client's folder, with `/`, and its text. */
export interface GeneratedFile {
  readonly path: string
  readonly text: string
}

export interface ClientOptions extends PrintOptions {
  /** The name of the contract; the variables of its settings start with it. */
  readonly contractName: string
  /** The sources of src/runtime, by their path below it. */
  readonly runtime: Readonly<Record<string, string>>
  /**
   * Digests of the snapshot's documents, by label: the manifest says what the client was made of.
   */
  readonly sources: Readonly<Record<string, string>>
  /** Digest of everything the client depends on: documents, names, choices. */
  readonly inputs: string
  /** Kinds of credentials that the project has for it. */
  readonly credentials?: readonly string[] | undefined
  /** The endpoint that calls go to where the settings name none. */
  readonly endpoint?: string | undefined
  /** Makes inputs for the first lines to write. */
  readonly sample: InputMaker
  /** It is part of a package, for people who have neither the tool nor its metadata. */
  readonly packaged?: Packaged | undefined
}

const header =
  "// Tolmach made this from the service's metadata. It notices an edit here, and then writes nothing: your own code belongs outside this folder.\n"

/**
 * Writes a client as texts; touches no disk. The same contract, names and options give the same
 * bytes.
 *
 * @returns the files, sorted by path, manifest.json among them
 */
export function clientFiles(
  whole: Contract,
  names: Names,
  dialect: Dialect,
  options: ClientOptions,
): GeneratedFile[] {
  const contract = neededOf(whole)
  const texts = new TypeTexts(contract, names, dialect.emit.open)
  const operations = [...operationsOf(contract)].sort((a, b) => compareTexts(pathOf(a), pathOf(b)))
  if (operations.length === 0) return typesAlone(contract, names, texts, dialect, options)
  const pages = operationPages(operations, texts, dialect)
  const further = dialect.emit.pages(contract, names)
  const [client, ...groups] = clientPages(contract, names, operations, texts, dialect, options)
  const settings = settingsPage(contract, names, dialect, options)
  const { page: types, parts } = typesPages(texts, Object.keys(contract.types), [
    ...pages,
    ...further,
  ])
  const index = indexPage(contract, names, operations, [client, ...groups, types], dialect, options)
  const some = types.isEmpty() ? [] : [types, ...parts]
  const logins = loginsPage(dialect)
  const all = [client, ...groups, settings, logins, ...some, index, ...pages, ...further]
  const files: GeneratedFile[] = [
    ...all.map((page) => ({ path: `${page.module}.ts`, text: header + '\n' + page.text(options) })),
    ...(options.runtimeFolder === undefined
      ? runtimeNeeded(contract, dialect).map((path) => {
          const { text } = runtimeFile(path, options.runtime, options.importSuffix)
          return { path: `runtime/${path}`, text }
        })
      : []),
    { path: 'settings.example.env', text: settingsTemplate(contract, names, dialect, options) },
    { path: 'README.md', text: readmeText(contract, names, operations, dialect, options) },
  ]
  files.sort((a, b) => compareTexts(a.path, b.path))
  return [
    ...files,
    {
      path: 'manifest.json',
      text: manifestText(contract, names, dialect, files, options),
    },
  ]
}

/**
 * The files of src/runtime that a client needs, as paths below it; none where nothing is called.
 */
function runtimeNeeded(contract: Contract, dialect: Dialect): string[] {
  const isCalled = operationsOf(contract).length > 0
  const keyFiles = keyInputsOf(contract).length === 0 ? [] : [code`key-inputs.ts`]
  return isCalled ? [...dialect.emit.runtimeFiles(contract), ...nodeFiles, ...keyFiles].sort() : []
}

/** A file of src/runtime as clients have it. @param path below src/runtime */
export function runtimeFile(
  path: string,
  sources: Readonly<Record<string, string>>,
  suffix: ImportSuffix,
): GeneratedFile {
  return { path, text: `${header}\n${withSuffix(sources[path] ?? missing(path), suffix)}` }
}

/** The files where there is nothing to call: the types of what the service sends. */
function typesAlone(
  contract: Contract,
  names: Names,
  texts: TypeTexts,
  dialect: Dialect,
  options: ClientOptions,
): GeneratedFile[] {
  const { page, parts } = typesPages(texts, Object.keys(contract.types), [])
  const index = new Page('index')
  const first = firstLines(contract, names, [], options.sample, moduleOutside('index', options))
  printFirstLines(index, first)
  if (!page.isEmpty()) index.reexport('types')
  const files: GeneratedFile[] = [
    ...[index, page, ...parts]
      .filter((each) => !each.isEmpty())
      .map((each) => ({ path: `${each.module}.ts`, text: header + '\n' + each.text(options) })),
    { path: 'README.md', text: typesReadme(contract, names, options, first) },
  ]
  files.sort((a, b) => compareTexts(a.path, b.path))
  const text = manifestText(contract, names, dialect, files, options)
  return [...files, { path: 'manifest.json', text }]
}

/** Of src/runtime, what plain `fetch` can't do: nothing of a client imports it. */
const nodeFiles = [
  code`node/authorization-code.ts`,
  code`node/cookies.ts`,
  code`node/ntlm.ts`,
  code`node/platform.ts`,
  code`node/proxy.ts`,
  code`node/response.ts`,
  code`node/transport.ts`,
]

/** A file's imports with another ending than `.js`. */
function withSuffix(source: string, suffix: string): string {
  return source.replace(
    /((?: from |\bimport\(|\bdeclare module )'\.{1,2}\/[^']*)\.js'/g,
    `$1${suffix}'`,
  )
}

function missing(path: string): never {
  throw new Error(`the runtime has no file ${path}`)
}

function manifestText(
  contract: Contract,
  names: Names,
  dialect: Dialect,
  files: readonly GeneratedFile[],
  options: ClientOptions,
): string {
  const shared = runtimeNeeded(contract, dialect)
  const manifest = {
    writtenBy: 'tolmach',
    contract: options.contractName,
    dialect: contract.dialect,
    class: names.class,
    inputs: options.inputs,
    dependencies: shared.length === 0 ? {} : dialect.emit.dependencies(contract),
    ...(options.runtimeFolder === undefined || shared.length === 0
      ? {}
      : { runtime: { folder: options.runtimeFolder, files: shared } }),
    sources: options.sources,
    files: Object.fromEntries(files.map((file) => [file.path, textDigest(file.text)])),
  }
  return `${JSON.stringify(manifest, null, 2)}\n`
}

/** The operations by group; `''` are those without. */
function groupsOf(operations: readonly Operation[]): Map<string, Operation[]> {
  const groups = new Map<string, Operation[]>()
  for (const operation of operations) {
    const group = groupOf(operation) ?? code``
    addTo(groups, group, operation)
  }
  return groups
}

/** Of so many operations each group has a file of its own. */
const mostInOneFile = 300

/** client.ts with the class; in large clients the classes of its groups have files of their own. */
function clientPages(
  contract: Contract,
  names: Names,
  operations: readonly Operation[],
  texts: TypeTexts,
  dialect: Dialect,
  options: ClientOptions,
): [client: Page, ...groups: Page[]] {
  const page = new Page('client')
  const name = page.declare(names.class)
  const groups = groupsOf(operations)
  const moduleOf = (group: string): string =>
    operations.length <= mostInOneFile ? page.module : `groups/${groupFileName(names, group)}`
  const members = [...groups.keys()]
    .filter((group) => group !== '')
    .map((group): GroupMember => ({
      group,
      name: groupName(group),
      className: groupClassName(names, group),
      module: moduleOf(group),
    }))
  page.print(
    ...docComment([contract.documentation ?? `The service ${contract.title}.`]),
    code`export class ${name} {`,
    ...constructorLines(page, members),
    code``,
    ...fromVariablesLines(contract, page, name, dialect, options),
  )
  // One by one: a call can take only so many arguments.
  for (const operation of groups.get('') ?? [])
    page.print(...method(operation, texts, page, dialect))
  page.print(code``, ...closeLines(page), code`}`)
  const pages = new Map([[page.module, page]])
  for (const { group, className, module } of members) {
    const own = pages.get(module) ?? new Page(module)
    pages.set(module, own)
    printGroup(own, identifier(className), group, groups.get(group) ?? [], texts, dialect)
  }
  const [, ...groupPages] = pages.values()
  return [page, ...groupPages]
}

/** A member of the class that has the operations of a group. */
interface GroupMember {
  readonly group: string
  readonly name: string
  readonly className: string
  readonly module: string
}

/** The members of the class, and what makes them. */
function constructorLines(page: Page, members: readonly GroupMember[]): Code[] {
  const settings = page.useType('runtime/connection', 'Settings')
  const classOf = ({ module, className }: GroupMember): Code => page.use(module, className)
  return [
    code`  readonly connection: ${page.useType('runtime/connection', 'Connection')}`,
    ...members.map((each) => code`  readonly ${propertyName(each.name)}: ${classOf(each)}`),
    code``,
    code`  constructor(settings: ${settings} = {}) {`,
    code`    this.connection = ${page.use('settings', 'connect')}(settings)`,
    ...members.map(
      (each) => code`    this${memberAccess(each.name)} = new ${classOf(each)}(this.connection)`,
    ),
    code`  }`,
  ]
}

function fromVariablesLines(
  contract: Contract,
  page: Page,
  name: Code,
  dialect: Dialect,
  { contractName, credentials }: ClientOptions,
): Code[] {
  const settings = page.useType('runtime/connection', 'Settings')
  const settingsFrom = page.use('settings', 'settingsFrom')
  const documentation = [
    `Settings from ${variableNames(contract, dialect, contractName, credentials)}.`,
    'Those in `others` come on top.',
  ]
  return [
    ...docComment(documentation, '  '),
    code`  static fromVariables(variables: Readonly<Record<string, string | undefined>>, others: ${settings} = {}): ${name} {`,
    code`    return new ${name}({ ...${settingsFrom}(variables), ...others })`,
    code`  }`,
  ]
}

function closeLines(page: Page): Code[] {
  return [
    code`  /** Ends the calls that are under way; later ones are refused. */`,
    code`  close(): Promise<void> {`,
    code`    return ${page.use('runtime/connection', 'close')}(this.connection)`,
    code`  }`,
    code``,
    code`  [Symbol.asyncDispose](): Promise<void> {`,
    code`    return this.close()`,
    code`  }`,
  ]
}

/** The module that reads settings from variables. */
function settingsModule({ emit }: Dialect): string {
  return emit.settingsModule ?? 'runtime/settings'
}

function printGroup(
  page: Page,
  name: Code,
  group: string,
  members: readonly Operation[],
  texts: TypeTexts,
  dialect: Dialect,
): void {
  const connection = page.useType('runtime/connection', 'Connection')
  page.print(
    code``,
    ...docComment([`The operations of ${group}.`]),
    code`export class ${name} {`,
    code`  private readonly connection: ${connection}`,
    code``,
    code`  constructor(connection: ${connection}) {`,
    code`    this.connection = connection`,
    code`  }`,
  )
  for (const operation of members) page.print(...method(operation, texts, page, dialect))
  page.print(code`}`)
}

function method(operation: Operation, texts: TypeTexts, page: Page, dialect: Dialect): Code[] {
  const [call] = exportedNames(texts.names, operation)
  const module = moduleOfOperation(texts.contract, texts.names, operation)
  return [
    code``,
    ...docComment(
      [operation.documentation, operation.deprecated === true ? '@deprecated' : undefined],
      '  ',
    ),
    code`  ${methodHead(operation, texts, page, dialect)} {`,
    code`    return ${page.use(module, call)}(this.connection, input, thisCall)`,
    code`  }`,
  ]
}

function settingsPage(
  contract: Contract,
  names: Names,
  dialect: Dialect,
  options: ClientOptions,
): Page {
  const page = new Page('settings')
  for (const name of ['endpoints', 'connect', 'settings', 'settingsFrom']) page.declare(name)
  const settings = page.useType('runtime/connection', 'Settings')
  const connection = page.useType('runtime/connection', 'Connection')
  dialect.emit.endpoints(contract, page, options.endpoint)
  const logins = loginsText(page, loginsMade(contract, dialect, options.credentials ?? []))
  const prefix = variablePrefix(options.contractName)
  const fitting = fittingVariables(contract, dialect, options.credentials)
  const keys = keyInputsOf(contract)
  const opened =
    keys.length === 0
      ? code`settings`
      : code`...${page.use('runtime/key-inputs', 'withKeyInputs')}(settings, [${joined(keys.map(quoted), ', ')}])`
  page.print(
    code``,
    ...docComment([
      `Opens a connection to the service, for the operations that are used without the class ${names.class}.`,
      'Whatever differs from place to place belongs outside the code: `settingsFrom(process.env)` fills the settings from variables.',
    ]),
    code`export function connect(settings: ${settings} = {}): ${connection} {`,
    code`  return { ${opened}, endpoints, closed: new AbortController()${logins === undefined ? code`` : code`, logins: ${logins}`} }`,
    code`}`,
    code``,
    ...docComment([
      `Settings from variables of the environment: ${variableNames(contract, dialect, options.contractName, options.credentials)}. What can't be read, or does not fit the service, is told once.`,
    ]),
    code`export function settingsFrom(variables: Readonly<Record<string, string | undefined>>, prefix = ${quoted(prefix)}): ${settings} {`,
    code`  return ${page.use(settingsModule(dialect), 'settingsFrom')}(variables, prefix, [${joined(fitting.map(quoted), ', ')}])`,
    code`}`,
  )
  return page
}

function indexPage(
  contract: Contract,
  names: Names,
  operations: readonly Operation[],
  others: readonly Page[],
  dialect: Dialect,
  options: ClientOptions,
): Page {
  const page = new Page('index')
  const first = firstLines(
    contract,
    names,
    operations,
    options.sample,
    moduleOutside('index', options),
  )
  printFirstLines(page, first)
  const modules = [
    ...others.filter((each) => !each.isEmpty()).map(({ module }) => module),
    'settings',
    ...new Set(operations.map((operation) => moduleOfOperation(contract, names, operation))),
    'runtime/failures',
  ]
  for (const module of modules) page.reexport(module)
  page.reexport('runtime/connection', code`{ close }`)
  page.reexport('runtime/settings', code`{ settingsOf }`)
  page.reexport(
    'runtime/connection',
    code`type { Connection, Credential, Endpoint, Exchange, Login, Settings, ThisCall }`,
  )
  page.reexport('runtime/plain', code`{ toPlain, type Plain }`)
  for (const [module, clause] of dialect.emit.reexports(contract)) page.reexport(module, clause)
  return page
}

function printFirstLines(page: Page, lines: readonly Code[]): void {
  page.printHead(
    code`${joined(docComment([`The first lines to write:\n\n${joined(fenced(lines), '\n')}`]), '\n')}\n`,
  )
}
