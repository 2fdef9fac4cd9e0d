import type {
  Contract,
  Incoming,
  InputField,
  NamedType,
  Note,
  Operation,
  OperationGroup,
  SecurityScheme,
} from '../../contract/contract.js'
import { noNames, type KeptNames } from '../../contract/kept-names.js'
import { inNameOrder } from '../../contract/ordering.js'
import { filled, marked, present } from '../../contract/present.js'
import { Problem, problem, withPlace } from '../../contract/problem.js'
import {
  changedOperations,
  pathOf,
  typesOfIncoming,
  typesOfOperation,
} from '../../contract/queries.js'
import type { DataNode } from '../../documents/data-node.js'
import type { Documents } from '../../documents/documents.js'
import { pointersFor } from '../../documents/pointed-places.js'
import { camelCase, pascalCase } from '../../naming/identifiers.js'
import { namesAlone, ownName } from '../../naming/own-names.js'
import type { PagesWish } from '../dialect.js'
import { BrokenParts } from '../broken-parts.js'
import { Notes } from '../notes.js'
import { documented } from './annotations.js'
import { inRequests } from './anonymous-types.js'
import { AnswerReader } from './answers.js'
import { ContentReader } from './contents.js'
import { mendEndlessTypes } from './endless-types.js'
import type { ContractSpecifics, OperationSpecifics } from './specifics.js'
import { referredRules } from './live-rules.js'
import { readMedia } from './media-types.js'
import { namesBesideOthers } from './named-beside-others.js'
import { isShortened, operationKey, OperationNames, type GivenPath } from './operation-names.js'
import { declaredPages, paged } from './paged.js'
import { ParameterReader } from './parameters.js'
import { References } from './references.js'
import { SchemaReader } from './schemas.js'
import { readRequirements, readScheme } from './security.js'
import { ServerReader } from './servers.js'
import { isToken } from './tokens.js'
import { translateVersion2 } from './version2.js'

const methods = ['get', 'put', 'post', 'delete', 'options', 'head', 'patch', 'trace', 'query']

/**
 * Reads an OpenAPI description: 2.0, 3.0, 3.1 or 3.2.
 *
 * @param kept names given before: operations that are still there keep their paths
 * @throws Problem of kind `metadata` with its place; docs/messages.md, TM-2016, TM-2301 and TM-2304
 */
export async function readOpenApi(
  documents: Documents,
  name: string,
  kept: KeptNames = noNames,
): Promise<Contract> {
  const notes = new Notes(documents)
  const references = await References.load(documents, notes)
  const { root } = references
  root.read = true
  const declared = root.get('openapi') ?? root.get('swagger')
  const { version } = references
  if (!/^(?:2\.0|3\.[0-2])(?:\.|-|$)/.test(version))
    throw problem('TM-2301', { version }, { place: declared?.place ?? root.place })
  if (version.startsWith('2')) translateVersion2(references)
  try {
    const contract = new DescriptionReader(references, documents, name, notes, kept).read()
    const pointer = pointersFor(
      references.all(),
      contract.notes.map(({ origin }) => origin),
    )
    return { ...contract, notes: contract.notes.map((note) => pointed(note, pointer(note.origin))) }
  } catch (error) {
    const place = error instanceof Problem ? error.place : undefined
    const pointer = place && pointersFor(references.all(), [place])(place)
    throw place === undefined || pointer === undefined
      ? error
      : withPlace(error as Problem, { ...place, pointer })
  }
}

function pointed(note: Note, pointer: string | undefined): Note {
  return pointer === undefined ? note : { ...note, pointer }
}

/** Members of `info` that no client needs. */
const silentInfo = [
  'title',
  'version',
  'description',
  'summary',
  'termsOfService',
  'contact',
  'license',
]

/** The tags, which operations are grouped by. */
function readGroups(root: DataNode): OperationGroup[] {
  return root.list('tags').flatMap((tag) => {
    tag.readWhole()
    const name = tag.text('name')
    if (name === undefined) return []
    return [{ name: camelCase(name), ...documented(tag), origin: tag.origin }]
  })
}

/** The scopes that schemes are wanted with, by their names. */
function scopesOf(
  requirements: ReturnType<typeof readRequirements>,
): Record<string, readonly string[]> {
  const wanted = requirements.flat().filter(({ scopes }) => scopes.length > 0)
  return Object.fromEntries(wanted.map(({ name, scopes }) => [name, scopes]))
}

