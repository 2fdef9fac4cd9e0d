import { AsyncLocalStorage } from 'node:async_hooks'
import { fileURLToPath, pathToFileURL } from 'node:url'
import type { Operation } from '../contract/contract.js'
import { addAll } from '../contract/lists.js'
import { isPlainObject } from '../contract/plain.js'
import { present } from '../contract/present.js'
import { groupName, methodName } from '../naming/methods.js'
import type { Connection, Exchange, Login, Settings, ThisCall } from '../runtime/connection.js'
import { CallFailure, tooDeep, TransportFailure, type Deviation } from '../runtime/failures.js'
import type { Listing } from '../runtime/listing.js'
import { nodeTransport, type NodeTransportSettings } from '../runtime/node/transport.js'
import type { Batch, BatchCall } from '../runtime/odata/batch.js'
import { isTooDeeplyNested } from './depth.js'
import { keepSecret, keepTokens } from './masking.js'
import type { Time } from '../runtime/times.js'

/** One operation of a client: the module that has its function, without ending, and its name. */
export interface OperationFunction {
  readonly module: string
  readonly name: string
}

/**
 * Bundles a client's TypeScript into one module that Node can run.
 *
 * @param source the client's folder, or its files by path
 * @param only the one operation that is wanted, of clients that take long to load as a whole
 * @returns the module's text
 */
export async function bundleClient(
  source: string | Readonly<Record<string, string>>,
  only?: OperationFunction,
): Promise<string> {
  const [{ build }, entry] = await Promise.all([import('esbuild'), entryText(only)])
  const inMemory = typeof source === 'string' ? undefined : source
  const result = await build({
    stdin: {
      contents: entry,
      resolveDir: typeof source === 'string' ? source : '/',
      loader: 'ts',
    },
    bundle: true,
    write: false,
    format: 'esm',
    platform: 'node',
    target: 'node20',
    logLevel: 'silent',
    // A project that has not installed the client's packages yet can still call.
    alias: { saxes: fileURLToPath(import.meta.resolve('saxes')) },
    plugins: inMemory === undefined ? [] : [filesPlugin(inMemory)],
  })
  return result.outputFiles[0]?.text ?? ''
}

/** What a bundle exports. At the prompt every kind of credential is to work. */
async function entryText(only: OperationFunction | undefined): Promise<string> {
  const { identifier, modulePath } = await import('../printing/escaping.js')
  const wanted =
    only === undefined
      ? ["export * from './index.js'"]
      : [
          "export { connect } from './settings.js'",
          `export { ${identifier(only.name)} as operation } from './${modulePath(only.module)}.js'`,
        ]
  return [...wanted, "export * as logins from './logins.js'", ''].join('\n')
}

function filesPlugin(files: Readonly<Record<string, string>>): import('esbuild').Plugin {
  return {
    name: 'files',
    setup(build) {
      build.onResolve({ filter: /^\./ }, ({ path, importer }) => {
        if (importer.startsWith('/')) return undefined
        const from = importer === '<stdin>' ? '' : importer
        const resolved = new URL(path.replace(/\.js$/, '.ts'), `file:///${from}`).pathname.slice(1)
        return { path: resolved in files ? resolved : `${resolved}.ts`, namespace: 'files' }
      })
      build.onLoad({ filter: /.*/, namespace: 'files' }, ({ path }) => ({
        contents: files[path] ?? '',
        loader: 'ts',
        resolveDir: fileURLToPath(new URL('.', import.meta.url)),
      }))
    },
  }
}

/** What came of a call through a generated client. */
export interface CallResult {
  /**
   * The decoded value, or the failure that was thrown. Of a list that is fetched page by page: the
   * rows that were wanted.
   */
  readonly value?: unknown
  readonly failure?: unknown
  /** Of such a list: are there more rows, and how many in all, where the service said it? */
  readonly more?: boolean
  readonly total?: number
  /** The last request that was made, also when nobody answered or nothing was sent. */
  readonly request: Exchange['request'] | undefined
  /** Everything that went over the wire, in order. */
  readonly exchanges: readonly Exchange[]
  readonly deviations: readonly Deviation[]
  readonly milliseconds: number
}

/** How a call is made. */
export interface RunSettings {
  /** At how many rows to stop, of a list that is fetched page by page. */
  readonly mostRows: number
  /** Send nothing. */
  readonly preview?: boolean
  /** With `false` the answer is had as it came. */
  readonly checkAnswer?: boolean
  /** How long what is only accepted is followed. */
  readonly wait?: Time
  /** Headers of this call alone. */
  readonly headers?: Readonly<Record<string, string>>
}

/** A client of a bundled module, ready to call. */
export interface LoadedClient {
  /**
   * Sends one call: what an application would do, no more and no less. Calls may go side by side.
   */
  call(operation: Operation, input: unknown, settings: RunSettings): Promise<CallResult>
  /** Opens a batch of calls that travel in one request. Left out where a client has none. */
  batch?(preview: boolean): LoadedBatch
}

