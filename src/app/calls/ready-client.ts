import { join, resolve } from 'node:path'
import type { Contract, Endpoint, Operation } from '../../contract/contract.js'
import { noNames } from '../../contract/kept-names.js'
import { matchName, nearestAdvice } from '../../contract/nearest.js'
import { filled, present } from '../../contract/present.js'
import { problem, Problem } from '../../contract/problem.js'
import {
  endpointsOf,
  endpointsOffering,
  neededOf,
  operationsOf,
  pathOf,
} from '../../contract/queries.js'
import { isSecretHeader, keepSecret, maskedUrl } from '../../exercise/masking.js'
import type { LoadedClient, OperationFunction } from '../../exercise/run-client.js'
import { readCached, writeCached, cacheFolder } from '../../project/cache.js'
import { sharedName } from '../../project/runtime-folder.js'
import { bytesDigest } from '../../project/snapshot.js'
import type { Credential, Settings } from '../../runtime/connection.js'
import type { Time } from '../../runtime/times.js'
import { callReady } from './call-ready.js'
import { reachOf, type Reach } from './reach.js'
import { clientStateWithRuntime } from '../clients/client-state.js'
import {
  noCredential,
  resolveCredential,
  variablesOf,
  type Person,
  type ResolvedCredential,
} from '../auth/credentials.js'
import {
  findOperation,
  inputsDigest,
  openContract,
  type OpenContract,
  type OpenOptions,
} from '../contracts/open-contract.js'
import { buildMark, toolName } from '../package-files.js'
import { preferredEndpoint } from '../contracts/preferred-endpoint.js'
import { Session } from '../auth/session.js'
import { readTextFile } from '../files/text-files.js'

/** How calls reach the service. */
export interface ClientOptions extends OpenOptions {
  /** The site of the project file whose addresses count. */
  readonly at?: string | undefined
  /** The address to call instead of the endpoint's own. */
  readonly url?: string | undefined
  readonly endpoint?: string | undefined
  readonly headers?: Readonly<Record<string, string>> | undefined
  /** Values of the variables in the endpoint's address. */
  readonly serverVariables?: Readonly<Record<string, string>> | undefined
  /** The media type to ask for. */
  readonly accept?: string | undefined
  /** How long a whole call may take: seconds, or like `200ms`. */
  readonly timeLimit?: Time | undefined
  /** The credential of the project file to use, instead of the site's or the contract's own. */
  readonly credential?: string | undefined
  /** How often a call is tried again where that is safe. */
  readonly retries?: number | undefined
  /** No answer is read beyond so many bytes. */
  readonly mostBytes?: number | undefined
  /** Bytes that are answered go to a file: they may be as many as they like. */
  readonly savesBytes?: boolean | undefined
  /** Are SOAP messages sent in parts (MTOM), and addressed? As the project or the metadata says. */
  readonly mtom?: boolean | undefined
  readonly addressing?: boolean | undefined
  /** The input is sent though the contract may not allow it. */
  readonly uncheckedInput?: boolean | undefined
  /** Several calls travel in one request. */
  readonly together?: boolean | undefined
  /** Nothing is sent, so that no secret is needed. */
  readonly preview?: boolean | undefined
  /** What sends requests, instead of the transport for Node.js. */
  readonly fetch?: typeof fetch | undefined
  /** Whoever can be asked for secrets that no variable has. */
  readonly person?: Person | undefined
}

/** An operation with a client that can call it. */
export interface ReadyOperation {
  readonly open: OpenContract
  readonly operation: Operation
  readonly endpoint: Endpoint
  readonly address: string
  readonly client: LoadedClient
  /** Where the client comes from, and why not from its folder. */
  readonly from: 'its folder' | 'built aside'
  readonly aside: Aside | undefined
  /** The media type to ask for, where the contract makes that an input. */
  readonly acceptInput: string | undefined
  /** What proves who calls. */
  readonly resolved: ResolvedCredential
  /** How long a call may take, where somebody says so. */
  readonly timeLimit: Time | undefined
  /** The session that it is called in, where the project says so. */
  readonly session: Session | undefined
}

/** Why a client was built aside, and is not the one in its folder. */
export interface Aside {
  readonly why: 'no project' | 'not generated' | 'edited' | 'incomplete' | 'outdated'
  /** The same as the end of a sentence. */
  readonly words: string
}

