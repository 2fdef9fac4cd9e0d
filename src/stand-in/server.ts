import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import type { Contract, Field, Operation, Type } from '../contract/contract.js'
import { fieldsFromPlain, fromPlain, isPlainObject } from '../contract/plain.js'
import { problem } from '../contract/problem.js'
import { pathOf } from '../contract/queries.js'
import type { Dialect, LoadedDocument, PlayRequest, PlayResponse, ServedDocument, SeveralCalls, UnderstoodCall } from '../dialects/dialect.js'
import { toPlain } from '../runtime/plain.js'
import { SeedState, type Seed } from './seed.js'

/** A request larger than this is refused. */
const largestRequest = 64 * 1024 * 1024

/** One contract for the stand-in to play. */
export interface Part {
  readonly name: string
  readonly contract: Contract
  /** The paths of the operations that it plays; all of them when left out. */
  readonly chosen?: ReadonlySet<string>
  readonly dialect: Dialect
  readonly documents: readonly LoadedDocument[]
  readonly seed: Seed | undefined
  /** Makes a value for what the seed data does not say. */
  readonly improvise: (type: Type, name: string) => unknown
}

/** What a request came to, for whoever watches. */
export interface Event {
  readonly contract: string
  readonly operation: string
  readonly status: number
}

export interface StandIn {
  /** Where each contract is played: its service and its metadata. */
  readonly addresses: readonly { readonly contract: string; readonly service: string; readonly metadata: string }[]
  stop(): Promise<void>
}

interface Stage {
  readonly part: Part
  readonly player: ReturnType<Dialect['play']>
  readonly state: SeedState | undefined
  documents: ReadonlyMap<string, ServedDocument>
}

/**
 * Starts a stand-in on loopback, which plays each contract under `/<name>`.
 *
 * @param port 0 for any free one
 * @throws Problem TM-1016 when it can't listen there
 */
export async function startServer(parts: readonly Part[], port: number, onEvent: (event: Event) => void): Promise<StandIn> {
  const stages = new Map<string, Stage>()
  for (const part of parts) stages.set(`/${part.name}`, { part, player: part.dialect.play(part.contract), state: part.seed === undefined ? undefined : new SeedState(part.seed), documents: new Map() })
  const server = createServer((request, response) => {
    handle(stages, request, onEvent).then(
      (answer) => respond(response, answer),
      (error: unknown) => respond(response, { status: 500, headers: { 'content-type': 'text/plain; charset=utf-8' }, body: error instanceof Error ? error.message : String(error) }),
    )
  })
  await listen(server, port)
  const base = `http://127.0.0.1:${String((server.address() as AddressInfo).port)}`
  const addresses = [...stages].map(([path, stage]) => {
    const service = `${base}${path}`
    const documents = stage.player.metadata(stage.part.documents, service)
    stage.documents = new Map(documents.map((document) => [document.target.toLowerCase(), document]))
    return { contract: stage.part.name, service, metadata: `${base}${documents[0]?.target ?? path}` }
  })
  return {
    addresses,
    stop: () =>
      new Promise((resolve) => {
        server.close(() => resolve())
        server.closeAllConnections()
      }),
  }
}

function listen(server: Server, port: number): Promise<void> {
  return new Promise((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) => {
      const reason = error.code === 'EADDRINUSE' ? 'another program listens there' : error.code === 'EACCES' ? 'the system forbids it' : error.message
      reject(problem('TM-1016', { port, reason }, { cause: error }))
    })
    server.listen(port, '127.0.0.1', resolve)
  })
}

