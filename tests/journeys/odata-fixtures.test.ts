import { readdir, readFile } from 'node:fs/promises'
import { join } from 'node:path'
import { beforeAll, describe, expect, test } from '@jest/globals'
import { readSource } from '../../src/app/contracts/read-source.js'
import type { Contract, Operation } from '../../src/contract/contract.js'
import { fieldsFromPlain } from '../../src/contract/plain.js'
import { operationsOf, pathOf } from '../../src/contract/queries.js'
import type { Player, PlayRequest } from '../../src/dialects/dialect.js'
import { odata } from '../../src/dialects/odata/index.js'
import { operationSpecifics } from '../../src/dialects/odata/specifics.js'
import { livePieces } from '../../src/dialects/odata/play/protocol-side.js'
import { sampleInput } from '../../src/exercise/sample.js'
import type { Connection } from '../../src/runtime/connection.js'
import * as aggregation from '../../src/runtime/odata/aggregation.js'
import * as changes from '../../src/runtime/odata/changes.js'
import * as invocations from '../../src/runtime/odata/invocations.js'
import * as links from '../../src/runtime/odata/links.js'
import * as media from '../../src/runtime/odata/media.js'
import * as entities from '../../src/runtime/odata/odata.js'
import { repository } from '../support/program.js'

/**
 * Metadata of our own in the styles of different producers: what each must be read as, sampled,
 * sent and compiled.
 */
const folder = join(repository, 'tests/fixtures/odata')
const files = await readdir(folder)
type Call = (connection: Connection, operation: unknown, input: object) => unknown
const calls = {
  ...entities,
  ...aggregation,
  ...changes,
  ...invocations,
  ...links,
  ...media,
  delete: entities.remove,
} as unknown as Readonly<Record<string, Call>>

/** What an operation sends for an input. */
async function sent(contract: Contract, operation: Operation, input: object): Promise<PlayRequest> {
  const { trees, codecs } = livePieces(contract)
  let request: PlayRequest | undefined
  const capture = ((url: string, init: RequestInit) => {
    const body = init.body as string | Uint8Array | undefined
    request = {
      method: init.method ?? 'GET',
      target: url.replace('http://stand.example', ''),
      headers: init.headers as Record<string, string>,
      body: typeof body === 'string' ? new TextEncoder().encode(body) : (body ?? new Uint8Array()),
    }
    return Promise.reject(new Error('seen'))
  }) as unknown as typeof fetch
  const connection: Connection = {
    settings: { url: 'http://stand.example/it', fetch: capture },
    endpoints: {},
    closed: new AbortController(),
  }
  const made = calls[operationSpecifics(operation).kind]?.(
    connection,
    { name: pathOf(operation), ...(codecs.of(trees.operation(operation)) as object) },
    input,
  ) as Promise<unknown> | { page(): Promise<unknown> }
  const failure: unknown = await ('page' in made ? made.page() : made).catch(
    (error: unknown) => error,
  )
  if (request === undefined) throw failure
  return request
}

describe.each(files)('%s', (file) => {
  let contract: Contract
  let player: Player
  beforeAll(async () => {
    contract = (await readSource(join(folder, file), 'fixture')).contract
    player = odata.play(contract)
    player.metadata([], 'http://stand.example/it')
  })

  test('is read with the notes that its first line names', async () => {
    const wanted = /Notes: (.*?)\./.exec(await readFile(join(folder, file), 'utf8'))?.[1] ?? 'none'
    expect(
      contract.notes
        .map(({ code }) => code)
        .sort()
        .join(' ') || 'none',
    ).toBe(wanted)
  })

  test('what its samples make is sent, and read by the stand-in as a call of the same operation', async () => {
    const told: string[] = []
    for (const operation of operationsOf(contract)) {
      for (const full of [false, true]) {
        const input = fieldsFromPlain(
          contract,
          operation.inputs,
          sampleInput(contract, operation, { full, rules: undefined }),
        )
        // What excludes each other, and what must be narrowed down, a sample can't know.
        const { kind } = operationSpecifics(operation)
        const links =
          kind === 'link' || kind === 'unlink'
            ? Object.keys((operationSpecifics(operation) as { targets: object }).targets)
            : []
        const chosen = links[full ? links.length - 1 : 0]
        const single =
          chosen === undefined
            ? {}
            : Object.fromEntries([
                ...links.map((name) => [name, undefined] as const),
                [
                  chosen,
                  fieldsFromPlain(
                    contract,
                    operation.inputs,
                    sampleInput(contract, operation, { full: true, rules: undefined }),
                  )[chosen],
                ],
              ])
        const request = await sent(contract, operation, { ...input, ...single }).catch(
          (error: unknown) => `${pathOf(operation)}: ${(error as Error).message}`,
        )
        if (typeof request === 'string') {
          // What the service says that it can't do is refused before it is asked.
          if (!/the service (?:can't|wants|says|answers only)/.test(request)) told.push(request)
          continue
        }
        const understood = player.understand(request)
        const what =
          'operation' in understood
            ? pathOf(understood.operation)
            : `${request.method} ${request.target} ${String(understood.status)} ${String(understood.body)}`
        // On the wire an upsert is an update, and what was asked for in changes is an address of
        // the service's own.
        if (
          what !== pathOf(operation) &&
          !what.includes('is not played here') &&
          !(kind === 'upsert' && what === pathOf(operation).replace('upsert', 'update')) &&
          kind !== 'changes'
        )
          told.push(`${pathOf(operation)}: ${what}`)
      }
    }
    expect(told).toEqual([])
  })
})