/** An operation of the description, and what it is called in the client. */
interface DescribedOperation extends GivenPath {
  readonly path: string
  readonly method: string
  readonly node: DataNode
  readonly item: DataNode
  readonly endpoints: readonly string[]
}

class DescriptionReader {
  private readonly references: References
  private readonly documents: Documents
  private readonly name: string
  private readonly notes: Notes
  private readonly broken: BrokenParts
  private readonly schemas: SchemaReader
  private readonly contents: ContentReader
  private readonly answers: AnswerReader
  private readonly parameters: ParameterReader
  private readonly keptPaths: Readonly<Record<string, string>>
  private readonly servers: ServerReader
  private readonly schemes = new Map<string, SecurityScheme>()
  /** What an operation is found by in links: its id, and its place. */
  private readonly byId = new Map<string, string>()
  /** How lists come in pages, by the path of the operation. */
  private readonly pages = new Map<string, PagesWish>()
  /** Last steps of paths that no other operation has. */
  private alone: ReadonlySet<string> = new Set()

  constructor(
    references: References,
    documents: Documents,
    name: string,
    notes: Notes,
    kept: KeptNames,
  ) {
    this.references = references
    this.documents = documents
    this.name = name
    this.notes = notes
    this.broken = new BrokenParts(notes)
    this.schemas = new SchemaReader(references, notes, this.broken)
    this.contents = new ContentReader(references, this.schemas, notes)
    this.answers = new AnswerReader(references, this.schemas, this.contents, notes)
    this.parameters = new ParameterReader(references, this.schemas, notes)
    this.keptPaths = kept.paths
    this.servers = new ServerReader(documents.root.from)
  }

  read(): Contract {
    const { root } = this.references
    const info = root.get('info')
    for (const key of silentInfo) info?.get(key)?.readWhole()
    const groups = readGroups(root)
    for (const key of ['tags', 'externalDocs', 'jsonSchemaDialect', '$self'])
      root.get(key)?.readWhole()
    this.readSchemes(root)
    const shared = this.servers.read(root) ?? this.servers.readDefault(root)
    const described = this.readPaths(shared)
    const incoming = this.readWebhooks(root)
    if (described.length === 0 && incoming.length === 0 && this.broken.isSound)
      throw problem('TM-2304', {}, { place: root.place })
    this.schemas.readWaiting()
    this.noteUnread(root)
    mendEndlessTypes(this.schemas.types, this.notes)
    const operations = described.map((each) => this.contents.finish(each, this.nameOf(each)))
    const types = this.schemas.anonymous.settle(this.schemas.types, [
      ...operations.flatMap(typesOfOperation),
      ...typesOfIncoming(incoming),
    ])
    const title = tellingTitle(info?.text('title')) ?? this.name
    const { endpoints } = this.servers
    const service = {
      name: title,
      endpoints,
      operations,
      ...filled({ groups }),
      origin: root.origin,
    }
    return this.completed({
      name: this.name,
      dialect: 'http',
      title,
      ...this.broken.soundPart({
        services: [service],
        types: inNameOrder<NamedType>(types),
        ...filled({ incoming }),
      }),
      security: [...this.schemes.values()],
      notes: [],
      ...(info === undefined ? {} : documented(info)),
      origin: root.origin,
    })
  }

  private readSchemes(root: DataNode): void {
    for (const [name, node] of root.get('components')?.entries('securitySchemes') ?? []) {
      const settled = this.references.settle(node)
      const scheme = readScheme(name, settled, (text) => this.absolute(text), this.notes)
      this.schemes.set(name, scheme)
    }
  }

  /** What can be said of a contract only when all of it is there. */
  private completed(read: Contract): Contract {
    const types = { ...read.types, ...namesBesideOthers(read, this.notes) }
    const contract = { ...read, types, notes: this.notes.all() }
    const rules = referredRules(contract, this.schemas.rules.named)
    const specifics: ContractSpecifics = { rules }
    const ruled = Object.keys(rules).length === 0 ? contract : { ...contract, specifics }
    return changedOperations(ruled, (operation) => {
      const wish = this.pages.get(pathOf(operation))
      const listed = wish === undefined ? operation : paged(ruled, operation, wish)
      return typeof listed === 'string' ? operation : listed
    })
  }

  private absolute(text: string): string {
    const { from } = this.documents.root
    return /^https?:/i.test(from) && URL.canParse(text, from) ? new URL(text, from).href : text
  }