/** Calls that wait for each other. */
export interface LoadedBatch {
  /**
   * Adds a call.
   *
   * @param as its name, for later ones: `$name` anywhere in their inputs stands for the entity
   *   that it makes
   * @returns what came of it, when the batch was sent
   */
  add(
    operation: Operation,
    input: unknown,
    settings: RunSettings,
    as: string | undefined,
  ): Promise<CallResult>
  /**
   * Sends them all; with `together` all changes happen, or none of them does.
   *
   * @throws TypeError when calls refer to each other and are not sent together; nothing is sent then
   */
  send(together: boolean): Promise<void>
}

/** Thrown inside the client's `fetch` so that nothing is sent. */
class NothingSent extends Error {}

/** Did a call end because nothing was to be sent? */
export function wasNotSent(failure: unknown): boolean {
  return failure instanceof TransportFailure && failure.cause instanceof NothingSent
}

/** What is observed of one call, however many go side by side. */
interface Observed {
  readonly manner: RunSettings
  readonly exchanges: Exchange[]
  readonly deviations: Deviation[]
  request: Exchange['request'] | undefined
}

/** The call that is under way; one store for all clients, since each slows down every promise. */
const calls = new AsyncLocalStorage<Observed>()

/**
 * Loads a client from its bundle.
 *
 * @param bundle the path of the bundled module
 * @param className the name of the client class in it
 * @param query what every address gets, where a key has its place there and the contract does not
 *   say so
 */
export async function loadClient(
  bundle: string,
  className: string,
  settings: Settings,
  transport: NodeTransportSettings = {},
  query: Readonly<Record<string, string>> = {},
): Promise<LoadedClient> {
  const module = (await import(pathToFileURL(bundle).href)) as Readonly<Record<string, unknown>>
  const { operation: only, connect } = module as Partial<OneOperation>
  const Client = module[className] as ClientClass | undefined
  const openBatch = module['batch'] as ((connection: unknown) => Batch<Connection>) | undefined
  const logins = Object.values((module['logins'] ?? {}) as Readonly<Record<string, Login>>)
  const all = observedSettings({ ...settings, logins }, transport, query)
  if (Client === undefined) {
    if (connect === undefined) throw new Error(`the client has no class ${className}`)
    const connection = connect(all) as Connection
    return { call: callsOf(() => (input, thisCall) => only?.(connection, input, thisCall)) }
  }
  const call = callsOf(methodsOf(new Client(all)))
  if (openBatch === undefined) return { call }
  return {
    call,
    batch: (preview) =>
      loadedBatch(openBatch(new Client(all)['connection']), preview, (connection) =>
        methodsOf(new Client(connection.settings)),
      ),
  }
}

/** The class of a client. */
type ClientClass = new (settings: Settings) => Readonly<Record<string, unknown>>

/** Settings with which what goes over the wire is seen, and nothing goes where it is only shown. */
function observedSettings(
  settings: Settings,
  transport: NodeTransportSettings,
  query: Readonly<Record<string, string>>,
): Settings {
  const send = settings.fetch ?? nodeTransport(transport)
  return {
    ...settings,
    onDeviation: (deviation) => void calls.getStore()?.deviations.push(deviation),
    onExchange: (each) => {
      keepTokens(each)
      calls.getStore()?.exchanges.push(each)
    },
    fetch: (address, init) => {
      const url = withQuery(String(address), query)
      keepProofs(init)
      const observed = calls.getStore()
      if (observed !== undefined) {
        const headers = init?.headers as Record<string, string>
        const body = bodyText(init?.body)
        observed.request = { method: init?.method ?? 'GET', url, headers, body }
      }
      const isPreview = observed?.manner.preview === true
      return isPreview ? Promise.reject(new NothingSent()) : send(url, init)
    },
  }
}

/** Calls operations, and tells what came of each. */
function callsOf(method: MethodOf): LoadedClient['call'] {
  return async (operation, input, settings) => {
    const observed: Observed = {
      manner: settings,
      exchanges: [],
      deviations: [],
      request: undefined,
    }
    const started = performance.now()
    const told = await calls.run(observed, () =>
      outcomeOf(method(operation), operation, input, settings),
    )
    const { request, exchanges, deviations } = observed
    const milliseconds = Math.round(performance.now() - started)
    return { ...told, request, exchanges, deviations, milliseconds }
  }
}