/** A contract whose operations can be called, with one client for all of them. */
export interface ReadyClient {
  readonly open: OpenContract
  /** @throws Problem TM-1005, TM-4006, TM-1010 for what can't be called so */
  operation(wanted: string): Promise<ReadyOperation>
  /** Closes what was opened for its calls. */
  close(): Promise<void>
}

/**
 * Makes the client of a contract ready: the one in its folder when that is current and unedited,
 * else a fresh one built aside.
 *
 * @param reference the contract's name in the project, or the location of its metadata
 * @throws Problem TM-1026 for a credential of a scheme that there is not, TM-1027 for a secret
 *   that would go to an address that nobody confirmed, and what openContract and proofFor throw
 */
export async function readyClient(reference: string, options: ClientOptions): Promise<ReadyClient> {
  const open = await openContract(reference, options)
  const reach = await reachOf(open, options.at)
  const resolved = await proofOf(open, reach, options)
  for (const [name, value] of Object.entries(options.headers ?? {}))
    if (isSecretHeader(name)) keepHeader(value)
  const folder = open.kept?.project.folder
  const ca =
    reach.ca === undefined || folder === undefined
      ? undefined
      : await readTextFile(resolve(folder, reach.ca))
  const headers = await headersOf(reach, folder)
  const maker = new ReadyOperations(open, options, { ...reach, headers }, resolved, ca)
  return {
    open,
    operation: (wanted) => maker.operation(wanted),
    close: () => maker.close(),
  }
}

/**
 * The headers that the project has sent along, with the values of the variables in them.
 *
 * @throws Problem TM-1040 where one is not set
 */
async function headersOf(
  { headers = {} }: Reach,
  folder: string | undefined,
): Promise<Record<string, string>> {
  const variables = folder === undefined ? new Map<string, string>() : await variablesOf(folder)
  return Object.fromEntries(
    Object.entries(headers).map(([name, written]) => {
      const variable = /^\$([A-Za-z_]\w*)$/.exec(written)?.[1]
      if (variable === undefined) return [name, written]
      const value = variables.get(variable)
      if (value === undefined) throw problem('TM-1040', { header: name, variable })
      keepHeader(value)
      return [name, value]
    }),
  )
}

/** What proves who calls, as the options or the project say. */
async function proofOf(
  open: OpenContract,
  reach: Reach,
  { credential, person, preview }: ClientOptions,
): Promise<ResolvedCredential> {
  const { kept, contract, around } = open
  if (kept === undefined) {
    if (credential === undefined) return noCredential
    if (around !== undefined) return resolveCredential(around, credential, person, preview === true)
    throw problem('TM-1010', {
      option: '--credential',
      reason: 'credentials belong to a project, and this contract is not in one',
      remedy: 'Import it first, or send a header with --header.',
    })
  }
  const choice = credential ?? reach.credential
  const given = await resolveCredential(kept.project, choice, person, preview === true)
  const credentials = await confirmedTokens(contract, given.credentials, person)
  checkSchemes(contract, credentials)
  return { ...given, credentials }
}

/**
 * A contract without any scheme takes every credential; one with some would leave this one out
 * without a word.
 */
function checkSchemes({ name, security }: Contract, credentials: readonly Credential[]): void {
  const schemes = security.map((each) => each.name)
  const stray = credentials.find(
    ({ scheme }) => scheme !== undefined && !schemes.includes(scheme),
  )?.scheme
  if (stray !== undefined && schemes.length > 0)
    throw problem('TM-1026', {
      name: stray,
      contract: name,
      nearest: nearestAdvice(stray, schemes),
    })
}

/** Makes operations of one contract ready; what they have in common is made once. */
class ReadyOperations {
  private readonly open: OpenContract
  private readonly options: ClientOptions
  private readonly reach: Reach
  private readonly resolved: ResolvedCredential
  private readonly ca: string | undefined
  /** A client of thousands of operations takes seconds to load; most calls want one of them. */
  private readonly isLarge: boolean
  private readonly bundles = new Map<string, ReturnType<typeof bundleFor>>()
  private readonly clients = new Map<string, Promise<LoadedClient>>()
  private session: Promise<Session | undefined> | undefined

