import { readFile, stat } from 'node:fs/promises'
import { dirname, isAbsolute, join, parse, posix, relative, resolve, sep } from 'node:path'
import type { ValidationError } from 'joi'
import type { Document } from 'yaml'
import type { KnownPlace } from '../contract/contract.js'
import { problem, type Problem } from '../contract/problem.js'
import { fileReason, systemCode } from '../contract/system-error.js'
import { contractName } from './entry-names.js'
import { whileLocked } from './project-lock.js'
import { folderBeside, plainPath } from './runtime-folder.js'
import { recoverProject, writeTogether, type Change } from './safe-writing.js'

export const projectFileName = 'tolmach.yaml'

/** How a service is reached: what a contract says holds, where a site does not say otherwise. */
export interface ReachEntry {
  /** The endpoint that calls go to; the best one on offer when left out. */
  readonly endpoint?: string
  /** What proves who calls. */
  readonly credential?: CredentialChoice
  /** Headers of every request; `$NAME` stands for a variable. */
  readonly headers?: Readonly<Record<string, string>>
  /** How long a call may take: seconds, or like `200ms`. */
  readonly timeLimit?: number | `${number}${'ms' | 's' | 'm'}`
  readonly retries?: number
  readonly mostBytes?: number
  /** Values of the variables in the endpoint's address. */
  readonly serverVariables?: Readonly<Record<string, string>>
  /** Are SOAP messages sent in parts (MTOM), and addressed? As the metadata says when left out. */
  readonly mtom?: boolean
  readonly addressing?: boolean
  /** A file with certificates of authorities to trust there, as PEM texts. */
  readonly ca?: string
  /** The address of the proxy that leads there; that of the environment when left out. */
  readonly proxy?: string
}

/** What the project file says about one contract. */
export interface ContractEntry extends ReachEntry {
  /** A path (from the project's folder) or an address. */
  readonly from: string
  /** Paths of overlays that mend the description, from the project's folder. */
  readonly overlays?: readonly string[]
  /** The folder that generation owns, from the project's folder. */
  readonly folder: string
  /** The name of the client class; made from the service's name when left out. */
  readonly class?: string
  /** The operations wanted; all when left out. */
  readonly only?: readonly string[]
  /** How lists come in pages, by operation, where the metadata does not say it. */
  readonly pages?: Readonly<Record<string, PagesEntry>>
  /** Operations that open and close a session of the service's own. */
  readonly session?: SessionEntry
  /** What imports in the client end in; `.js` when left out. */
  readonly importSuffix?: '.js' | '.ts' | ''
  /** Has the client its own copy of the runtime, instead of sharing one with those beside it? */
  readonly runtime?: 'own'
  /** Named selections and arrangements of types for diagrams. */
  readonly views?: Readonly<Record<string, ViewEntry>>
}

/**
 * How a list comes in pages: where the rows, their number and what comes next stand in an answer,
 * as JSON Pointers or names of headers, and which input takes what comes next.
 */
export interface PagesEntry {
  readonly rows?: string
  readonly total?: string
  readonly next?: string
  readonly into?: string
}

/** A view as the project file has it; the diagram room says what its keys do. */
export interface ViewEntry {
  readonly start?: 'everything' | 'nothing'
  readonly around?: readonly string[]
  readonly steps?: number
  readonly add?: readonly string[]
  readonly remove?: readonly string[]
  readonly towards?: 'right' | 'down'
  readonly places?: Readonly<Record<string, readonly [x: number, y: number]>>
}

/** Where a contract's service is at a site, and what proves who calls there. */
export interface SiteEntry extends ReachEntry {
  readonly url?: string
}

/**
 * A session of a service's own: an operation that opens it, what of its answer is kept (JSONPath),
 * how later calls use that, and what closes it. `$NAME` in inputs is what was kept under that name,
 * or a variable.
 */
export interface SessionEntry {
  readonly open: {
    readonly call: string
    readonly with?: Readonly<Record<string, unknown>>
    readonly keep?: Readonly<Record<string, string>>
  }
  readonly use?: {
    readonly with?: Readonly<Record<string, unknown>>
    readonly headers?: Readonly<Record<string, string>>
  }
  readonly close?: { readonly call: string; readonly with?: Readonly<Record<string, unknown>> }
}

/** The name of a credential; or one for each security scheme of the contract. */
export type CredentialChoice = string | Readonly<Record<string, string>>

/**
 * A credential as the project file has it: its secrets are names of variables, `$DESK_PASSWORD`.
 * docs/reference.md says which kind has what.
 */
export interface CredentialEntry {
  readonly kind: 'basic' | 'digest' | 'ntlm' | 'wsse' | 'bearer' | 'key' | 'oauth2' | 'certificate'
  readonly user?: string
  readonly password?: string
  readonly domain?: string
  readonly workstation?: string
  readonly digest?: boolean
  readonly token?: string
  readonly value?: string
  readonly place?: 'header' | 'query' | 'cookie'
  readonly name?: string
  /** A key that is an ordinary input: its path. */
  readonly input?: string
  readonly clientId?: string
  readonly clientSecret?: string
  readonly scopes?: readonly string[]
  readonly tokenUrl?: string
  /** Where a person logs in, in a browser (authorization code). */
  readonly authorizeUrl?: string
  /** Files with PEM texts, from the project's folder. */
  readonly cert?: string
  readonly key?: string
  readonly passphrase?: string
}