async function handle(stages: ReadonlyMap<string, Stage>, request: IncomingMessage, onEvent: (event: Event) => void): Promise<PlayResponse> {
  const target = request.url ?? '/'
  const path = target.replace(/[?#].*$/, '')
  const stage = [...stages].find(([prefix]) => path === prefix || path.startsWith(`${prefix}/`))?.[1]
  if (stage === undefined) return { status: 404, headers: { 'content-type': 'text/plain; charset=utf-8' }, body: `Nothing is played here. There is: ${[...stages.keys()].join(', ')}\n` }
  const document = stage.documents.get(target.toLowerCase())
  if (request.method === 'GET' && document !== undefined) return { status: 200, headers: { 'content-type': document.mediaType }, body: document.text }
  const body = await readBody(request)
  if (body === undefined) return { status: 413, headers: {}, body: '' }
  const asked: PlayRequest = { method: request.method ?? 'GET', target, headers: singleHeaders(request), body }
  const several = stage.player.several?.(asked)
  if (several === undefined) return handleOne(stage, asked, onEvent)
  return 'units' in several ? handleSeveral(stage, several, onEvent) : several
}

function handleOne(stage: Stage, request: PlayRequest, onEvent: (event: Event) => void): PlayResponse {
  const understood = stage.player.understand(request)
  const answer = !('operation' in understood) ? understood : stage.part.chosen?.has(pathOf(understood.operation)) === false ? notChosen(understood.operation) : perform(stage, understood)
  onEvent({ contract: stage.part.name, operation: 'operation' in understood ? pathOf(understood.operation) : `${request.method} ${request.target}`, status: answer.status })
  return answer
}

function notChosen(operation: Operation): PlayResponse {
  return { status: 404, headers: { 'content-type': 'text/plain; charset=utf-8' }, body: `${pathOf(operation)} is not played: "only" in tolmach.yaml leaves it out.\n` }
}

/** Plays unit after unit; what happened in one that failed did not happen. */
function handleSeveral(stage: Stage, several: SeveralCalls, onEvent: (event: Event) => void): PlayResponse {
  const answers: PlayResponse[][] = []
  const made = new Map<string, string>()
  for (const unit of several.units) {
    const undo = stage.state?.remember()
    const group: PlayResponse[] = []
    for (const { id, request } of unit) {
      const answer = handleOne(stage, several.resolved(request, made), onEvent)
      group.push(answer)
      const { location } = answer.headers
      if (id !== '' && location !== undefined) made.set(id, location)
      if (answer.status >= 400) break
    }
    const failed = group.find(({ status }) => status >= 400)
    if (failed !== undefined) undo?.()
    answers.push(failed === undefined ? group : [failed])
    if (failed !== undefined && !several.goesOn) break
  }
  return several.answer(answers)
}

/** Plays an operation: by the rules of the seed data, else as the dialect's standard says, else with a made-up outcome. */
function perform({ part, state }: Stage, call: UnderstoodCall): PlayResponse {
  const { operation } = call
  const played = state?.play(pathOf(operation), toPlain(call.input) as Record<string, unknown>)
  if (played?.kind === 'fault') {
    const fault = operation.faults.find((each) => each.name === played.name)
    if (fault === undefined) return call.fault({ name: played.name, type: { kind: 'nothing', origin: operation.origin }, origin: operation.origin }, undefined, played.reason)
    return call.fault(fault, fromPlain(part.contract, fault.type, played.detail), played.reason)
  }
  const performed = played === undefined ? call.perform?.((table) => state?.rows(table)) : undefined
  return performed ?? call.answer(outcomeValue(part, operation, played?.value, played !== undefined))
}

function outcomeValue(part: Part, { outcome }: Operation, plain: unknown, isKnown: boolean): unknown {
  const value = (field: Field): unknown => fromPlain(part.contract, field.type, part.improvise(field.type, field.name))
  switch (outcome.kind) {
    case 'nothing':
      return undefined
    case 'value':
      return isKnown ? fromPlain(part.contract, outcome.field.type, plain) : value(outcome.field)
    case 'record':
      return isKnown ? fieldsFromPlain(part.contract, outcome.fields, isPlainObject(plain) ? plain : {}) : Object.fromEntries(outcome.fields.map((field) => [field.name, value(field)]))
  }
}

async function readBody(request: IncomingMessage): Promise<Uint8Array | undefined> {
  const chunks: Buffer[] = []
  let size = 0
  for await (const chunk of request as AsyncIterable<Buffer>) {
    size += chunk.length
    if (size > largestRequest) return undefined
    chunks.push(chunk)
  }
  return Buffer.concat(chunks)
}

function singleHeaders(request: IncomingMessage): Record<string, string> {
  return Object.fromEntries(Object.entries(request.headers).map(([name, value]) => [name, Array.isArray(value) ? value.join(', ') : (value ?? '')]))
}

function respond(response: ServerResponse, { status, headers, body }: PlayResponse): void {
  response.writeHead(status, headers)
  response.end(body)
}
