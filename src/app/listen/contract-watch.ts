import { AsyncLocalStorage } from 'node:async_hooks'
import { endpointsOf, pathOf } from '../../contract/queries.js'
import { dialectNamed } from '../../dialects/registry.js'
import { ContractBreach, InputRejected } from '../../runtime/failures.js'
import type { PassedExchange } from '../../listen/listener.js'
import { reasonIn } from '../../stand-in/reason.js'
import { readyClient, type ClientOptions, type ReadyClient } from '../calls/ready-client.js'

/** What a contract says of an exchange. */
export interface Watched {
  /** The operation; undefined where the contract has none for the request. */
  readonly operation?: string
  /** What the contract does not allow, in the request or the answer. */
  readonly breaches: readonly string[]
}

/** Looks at exchanges by a contract. */
export interface ContractWatch {
  /** Where its service is. */
  readonly address: string
  look(exchange: PassedExchange): Promise<Watched>
  close(): Promise<void>
}

/**
 * Watches what passes by a contract: requests are understood as the stand-in understands them, and
 * answers read as the client reads them, which sends nothing for it.
 *
 * @throws Problem where the contract can't be opened, or says no address
 */
export async function contractWatch(
  contract: string,
  options: ClientOptions,
): Promise<ContractWatch> {
  const recorded = new AsyncLocalStorage<{ answer: Response | undefined }>()
  const client = await readyClient(contract, {
    ...options,
    // Nobody is asked for secrets: nothing is sent.
    preview: true,
    retries: 0,
    fetch: () => {
      const store = recorded.getStore()
      const { answer } = store ?? {}
      if (store !== undefined) store.answer = undefined
      return answer === undefined
        ? Promise.reject(new Error('nothing more was recorded'))
        : Promise.resolve(answer)
    },
  })
  const dialect = await dialectNamed(client.open.contract.dialect)
  const player = dialect.play(client.open.contract)
  const addresses = endpointsOf(client.open.contract).map((endpoint) => endpoint.address)
  // Where it is said to be for now comes before where the contract says it is.
  const bases = [
    ...(options.url === undefined ? [] : [basePath(options.url)]),
    ...addresses.map(basePath).sort((one, other) => other.length - one.length),
  ]
  const address = options.url ?? addresses[0] ?? ''
  return {
    address,
    close: () => client.close(),
    look: async (exchange) => {
      const { pathname, search } = new URL(exchange.request.url)
      const base = bases.find((each) => pathname === each || pathname.startsWith(`${each}/`)) ?? ''
      const request = {
        method: exchange.request.method,
        target: `/watched${pathname.slice(base.length)}${search}`,
        headers: lowerHeaders(exchange.request.headers),
        body: exchange.request.body.bytes,
      }
      if (player.several?.(request) !== undefined) return { breaches: [] }
      const understood = player.understand(request)
      if (!('operation' in understood))
        return { breaches: understood.status < 400 ? [] : [`the request: ${reasonIn(understood)}`] }
      const operation = pathOf(understood.operation)
      const answer = responseOf(exchange)
      const breaches =
        answer === undefined
          ? []
          : await recorded.run({ answer }, () => read(client, operation, understood.input))
      return { operation, breaches }
    },
  }
}

/** The path of an address, without a slash at its end. */
function basePath(address: string): string {
  return URL.canParse(address) ? new URL(address).pathname.replace(/\/$/, '') : ''
}

/** What the client has against an answer. */
async function read(client: ReadyClient, operation: string, input: object): Promise<string[]> {
  const ready = await client.operation(operation)
  const { deviations, ...result } = await ready.client.call(ready.operation, input, { mostRows: 1 })
  const failure = 'failure' in result ? result.failure : undefined
  const told = deviations.map(({ path, message }) => said('the answer', path, message))
  if (failure instanceof InputRejected)
    return failure.misfits.map(({ path, message }) => said('the request', path, message))
  return failure instanceof ContractBreach ? [...told, `the answer: ${failure.message}`] : told
}

function said(what: string, path: string, message: string): string {
  return path === '' ? `${what}: ${message}` : `${what}, ${path}: ${message}`
}

function responseOf({ response }: PassedExchange): Response | undefined {
  const { status, headers, body } = response
  if (status < 200 || status > 599) return undefined
  const encoding = headers.find(([name]) => /^content-encoding$/i.test(name))?.[1] ?? ''
  const empty = status === 204 || status === 205 || status === 304
  return new Response(empty ? null : new Uint8Array(body.decoded(encoding)), {
    status,
    headers: headers.filter(([name]) => !/^content-(?:encoding|length)$/i.test(name)) as [
      string,
      string,
    ][],
  })
}

function lowerHeaders(pairs: readonly (readonly [string, string])[]): Record<string, string> {
  return Object.fromEntries(pairs.map(([name, value]) => [name.toLowerCase(), value]))
}
