import { randomUUID } from 'node:crypto'
import { writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { Operation, Type } from '../../src/contract/contract.js'
import { fieldsFromPlain, fromPlain } from '../../src/contract/plain.js'
import { endpointsOf, operationsOf, pathOf } from '../../src/contract/queries.js'
import { withNulls } from '../../src/contract/with-nulls.js'
import type { PlayRequest, PlayResponse } from '../../src/dialects/dialect.js'
import { bundleClient, loadClient, type LoadedClient } from '../../src/exercise/run-client.js'
import { sampleInput, sampleValue } from '../../src/exercise/sample.js'
import { clientFiles } from '../../src/typescript/client.js'
import { runtimeSources } from '../../src/app/package-files.js'
import type { Edition } from './pairs.js'
import { pickFrom, Varied } from './varied.js'

/** The client of an edition, bundled: where the bundle is. */
export async function bundled(folder: string, edition: Edition): Promise<string> {
  const files = clientFiles(edition.contract, edition.names, edition.dialect, {
    contractName: 'quay',
    runtime: runtimeSources(),
    sources: {},
    inputs: '',
    importSuffix: '.js',
    runtimeFolder: undefined,
    credentials: [],
    sample: () => ({}),
  })
  const text = await bundleClient(Object.fromEntries(files.map((each) => [each.path, each.text])))
  const path = join(folder, `${randomUUID()}.mjs`)
  await writeFile(path, text)
  return path
}

/**
 * Calls every operation of a client, with inputs minimal, full and at random, while the stand-in's
 * player of another edition of its contract understands them and answers in as many ways.
 *
 * @param rounds how many inputs and answers at random
 * @param awaited operations that are called so often again until something goes wrong with them
 * @returns by the path of an operation what went wrong with calls of it, each once
 */
export async function callsAgainst(
  client: string,
  mine: Edition,
  played: Edition,
  rounds: number,
  awaited: { readonly paths: ReadonlySet<string>; readonly rounds: number } = noneAwaited,
): Promise<Map<string, Set<string>>> {
  let turn = 0
  const player = played.dialect.play(played.contract)
  const [endpoint] = endpointsOf(mine.contract)
  const loaded = await loadClient(client, mine.names.class, {
    url: 'http://127.0.0.1/quay',
    ...(endpoint === undefined ? {} : { endpoint: endpoint.name }),
    fetch: async (address, init) => {
      const answer = answerTo(player.understand(await requestOf(String(address), init)))
      const { status, headers, body } = answer
      return new Response(status === 204 ? null : (body as string), { status, headers })
    },
  })
  const value = (type: Type, name: string): unknown => {
    const usual = turn < 2 || (played.dialect.name === 'odata' && type.kind === 'scalar')
    const plain = usual
      ? sampleValue(played.contract, type, name, {
          full: turn === 1 || played.dialect.name === 'odata',
        })
      : new Varied(played.contract, pickFrom(turn)).value(type, name)
    return withNulls(played.contract, type, fromPlain(played.contract, type, plain))
  }
  const answerTo = (understood: ReturnType<typeof player.understand>): PlayResponse => {
    if (!('operation' in understood)) return understood
    const { outcome } = understood.operation
    const varied = new Varied(played.contract, pickFrom(turn))
    if (outcome.kind === 'nothing') return understood.answer(undefined, value)
    if (outcome.kind === 'value')
      return understood.answer(
        outcome.field.nullable && turn % 5 === 4
          ? null
          : value(outcome.field.type, outcome.field.name),
        value,
      )
    const plain =
      turn < 2
        ? Object.fromEntries(outcome.fields.map(({ name, type }) => [name, value(type, name)]))
        : fieldsFromPlain(played.contract, outcome.fields, varied.fields(outcome.fields))
    return understood.answer(plain, value)
  }
  const found = new Map<string, Set<string>>()
  const shown = new Set<string>()
  const isOver = (path: string): boolean =>
    turn >= rounds + 2 && (shown.has(path) || !awaited.paths.has(path))
  for (turn = 0; turn < rounds + awaited.rounds + 2; turn += 1)
    for (const operation of operationsOf(mine.contract).filter((each) => !isOver(pathOf(each))))
      for (const trouble of await called(loaded, mine, operation, turn)) {
        const path = pathOf(operation)
        found.set(path, (found.get(path) ?? new Set()).add(trouble))
        if (!/not played here/.test(trouble)) shown.add(path)
      }
  return found
}

const noneAwaited = { paths: new Set<string>(), rounds: 0 }

/** The request as the player takes it; bodies that are neither texts nor bytes are made by the platform. */
async function requestOf(address: string, init: RequestInit = {}): Promise<PlayRequest> {
  const { pathname, search } = new URL(address)
  const { method = 'GET', body } = init
  const isPlain = body === undefined || typeof body === 'string' || body instanceof Uint8Array
  const request = isPlain ? undefined : new Request(address, init)
  const headers = request?.headers ?? new Headers(init.headers)
  const text = typeof body === 'string' ? new TextEncoder().encode(body) : body
  return {
    method,
    target: `${pathname}${search}`,
    headers: Object.fromEntries(headers),
    body:
      request === undefined
        ? ((text ?? new Uint8Array()) as Uint8Array)
        : new Uint8Array(await request.arrayBuffer()),
  }
}

async function called(
  client: LoadedClient,
  { contract }: Edition,
  operation: Operation,
  turn: number,
): Promise<string[]> {
  const isWhole = contract.dialect === 'odata'
  const plain =
    turn < 2
      ? sampleInput(contract, operation, { full: turn === 1 || isWhole })
      : new Varied(contract, pickFrom(turn * 101)).input(operation)
  const { headers, ...inputs } = fieldsFromPlain(contract, operation.inputs, plain)
  const given = headers === undefined ? inputs : { ...inputs, headers }
  const { failure, deviations } = await client.call(operation, given, { mostRows: 5 })
  return [
    ...(failure === undefined ? [] : [String(failure)]),
    // What nobody knows is handed on, and mentioned: the call has all that it was promised.
    ...deviations
      .filter(({ message }) => message !== 'is not in the contract')
      .map(({ path, message }) => `${path.replace(/\d+/g, '')} ${message}`),
  ]
}