  constructor(
    open: OpenContract,
    options: ClientOptions,
    reach: Reach,
    resolved: ResolvedCredential,
    ca: string | undefined,
  ) {
    this.open = open
    this.options = options
    this.reach = reach
    this.resolved = resolved
    this.ca = ca
    this.isLarge = options.together !== true && operationsOf(open.contract).length > mostLoadedWhole
  }

  async operation(wanted: string): Promise<ReadyOperation> {
    const { open, options, resolved } = this
    const operation = findOperation(open, wanted)
    const endpoint = chooseEndpoint(open, operation, options.endpoint ?? this.reach.endpoint)
    const address = await this.addressOf(endpoint)
    // Where the contract offers several media types, asking for one decides what comes; elsewhere
    // it is just a header.
    const acceptIsInput = operation.inputs.some(
      ({ name, place, type }) =>
        name === 'accept' && place === 'header' && type.kind === 'enumeration',
    )
    const accept = acceptIsInput ? undefined : options.accept
    const { aside, ...bundled } = await this.bundleOf(operation)
    const settings = this.settingsFor(operation, endpoint, address, accept)
    const session = await (this.session ??= this.openSession())
    return {
      open,
      operation,
      endpoint,
      address: maskedUrl(address),
      client: await this.clientFor(bundled, settings),
      from: aside === undefined ? 'its folder' : 'built aside',
      aside,
      acceptInput: acceptIsInput ? options.accept : undefined,
      resolved,
      timeLimit: options.timeLimit ?? this.reach.timeLimit,
      session: session?.isOwn(pathOf(operation)) === true ? undefined : session,
    }
  }

  async close(): Promise<void> {
    const session = await this.session
    await session?.close()
  }

  private async openSession(): Promise<Session | undefined> {
    const { kept } = this.open
    if (kept?.entry.session === undefined) return undefined
    const variables = await variablesOf(kept.project.folder)
    return new Session(kept.entry.session, variables, async (name, input) =>
      callReady(
        { ...(await this.operation(name)), session: undefined },
        { plain: input, assignments: [] },
        { timeLimit: this.options.timeLimit },
      ),
    )
  }

  /** @throws Problem TM-1030 or TM-1010 for what is no address */
  private async addressOf(endpoint: Endpoint): Promise<string> {
    const { open, options, reach } = this
    const variables = { ...reach.serverVariables, ...options.serverVariables }
    const address = options.url ?? reach.url ?? (await addressWith(open, endpoint, variables))
    if (!URL.canParse(address)) throw noAddress(open.contract.name, address, options.url)
    const { password } = new URL(address)
    keepSecret(password)
    keepSecret(decodeURIComponent(password))
    return address
  }

  private settingsFor(
    operation: Operation,
    endpoint: Endpoint,
    url: string,
    accept: string | undefined,
  ): Settings {
    const { options, reach, resolved } = this
    const savesAll = options.savesBytes === true && answersBytes(operation)
    return {
      url,
      endpoint: endpoint.name,
      ...filled({
        headers: {
          ...reach.headers,
          ...resolved.headers,
          ...options.headers,
          ...present({ accept }),
        },
        credential: resolved.credentials,
      }),
      ...present({
        retries: options.retries ?? reach.retries,
        timeLimit: options.timeLimit ?? reach.timeLimit,
        mostBytes: options.mostBytes ?? (savesAll ? Infinity : reach.mostBytes),
        mtom: options.mtom ?? reach.mtom,
        addressing: options.addressing ?? reach.addressing,
        fetch: options.fetch,
      }),
      ...(options.uncheckedInput === true ? { checkInputs: false } : {}),
    }
  }

  private bundleOf(operation: Operation): ReturnType<typeof bundleFor> {
    const only = this.isLarge ? pathOf(operation) : ''
    const known = this.bundles.get(only)
    if (known !== undefined) return known
    const made = bundleFor(this.open, this.isLarge ? operation : undefined)
    this.bundles.set(only, made)
    return made
  }