/** What a project file says. */
export interface ProjectText {
  /** The site that calls go to when nobody says otherwise. */
  readonly site?: string
  /** What proves who calls, for contracts that say nothing of it. */
  readonly credential?: CredentialChoice
  readonly contracts: Readonly<Record<string, ContractEntry>>
  /** Named sets of addresses: by site, by contract. */
  readonly sites: Readonly<Record<string, Readonly<Record<string, SiteEntry>>>>
  readonly credentials: Readonly<Record<string, CredentialEntry>>
}

/** A project: its folder and what its file says. */
export interface Project extends ProjectText {
  readonly folder: string
}

/**
 * Finds the project of a folder: the nearest one upwards with a project file.
 *
 * @returns its folder, or undefined
 */
export async function findProject(from: string): Promise<string | undefined> {
  for (let folder = resolve(from); ; folder = dirname(folder)) {
    await recoverProject(folder)
    if (
      await stat(join(folder, projectFileName)).then(
        (found) => found.isFile(),
        () => false,
      )
    )
      return folder
    if (folder === parse(folder).root) return undefined
  }
}

/**
 * Reads a project file.
 *
 * @throws Problem TM-1003 with the line when it is not valid, TM-1007 when it can't be read
 */
export async function readProject(folder: string): Promise<Project> {
  return { folder, ...(await validProjectText(await readProjectText(folder))) }
}

/** The project file's text, or an empty one when there is none yet. */
export async function readProjectText(folder: string): Promise<string> {
  await recoverProject(folder)
  try {
    return await readFile(join(folder, projectFileName), 'utf8')
  } catch (error) {
    if (systemCode(error) === 'ENOENT') return ''
    throw problem('TM-1007', { what: projectFileName, reason: fileReason(error) }, { cause: error })
  }
}

/**
 * Checks the text of a project file.
 *
 * @throws Problem TM-1003 with the line of what is wrong
 */
export async function validProjectText(text: string): Promise<ProjectText> {
  // Both are large, and commands that work from the cache need neither.
  const [{ LineCounter, parseDocument }, { projectSchema, clearSecret }] = await Promise.all([
    import('yaml'),
    import('./project-schema.js'),
  ])
  const lines = new LineCounter()
  const document = parseDocument(text, { lineCounter: lines, prettyErrors: false })
  const placeAt = (offset: number | undefined): KnownPlace => {
    if (offset === undefined) return { document: projectFileName }
    const { line, col } = lines.linePos(offset)
    return { document: projectFileName, line, column: col }
  }
  const placeOf = (path: readonly (string | number)[]): KnownPlace =>
    placeAt(nearestNode(document, path))
  const [broken] = document.errors
  if (broken !== undefined)
    throw problem(
      'TM-1003',
      { reason: broken.message.replace(/\.$/, '') },
      { place: placeAt(broken.pos[0]) },
    )
  if (document.contents === null) return { contracts: {}, sites: {}, credentials: {} }
  const { value, error } = projectSchema().validate(document.toJS({ maxAliasCount: 100 }), {
    abortEarly: true,
    convert: false,
    errors: { label: 'path', wrap: { label: '"' } },
  })
  if (error !== undefined) throw invalidProject(error, clearSecret, placeOf)
  const project = value as ProjectText
  const { site } = project
  if (site !== undefined && !Object.hasOwn(project.sites, site))
    throw problem(
      'TM-1003',
      { reason: `"site" names "${site}", which is none of "sites"` },
      { place: placeOf(['site']) },
    )
  const unfit = unfitFolder(project.contracts)
  if (unfit === undefined) return project
  const { name, folder, reason } = unfit
  throw problem(
    'TM-1028',
    { name, folder: `"${folder}"`, reason },
    { place: placeOf(['contracts', name, 'folder']) },
  )
}

function invalidProject(
  { details: [detail], message }: ValidationError,
  clearSecret: string,
  placeOf: (path: readonly (string | number)[]) => KnownPlace,
): Problem {
  const path = detail?.path ?? []
  if (detail?.type !== clearSecret)
    return problem('TM-1003', { reason: detail?.message ?? message }, { place: placeOf(path) })
  const [, name = '', field = ''] = path
  const variable = `${String(name)}_${String(field)}`.replace(/[^A-Za-z0-9]+/g, '_').toUpperCase()
  return problem('TM-1022', { field, name, variable }, { place: placeOf(path) })
}

/**
 * A folder that no client can have: outside the project, the project's own or one of its own
 * folders, or another client's.
 */