  private readPaths(shared: readonly string[]): Operation[] {
    const waiting: Omit<DescribedOperation, keyof GivenPath>[] = []
    for (const [path, each] of this.references.root.entries('paths')) {
      if (path.startsWith('x-')) continue
      const item = this.references.settle(each)
      for (const key of ['summary', 'description']) item.get(key)
      const endpoints = this.servers.read(item) ?? shared
      const found = [
        ...methods.flatMap((method) => [[method, item.get(method)] as const]),
        ...item.entries('additionalOperations'),
      ]
      for (const [method, node] of found) {
        if (node?.kind !== 'object') continue
        if (isToken(method))
          waiting.push({
            path,
            method,
            node,
            item,
            endpoints: this.servers.read(node) ?? endpoints,
          })
        else this.refuseMethod(method, path, node)
      }
    }
    const names = new OperationNames(
      this.notes,
      this.keptPaths,
      waiting.map(({ path }) => path),
    )
    const paths = waiting.map(({ path, method, node }) => names.pathFor(path, method, node))
    this.alone = namesAlone(paths.map(({ steps }) => steps))
    return waiting.flatMap((each, at) =>
      this.readOrTell({ ...each, ...(paths[at] ?? { steps: [] }) }),
    )
  }

  private refuseMethod(method: string, path: string, node: DataNode): void {
    node.readWhole()
    this.notes.add(
      'refused',
      'TM-2315',
      {
        what: `The operation "${method}" of ${path}`,
        as: 'no operation',
        reason: "HTTP can't have a method of that name",
      },
      node.origin,
    )
  }

  private readOrTell(described: DescribedOperation): Operation[] {
    const { node, steps: path } = described
    return this.broken.attempt(
      () => [this.readOperation(described)],
      (reason) => {
        node.readWhole()
        const tags = node.list('tags').map((each) => String(each.value))
        this.broken.addOperation({ path, ...filled({ tags }), origin: node.origin }, reason)
        return []
      },
    )
  }

  private readOperation(described: DescribedOperation): Operation {
    const { path, method, node, endpoints, steps, calledNow } = described
    const tags = node.list('tags').map((each) => String(each.value))
    const shortened = marked({ shortened: isShortened(steps, node) })
    const where = this.nameOf({ path: steps, tags, ...shortened })
    const id = node.text('operationId')
    if (id !== undefined) this.byId.set(id, steps.join('.'))
    const body = this.readBody(described, where)
    const answers = this.answers.read(node, where, method)
    const inputs = this.readInputs(described, where, [...body, ...answers.inputs])
    const requirements = this.readSecurity(node)
    const pages = declaredPages(method, answers, inputs)
    if (pages !== undefined) this.pages.set(steps.join('.'), pages)
    const specifics: OperationSpecifics = {
      method: methods.includes(method) ? method.toUpperCase() : method,
      path: path.startsWith('/') ? path : `/${path}`,
      answers: answers.specifics,
      ...marked({ byStatus: answers.byStatus }),
      ...filled({ scopes: scopesOf(requirements) }),
    }
    return {
      path: steps,
      ...shortened,
      key: operationKey(path, method),
      inputs: [...inputs, ...body, ...answers.inputs],
      outcome: answers.outcome,
      faults: answers.faults,
      wire: Object.fromEntries(endpoints.map((name) => [name, {}])),
      ...present({ calledNow }),
      ...documented(node),
      ...marked({ deprecated: node.flag('deprecated') }),
      ...filled({
        tags,
        incoming: this.readCallbacks(node, where),
        leadsTo: answers.links.map(({ words }) => words),
        security: requirements.map((alternative) => alternative.map(({ name }) => name)),
      }),
      origin: node.origin,
      specifics,
    }
  }

  private readBody({ path, method, node }: DescribedOperation, where: string): InputField[] {
    const body = node.get('requestBody')
    const isOdd = (body !== undefined && /^(?:get|head)$/.test(method)) || /^trace$/i.test(method)
    if (isOdd) {
      const what = `${method.toUpperCase()} ${path}${body === undefined ? '' : ' with a body'}`
      this.notes.add('approximated', 'TM-2319', { what }, (body ?? node).origin)
    }
    return body === undefined ? [] : this.contents.readBody(this.references.settle(body), where)
  }

