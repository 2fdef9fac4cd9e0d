import { readFile } from 'node:fs/promises'
import { join, resolve } from 'node:path'
import type { Contract, Endpoint, Operation } from '../contract/contract.js'
import { matchName, nearestAdvice } from '../contract/nearest.js'
import { problem, Problem } from '../contract/problem.js'
import { endpointsOf, endpointsOffering, pathOf } from '../contract/queries.js'
import { fileReason } from '../contract/system-error.js'
import { connectionReason } from '../documents/fetching.js'
import { parseAssignment, parseInput, readInput } from '../exercise/input.js'
import type { CallResult } from '../exercise/run-client.js'
import { noNames } from '../contract/kept-names.js'
import { readCached, writeCached, cacheFolder } from '../project/cache.js'
import { bytesDigest } from '../project/snapshot.js'
import { ContractBreach, InputRejected, ServiceFault, TransportFailure } from '../runtime/failures.js'
import type { Exchange, Settings } from '../runtime/connection.js'
import { clientState } from './client-state.js'
import { preferredEndpoint } from './preferred-endpoint.js'
import { findOperation, inputsDigest, openContract, type OpenContract, type OpenOptions } from './open-contract.js'
import { buildMark } from './package-files.js'

export interface CallOptions extends OpenOptions {
  /** The text of an input, with what to call it in messages. */
  readonly input?: { readonly text: string; readonly what: string } | undefined
  /** `path=value`, on top of the input. */
  readonly with?: readonly string[] | undefined
  /** The address to call instead of the endpoint's own. */
  readonly url?: string | undefined
  readonly endpoint?: string | undefined
  readonly headers?: Readonly<Record<string, string>> | undefined
  /** Values of the variables in the endpoint's address. */
  readonly serverVariables?: Readonly<Record<string, string>> | undefined
  /** The media type to ask for. */
  readonly accept?: string | undefined
  /** Milliseconds for the whole call. */
  readonly timeLimit?: number | undefined
  /** Of a list that comes page by page: fetch every page, and not only the first hundred rows. */
  readonly all?: boolean | undefined
  /** Send nothing; tell what would be sent. */
  readonly preview?: boolean | undefined
}

/** What came of a call: with `problem`, it failed. */
export interface Called {
  readonly contract: Contract
  readonly operation: Operation
  readonly endpoint: Endpoint
  readonly address: string
  readonly result: CallResult
  /** The request that was made, also when nobody answered or nothing was sent. */
  readonly request: Exchange['request'] | undefined
  readonly problem: Problem | undefined
  /** Where the client that ran came from. */
  readonly client: 'its folder' | 'built aside'
  /** Why it did not come from its folder. */
  readonly asideBecause: string | undefined
}

/** So many rows of a list are fetched when nobody wants all of them. */
const usualRows = 100

/** Thrown inside the client's `fetch` so that nothing is sent. */
class NothingSent extends Error {}

/**
 * Calls an operation through the generated client itself: the one in its folder when that is current and unedited, else a fresh one
 * built aside.
 *
 * @param reference the contract's name in the project, or the location of its metadata
 * @throws Problem for what is wrong before anything is sent (the input of the wrong shape excepted: that is told in the result)
 */
export async function callOperation(reference: string, wanted: string, options: CallOptions): Promise<Called> {
  const open = await openContract(reference, options)
  const operation = findOperation(open, wanted)
  const endpoint = chooseEndpoint(open, operation, options.endpoint)
  const address = options.url ?? (await addressWith(open, endpoint, options.serverVariables ?? {}))
  if (!URL.canParse(address)) {
    throw problem('TM-1010', { option: options.url === undefined ? 'the address of the endpoint' : '--url', reason: `"${address}" is not a valid address`, remedy: 'Give one like --url http://127.0.0.1:4801/desk.' })
  }
  // Where the contract offers several media types, asking for one decides what comes; elsewhere it is just a header.
  const asked = options.accept === undefined ? undefined : operation.inputs.some((each) => each.name === 'accept' && each.place === 'header' && each.type.kind === 'enumeration') ? 'input' : 'header'
  const headers = asked === 'header' ? { ...options.headers, accept: options.accept ?? '' } : options.headers
  const plain = options.input === undefined || options.input.text.trim() === '' ? undefined : await parseInput(options.input.text, options.input.what)
  const input = await readInput(open.contract, operation, plain, [...(options.with ?? []), ...(asked === 'input' ? [`accept=${options.accept ?? ''}`] : [])].map(parseAssignment), readBytes)
  const { bundle, className, aside } = await bundleFor(open)
  const { runClient } = await import('../exercise/run-client.js')

  let request: Exchange['request'] | undefined
  const settings: Settings = {
    url: address,
    endpoint: endpoint.name,
    ...(headers === undefined ? {} : { headers }),
    ...(options.timeLimit === undefined ? {} : { timeLimit: options.timeLimit }),
    fetch: (target, init) => {
      request = { method: init?.method ?? 'GET', url: String(target), headers: init?.headers as Record<string, string>, body: bodyText(init?.body) }
      return options.preview === true ? Promise.reject(new NothingSent()) : fetch(target, init)
    },
  }
  const result = await runClient(bundle, className, operation, input, settings, options.all === true ? Infinity : usualRows)
  const failed = 'failure' in result && !(result.failure instanceof TransportFailure && result.failure.cause instanceof NothingSent)
  return {
    contract: open.contract,
    operation,
    endpoint,
    address,
    result,
    request,
    problem: failed ? problemOf(result, open.name, operation, address, options) : undefined,
    client: aside === undefined ? 'its folder' : 'built aside',
    asideBecause: aside,
  }
}