function unfitFolder(
  contracts: ProjectText['contracts'],
): { readonly name: string; readonly folder: string; readonly reason: string } | undefined {
  // On some file systems names that differ by case only are one.
  const shared = new Set(
    Object.values(contracts)
      .filter(({ runtime }) => runtime !== 'own')
      .map((entry) => folderBeside(entry).toLowerCase()),
  )
  const taken = new Map<string, string>()
  for (const [name, { folder }] of Object.entries(contracts)) {
    const way = plainPath(folder)
    const unfit = (reason: string): ReturnType<typeof unfitFolder> => ({ name, folder, reason })
    if (isAbsolute(folder) || /^[A-Za-z]:/.test(folder) || way === '..' || way.startsWith('../'))
      return unfit('it is outside the project')
    if (way === '.') return unfit('that is the project itself')
    if (/^(?:snapshots|samples|node_modules|\.tolmach|\.git)(?:\/|$)/i.test(way))
      return unfit('the project keeps other things there')
    const key = way.toLowerCase()
    if (shared.has(key) || shared.has(posix.dirname(key)))
      return unfit('what the clients beside it share is kept there')
    for (const [other, owner] of taken)
      if (key === other || key.startsWith(`${other}/`) || other.startsWith(`${key}/`))
        return unfit(
          key === other
            ? `it is that of ${owner} already`
            : `it and that of ${owner} lie in each other`,
        )
    taken.set(key, name)
  }
  return undefined
}

/** Where the value at a path, or the nearest thing around it, starts. */
function nearestNode(
  document: { getIn(path: readonly (string | number)[], keepScalar: true): unknown },
  path: readonly (string | number)[],
): number | undefined {
  for (let length = path.length; length >= 0; length -= 1) {
    const node = document.getIn(path.slice(0, length), true)
    if (typeof node === 'object' && node !== null && 'range' in node && Array.isArray(node.range))
      return node.range[0] as number
  }
  return undefined
}

/**
 * A contract's entry in the project file, which is made if need be. Comments and everything else
 * stay. The project must be locked.
 *
 * @param credential that the entry names, and the file does not have yet
 */
export async function contractEntryChange(
  folder: string,
  name: string,
  entry: ContractEntry,
  credential?: { readonly name: string; readonly entry: CredentialEntry },
): Promise<Change> {
  return changeOfProjectFile(folder, (document) => {
    if (credential !== undefined) {
      const node = document.createNode(credential.entry, { flow: true })
      document.setIn(['credentials', credential.name], node)
    }
    const contracts = document.get('contracts')
    if (contracts === undefined || contracts === null)
      document.set('contracts', document.createNode({}))
    const existing = document.getIn(['contracts', name])
    if (existing === undefined) document.setIn(['contracts', name], document.createNode(entry))
    else {
      // Only what differs is set: setting a value again would drop the comment behind it.
      const before =
        (document.toJS() as { contracts: Record<string, Record<string, unknown>> }).contracts[
          name
        ] ?? {}
      for (const [key, value] of Object.entries(entry)) {
        if (JSON.stringify(before[key]) !== JSON.stringify(value))
          document.setIn(['contracts', name, key], document.createNode(value))
      }
    }
    const block = document.getIn(['contracts'], true)
    if (typeof block === 'object' && block !== null && 'flow' in block) block.flow = false
  })
}

/**
 * The project file without a contract: its entry, with its views, and what sites say of it. What
 * stands beside it stays with its comments. The project must be locked.
 */
export async function contractRemoval(folder: string, name: string): Promise<Change> {
  return changeOfProjectFile(folder, (document) => {
    document.deleteIn(['contracts', name])
    const { sites = {} } = document.toJS() as { sites?: Record<string, object | null> }
    for (const [site, entries] of Object.entries(sites))
      if (entries !== null && Object.hasOwn(entries, name)) document.deleteIn(['sites', site, name])
  })
}

/** Writes a view of a contract into the project file. Comments and everything else stay. */
export async function writeView(
  folder: string,
  contract: string,
  name: string,
  view: ViewEntry,
): Promise<void> {
  await whileLocked(folder, 'diagram', async () => {
    const change = await changeOfProjectFile(folder, (document) => {
      const node = document.createNode(view, { flow: true })
      document.setIn(['contracts', contract, 'views', name], node)
    })
    await writeTogether(folder, [change])
  })
}

async function changeOfProjectFile(
  folder: string,
  change: (document: Document) => void,
): Promise<Change> {
  const { parseDocument } = await import('yaml')
  const text = await readProjectText(folder)
  await validProjectText(text)
  const document = parseDocument(text === '' ? 'tolmach: 1\ncontracts: {}\n' : text)
  change(document)
  return { path: join(folder, projectFileName), contents: document.toString({ lineWidth: 0 }) }
}

/**
 * A path as the project file has it: from the project's folder, with `/`. Paths outside it stay
 * absolute.
 */
export function projectPath(folder: string, path: string): string {
  const inside = relative(folder, resolve(path))
  const within = inside === '' ? '.' : inside
  const written = inside.startsWith('..') ? resolve(path) : within
  return written.split(sep).join('/')
}

/** What is wrong with a contract's name, if anything. */
export function checkContractName(name: string): Problem | undefined {
  return contractName.test(name) ? undefined : problem('TM-1006', { name })
}