  private async clientFor(
    { bundle, className }: { readonly bundle: string; readonly className: string },
    settings: Settings,
  ): Promise<LoadedClient> {
    const { loadClient } = await import('../../exercise/run-client.js')
    const key = JSON.stringify([bundle, settings])
    const known = this.clients.get(key)
    if (known !== undefined) return known
    const { transport, query } = this.resolved
    const transportSettings = {
      userAgent: toolName(),
      ...transport,
      ...present({ ca: this.ca, proxy: this.reach.proxy }),
    }
    const made = loadClient(bundle, className, settings, transportSettings, query)
    this.clients.set(key, made)
    return made
  }
}

function noAddress(contract: string, address: string, url: string | undefined): Problem {
  const shown = maskedUrl(address)
  if (url === undefined) return problem('TM-1030', { contract, address: shown })
  return problem('TM-1010', {
    option: '--url',
    reason: `"${shown}" is not a valid address`,
    remedy: 'Give one like --url http://127.0.0.1:4801/desk.',
  })
}

/**
 * Credentials whose secrets go to addresses for tokens: where only the metadata names such an
 * address, a person has to say yes, or the project file has to name it too. Whoever wrote the
 * metadata could have it sent anywhere.
 */
async function confirmedTokens(
  contract: Contract,
  credentials: readonly Credential[],
  person: Person | undefined,
): Promise<readonly Credential[]> {
  if (credentials.every(({ kind }) => kind !== 'oauth2')) return credentials
  const { dialectNamed } = await import('../../dialects/registry.js')
  const places = (await dialectNamed(contract.dialect)).tokenPlaces?.(contract) ?? []
  return Promise.all(
    credentials.map(async (credential) => {
      if (credential.kind !== 'oauth2' || credential.tokenUrl !== undefined) return credential
      const place = places.find(
        ({ scheme }) => credential.scheme === undefined || credential.scheme === scheme,
      )
      if (place === undefined) return credential
      const answer =
        person?.isThere === true
          ? await person.ask(
              `The metadata says that tokens are had at ${place.address}. Is the secret of the client "${credential.clientId}" to go there? (yes or no)`,
              true,
            )
          : undefined
      if (!/^y(?:es)?$/i.test(answer?.trim() ?? ''))
        throw problem('TM-1027', { client: credential.clientId, address: place.address })
      return place.isDiscovery ? credential : { ...credential, tokenUrl: place.address }
    }),
  )
}

/** Remembers what a header proves with: without the word that says how, as in `Bearer …`. */
function keepHeader(value: string): void {
  keepSecret(value)
  keepSecret(value.replace(/^\w+\s+/, ''))
}

function answersBytes({ outcome }: Operation): boolean {
  return (
    outcome.kind === 'value' &&
    outcome.field.type.kind === 'scalar' &&
    outcome.field.type.base === 'bytes'
  )
}

/** The address of an endpoint with the values that were given for its variables. */
export async function addressWith(
  open: OpenContract,
  endpoint: Endpoint,
  variables: Readonly<Record<string, string>>,
): Promise<string> {
  if (Object.keys(variables).length === 0) return endpoint.address
  const { dialectNamed } = await import('../../dialects/registry.js')
  const dialect = await dialectNamed(open.contract.dialect)
  const known = dialect.serverVariables?.(endpoint)
  for (const [name, value] of Object.entries(variables)) {
    const values = known?.variables[name]
    const names = Object.keys(known?.variables ?? {})
    if (values === undefined)
      throw problem('TM-1010', {
        option: '--server-variable',
        reason: `the address of "${endpoint.name}" has no variable "${name}"`,
        remedy: names.length === 0 ? 'It has none at all.' : `It has ${names.join(', ')}.`,
      })
    if (values.length > 0 && !values.includes(value))
      throw problem('TM-1010', {
        option: '--server-variable',
        reason: `"${name}" can't be "${value}"`,
        remedy: `It is one of ${values.join(', ')}.`,
      })
  }
  return known?.address(variables) ?? endpoint.address
}