/** The address of an endpoint with the values that were given for its variables. */
async function addressWith(open: OpenContract, endpoint: Endpoint, variables: Readonly<Record<string, string>>): Promise<string> {
  if (Object.keys(variables).length === 0) return endpoint.address
  const { dialectNamed } = await import('../dialects/registry.js')
  const dialect = await dialectNamed(open.contract.dialect)
  const known = dialect.serverVariables?.(endpoint)
  for (const [name, value] of Object.entries(variables)) {
    const values = known?.variables[name]
    const names = Object.keys(known?.variables ?? {})
    if (values === undefined) throw problem('TM-1010', { option: '--server-variable', reason: `the address of "${endpoint.name}" has no variable "${name}"`, remedy: names.length === 0 ? 'It has none at all.' : `It has ${names.join(', ')}.` })
    if (values.length > 0 && !values.includes(value)) throw problem('TM-1010', { option: '--server-variable', reason: `"${name}" can't be "${value}"`, remedy: `It is one of ${values.join(', ')}.` })
  }
  return known?.address(variables) ?? endpoint.address
}

function bodyText(body: unknown): string {
  return typeof body === 'string' ? body : body instanceof Uint8Array ? new TextDecoder().decode(body) : ''
}

function chooseEndpoint(open: OpenContract, operation: Operation, wanted: string | undefined): Endpoint {
  const all = endpointsOf(open.contract)
  const offering = endpointsOffering(open.contract, operation)
  const configured = wanted ?? open.kept?.entry.endpoint
  if (configured === undefined) {
    const preferred = preferredEndpoint(offering, [operation])?.chosen
    if (preferred !== undefined) return preferred
  }
  const name = matchName(configured ?? '', all.map((endpoint) => endpoint.name))
  const endpoint = all.find((each) => each.name === name)
  if (endpoint === undefined) throw problem('TM-1005', { what: 'endpoint', name: configured ?? '', contract: open.name, nearest: nearestAdvice(configured ?? '', all.map((each) => each.name)) })
  if (!offering.includes(endpoint)) throw problem('TM-4006', { endpoint: endpoint.name, operation: pathOf(operation), offered: offering.map((each) => each.name).join(', ') })
  return endpoint
}

async function readBytes(path: string): Promise<Uint8Array> {
  return readFile(path).then(
    (bytes) => new Uint8Array(bytes),
    (error: unknown) => {
      throw problem('TM-1007', { what: path, reason: fileReason(error) }, { cause: error })
    },
  )
}

/** The client as a module that runs; `aside` says why it is not the one in the folder. */
async function bundleFor(open: OpenContract): Promise<{ bundle: string; className: string; aside: string | undefined }> {
  const { kept } = open
  const names = kept?.names ?? noNames
  const folder = kept === undefined ? undefined : resolve(kept.project.folder, kept.entry.folder)
  let aside: string | undefined = kept === undefined ? 'it is not part of a project' : undefined
  if (folder !== undefined) {
    const state = await clientState(folder)
    if (state.manifest === undefined) aside = 'no client was generated yet'
    else if (state.edited.length > 0) aside = `these files were edited by hand: ${state.edited.join(', ')}`
    else if (Object.keys(state.manifest.files).some((path) => !(path in state.texts))) aside = 'files of it are missing'
    else if (state.manifest.inputs !== inputsDigest(open, names)) aside = 'it is older than the contract'
    else {
      const bundle = await cachedBundle(`${state.texts['manifest.json'] ?? ''}`, folder)
      return { bundle, className: state.manifest.class, aside: undefined }
    }
  }
  const key = `${buildMark()} ${inputsDigest(open, names)}`
  const bundle = await cachedBundle(key, async () => {
    const { buildClient } = await import('./generate-client.js')
    return Object.fromEntries((await buildClient(open)).files.map((file) => [file.path, file.text]))
  })
  const { namesFor } = await import('./client-names.js')
  return { bundle, className: (await namesFor(open)).class, aside }
}

async function cachedBundle(key: string, source: string | (() => Promise<Record<string, string>>)): Promise<string> {
  const name = `client-${bytesDigest(key)}.mjs`
  if ((await readCached(name)) !== undefined) return join(cacheFolder(), name)
  const { bundleClient } = await import('../exercise/run-client.js')
  return writeCached(name, await bundleClient(typeof source === 'string' ? source : await source()))
}

/** A failed call as a problem to be told. */
function problemOf(result: CallResult, contract: string, operation: Operation, address: string, options: CallOptions): Problem {
  const { failure } = result
  const name = pathOf(operation)
  if (failure instanceof InputRejected) {
    const count = failure.misfits.length === 1 ? 'one place' : `${failure.misfits.length} places`
    return problem('TM-1013', { count, contract, operation: name }, { details: failure.misfits.map(({ path, message }) => `${path === '' ? 'the input' : path}: ${message}`), cause: failure })
  }
  if (failure instanceof ServiceFault) return problem('TM-4001', { reason: failure.message }, { cause: failure })
  if (failure instanceof ContractBreach) return problem('TM-4005', { reason: failure.message }, { cause: failure })
  if (failure instanceof TransportFailure) {
    if (failure.kind === 'timeout') return problem('TM-4003', { address, time: `${(options.timeLimit ?? 60_000) / 1000} s` }, { cause: failure })
    if (failure.kind === 'login') {
      const schemes = result.exchanges.at(-1)?.response.headers['www-authenticate']
      return problem('TM-4004', { address, status: failure.status ?? '', schemes: schemes === undefined ? '' : `, offering ${schemes}` }, { cause: failure })
    }
    return problem('TM-4002', { address, reason: connectionReason(failure.cause) }, { cause: failure })
  }
  return problem('TM-9001', { reason: failure instanceof Error ? failure.message : String(failure) }, { cause: failure })
}