/** @param clientOf a client whose requests wait in the batch */
function loadedBatch(
  batch: Batch<Connection>,
  preview: boolean,
  clientOf: (connection: Connection) => MethodOf,
): LoadedBatch {
  const settings = { mostRows: Infinity, preview }
  const observed: Observed = { manner: settings, exchanges: [], deviations: [], request: undefined }
  const named = new Map<string, BatchCall<unknown>>()
  const started = performance.now()
  return {
    async add(operation, input, how, as) {
      const own: Observed = { manner: how, exchanges: [], deviations: [], request: undefined }
      const call = batch.add((connection) =>
        calls.run(own, () =>
          outcomeOf(clientOf(connection)(operation), operation, withMade(input, named), how),
        ),
      )
      if (as !== undefined) named.set(as, call)
      const told = await call.outcome
      const { request, exchanges } = observed
      const { deviations } = own
      const milliseconds = Math.round(performance.now() - started)
      return { ...told, request, exchanges, deviations, milliseconds }
    },
    send: (together) =>
      calls.run(observed, () =>
        batch.send({ together }).catch((error: unknown) => {
          // What fails as a whole fails each call, which tells of it.
          if (!(error instanceof CallFailure)) throw error
        }),
      ),
  }
}

/** An input in which `$name` stands for what a call of that name makes. */
function withMade(value: unknown, named: ReadonlyMap<string, BatchCall<unknown>>): unknown {
  if (typeof value === 'string' && value.startsWith('$'))
    return named.get(value.slice(1))?.reference ?? value
  if (Array.isArray(value)) return value.map((each) => withMade(each, named))
  if (!isPlainObject(value)) return value
  return Object.fromEntries(
    Object.entries(value).map(([name, each]) => [name, withMade(each, named)]),
  )
}

/** A method of a client, or a function of one operation with its connection. */
type Method = (input: unknown, thisCall: ThisCall) => unknown
type MethodOf = (operation: Operation) => Method

/** What a bundle of one operation exports. */
interface OneOperation {
  connect(settings: Settings): Connection
  operation(connection: Connection, input: unknown, thisCall: ThisCall): unknown
}

function methodsOf(client: Readonly<Record<string, unknown>>): MethodOf {
  return (operation) => {
    const group = operation.path
      .slice(0, -1)
      .reduce((holder, step) => holder[groupName(step)] as typeof client, client)
    const method = group[methodName(operation)] as (
      this: unknown,
      ...rest: Parameters<Method>
    ) => unknown
    return (input, thisCall) => method.call(group, input, thisCall)
  }
}

async function outcomeOf(
  method: Method,
  operation: Operation,
  input: unknown,
  { mostRows, headers = {}, checkAnswer = true, wait }: RunSettings,
): Promise<Pick<CallResult, 'value' | 'failure' | 'more' | 'total'>> {
  const { outcome } = operation
  try {
    const answer = method(input, {
      headers,
      checkAnswer,
      ...present({ wait }),
    })
    if (outcome.kind === 'value' && outcome.stream === true)
      return whole(await firstItems(answer as AsyncIterable<unknown>, mostRows))
    if (outcome.kind === 'value' && outcome.iterable === true)
      return whole(await firstRows(answer as Listing<unknown>, mostRows))
    return whole({ value: await answer })
  } catch (failure) {
    return { failure }
  }
}

/** An answer that can be shown. @throws ContractBreach when it is nested too deeply for that */
function whole<Answer extends { readonly value: unknown }>(answer: Answer): Answer {
  if (isTooDeeplyNested(answer.value)) throw tooDeep()
  return answer
}

/** Tokens are as good as passwords: whatever proves who calls is not told. */
function keepProofs(init: RequestInit | undefined): void {
  const { authorization } = (init?.headers ?? {}) as Readonly<Record<string, string>>
  const [, proof] = /^\w+\s+(\S+)$/.exec(authorization ?? '') ?? []
  if (proof !== undefined) keepSecret(proof)
  for (const [, token = ''] of bodyText(init?.body).matchAll(
    /(?:^|&)(?:refresh_token|code|code_verifier)=([^&]+)/g,
  ))
    keepSecret(unescaped(token))
}

function unescaped(text: string): string {
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}

function withQuery(address: string, query: Readonly<Record<string, string>>): string {
  const added = new URLSearchParams(query).toString()
  return added === '' ? address : `${address}${address.includes('?') ? '&' : '?'}${added}`
}

function bodyText(body: unknown): string {
  if (typeof body === 'string') return body
  if (body instanceof Uint8Array) return new TextDecoder().decode(body)
  return ''
}

/** The first items of a sequence, which may have no end. */
async function firstItems(
  items: AsyncIterable<unknown>,
  most: number,
): Promise<{ value: unknown[]; more: boolean }> {
  const value: unknown[] = []
  for await (const item of items) {
    if (value.length >= most) return { value, more: true }
    value.push(item)
  }
  return { value, more: false }
}

/** The first rows of a list, from as many pages as that takes. */
async function firstRows(
  listing: Listing<unknown>,
  most: number,
): Promise<{ value: unknown[]; more: boolean; total?: number }> {
  const rows: unknown[] = []
  let total: number | undefined
  let more = false
  for await (const page of listing.pages()) {
    addAll(rows, page.rows)
    total ??= page.total
    more = rows.length > most || page.next !== undefined
    if (rows.length >= most) break
  }
  return { value: rows.slice(0, most), more, ...present({ total }) }
}