function chooseEndpoint(
  open: OpenContract,
  operation: Operation,
  wanted: string | undefined,
): Endpoint {
  const all = endpointsOf(open.contract)
  const offering = endpointsOffering(open.contract, operation)
  const configured = wanted
  if (configured === undefined) {
    const preferred = preferredEndpoint(offering, [operation])?.chosen
    if (preferred !== undefined) return preferred
  }
  const name = matchName(
    configured ?? '',
    all.map((endpoint) => endpoint.name),
  )
  const endpoint = all.find((each) => each.name === name)
  if (endpoint === undefined)
    throw problem('TM-1005', {
      what: 'endpoint',
      name: configured ?? '',
      contract: open.name,
      nearest: nearestAdvice(
        configured ?? '',
        all.map((each) => each.name),
      ),
    })
  if (!offering.includes(endpoint))
    throw problem('TM-4006', {
      endpoint: endpoint.name,
      operation: pathOf(operation),
      offered: offering.map((each) => each.name).join(', '),
    })
  return endpoint
}

/** Clients of more operations are not loaded as a whole for one call. */
const mostLoadedWhole = 300

/**
 * The client as a module that runs; `aside` says why it is not the one in the folder.
 *
 * @param operation the only one that is wanted
 */
async function bundleFor(open: OpenContract, operation: Operation | undefined): Promise<Bundled> {
  const { kept } = open
  const names = kept?.names ?? noNames
  const folder = kept === undefined ? undefined : resolve(kept.project.folder, kept.entry.folder)
  const state = folder === undefined ? undefined : await clientStateWithRuntime(folder)
  const aside = state === undefined ? asides.noProject : whyAside(state, inputsDigest(open, names))
  if (folder !== undefined && state?.manifest !== undefined && aside === undefined) {
    const manifests = ['manifest.json', `../${sharedName}/manifest.json`]
    const key = manifests.map((path) => state.texts[path] ?? '').join('\n')
    const bundle = await cachedBundle(key, open, operation, folder)
    return { bundle, className: state.manifest.class, aside: undefined }
  }
  const key = `${buildMark()} ${inputsDigest(open, names)}`
  const bundle = await cachedBundle(key, open, operation, async () => {
    const { buildClient } = await import('../generate-client.js')
    const { files } = await buildClient(open)
    return Object.fromEntries(files.map((file) => [file.path, file.text]))
  })
  if (operation !== undefined) return { bundle, className: '', aside }
  const { namesFor } = await import('../clients/client-names.js')
  return { bundle, className: (await namesFor(open)).class, aside }
}

/** A client as a module that runs. */
interface Bundled {
  readonly bundle: string
  readonly className: string
  readonly aside: Aside | undefined
}

const asides = {
  noProject: { why: 'no project', words: 'it is not part of a project' },
  notGenerated: { why: 'not generated', words: 'no client was generated yet' },
  incomplete: { why: 'incomplete', words: 'files of it are missing' },
  outdated: { why: 'outdated', words: 'it is older than the contract' },
} as const satisfies Record<string, Aside>

/** Why the client in a folder does not do; undefined where it does. */
function whyAside(
  { manifest, edited, missing }: Awaited<ReturnType<typeof clientStateWithRuntime>>,
  inputs: string,
): Aside | undefined {
  if (manifest === undefined) return asides.notGenerated
  if (edited.length > 0)
    return { why: 'edited', words: `these files were edited by hand: ${edited.join(', ')}` }
  if (missing.length > 0) return asides.incomplete
  return manifest.inputs === inputs ? undefined : asides.outdated
}

async function cachedBundle(
  key: string,
  open: OpenContract,
  operation: Operation | undefined,
  source: string | (() => Promise<Record<string, string>>),
): Promise<string> {
  const path = operation === undefined ? '' : pathOf(operation)
  const name = `client-${bytesDigest(`${key}\n${path}`)}.mjs`
  if ((await readCached(name)) !== undefined) return join(cacheFolder(), name)
  const { bundleClient } = await import('../../exercise/run-client.js')
  const only = operation && (await functionOf(open, operation))
  return writeCached(
    name,
    await bundleClient(typeof source === 'string' ? source : await source(), only),
  )
}

/** The function of an operation in the client. */
async function functionOf(open: OpenContract, operation: Operation): Promise<OperationFunction> {
  const [{ namesFor }, { operationExports }, { moduleOfOperation }] = await Promise.all([
    import('../clients/client-names.js'),
    import('../../naming/names.js'),
    import('../../naming/operation-files.js'),
  ])
  const names = await namesFor(open)
  const [name] = operationExports(names.operations[pathOf(operation)] ?? '')
  return { name, module: moduleOfOperation(neededOf(open.contract), names, operation) }
}