  /**
   * The parameters. They may be called like our own words for the body and for what is asked for.
   *
   * @param others the inputs beside them
   */
  private readInputs(
    { path, node, item }: DescribedOperation,
    where: string,
    others: readonly InputField[],
  ): InputField[] {
    const own = new Set(['body', ...others.map(({ name }) => name)])
    return this.parameters
      .read(path, node, item, where)
      .map((each) => (own.has(each.name) ? { ...each, name: `${each.name}_` } : each))
  }

  /** What proves who calls: alternatives, each of schemes that must all be satisfied. */
  private readSecurity(node: DataNode): ReturnType<typeof readRequirements> {
    const security = node.get('security') ?? this.references.root.get('security')
    return readRequirements(security).map((alternative) =>
      alternative.filter(({ name }) => this.isScheme(name, security)),
    )
  }

  /** What an operation is called in the names of its types: as its function is. */
  private nameOf(operation: Pick<Operation, 'path' | 'tags' | 'shortened'>): string {
    return pascalCase(ownName(operation, this.alone))
  }

  private isScheme(name: string, node: DataNode | undefined): boolean {
    const known = this.schemes.has(name)
    if (!known)
      this.notes.add(
        'ignored',
        'TM-2306',
        { key: `security: ${name}` },
        (node ?? this.references.root).origin,
      )
    return known
  }

  /** What the service calls back: the type of each message (section 4.8.18). */
  private readCallbacks(node: DataNode, where: string): Incoming[] {
    return node.entries('callbacks').flatMap(([name, each]) => {
      const callback = this.references.settle(each)
      return [...callback.members]
        .filter(([key]) => !key.startsWith('x-'))
        .flatMap(([, item]) =>
          this.readIncoming(
            name,
            this.references.settle(item),
            [where, name],
            `The callback "${name}"`,
          ),
        )
    })
  }

  private readWebhooks(root: DataNode): Incoming[] {
    return root
      .entries('webhooks')
      .flatMap(([name, item]) =>
        this.readIncoming(
          name,
          this.references.settle(item),
          [name, 'Webhook'],
          `The webhook "${name}"`,
        ),
      )
  }

  private readIncoming(
    name: string,
    item: DataNode,
    steps: readonly string[],
    what: string,
  ): Incoming[] {
    const found = methods.flatMap((method) => {
      const node = item.get(method)
      if (node === undefined) return []
      const body = node.get('requestBody')
      const [media] =
        body === undefined
          ? []
          : readMedia(this.references.settle(body), this.references, this.notes)
      const placed =
        media?.schema === undefined
          ? undefined
          : this.schemas.read(
              media.schema,
              { steps: [...steps, 'Message'], suffix: inRequests },
              'in',
            )
      return [
        {
          name,
          origin: node.origin,
          ...documented(node),
          ...(placed === undefined ? {} : { type: placed.type }),
        },
      ]
    })
    item.readWhole()
    for (const each of found)
      this.notes.add(
        'ignored',
        'TM-2316',
        { what, types: each.type === undefined ? 'no type' : 'a type' },
        each.origin,
      )
    return found
  }

  /** Tells what nobody looked at; components that nothing refers to don't count. */
  private noteUnread(node: DataNode): void {
    const components = this.references.root.members.get('components')
    const isShelf = (each: DataNode): boolean =>
      each.parent !== undefined &&
      (each === components ||
        each.parent === components ||
        each.key === '$defs' ||
        each.key === 'definitions' ||
        (each.parent.parent === undefined &&
          ['definitions', 'parameters', 'responses'].includes(String(each.key))))
    const waiting = [node]
    for (let each = waiting.pop(); each !== undefined; each = waiting.pop()) {
      for (const [name, member] of each.members) {
        if (name.startsWith('x-')) continue
        if (member.read || isShelf(member)) {
          if (member.kind === 'object' || member.kind === 'list') waiting.push(member)
        } else if (!isShelf(each))
          this.notes.add('ignored', 'TM-2306', { key: name }, member.origin)
      }
      for (const item of each.items) if (item.read) waiting.push(item)
    }
  }
}

/** The title, where it is more than the path or the file that the description came from. */
function tellingTitle(title: string | undefined): string | undefined {
  const isPath = /^\.{0,2}[/\\]|^https?:|\.(?:json|ya?ml|html?)$/i.test(title?.trim() ?? '')
  return isPath || title?.trim() === '' ? undefined : title
}
