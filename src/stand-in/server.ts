import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import { isIP, type AddressInfo } from 'node:net'
import { hostname } from 'node:os'
import type { Contract, Fault, Operation, Type } from '../contract/contract.js'
import { fieldsFromPlain, fromPlain, isPlainObject } from '../contract/plain.js'
import { problem } from '../contract/problem.js'
import { pathOf } from '../contract/queries.js'
import { messageOf } from '../contract/system-error.js'
import { withNulls } from '../contract/with-nulls.js'
import type {
  Dialect,
  LoadedDocument,
  PlayRequest,
  PlayResponse,
  ServedDocument,
  SeveralCalls,
  UnderstoodCall,
} from '../dialects/dialect.js'
import { toPlain } from '../runtime/plain.js'
import { MadeUp } from './made-up.js'
import { sendBadly, spoiled, turnsOf, type Misbehaviour, type Temper } from './misbehaviour.js'
import { reasonIn } from './reason.js'
import { RecordedState, type Recorded } from './recorded.js'
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
  /** Answers that were recorded; they come before anything else. */
  readonly recorded?: Recorded | undefined
  /** Makes a value for what the seed data does not say. */
  readonly improvise: (type: Type, name: string) => unknown
}

/** How a stand-in listens, and how it behaves. */
export interface Behaviour {
  /** 0 for any free port. */
  readonly port: number
  /** The address to listen on; loopback unless told otherwise. */
  readonly host?: string | undefined
  /** Milliseconds before each answer. */
  readonly delay?: number | undefined
  readonly temper?: Temper | undefined
}

/** What a request came to, for whoever watches. */
export interface Event {
  readonly contract: string
  /** The operation, or the method and target of what could not be understood. */
  readonly operation: string
  /** The input, in plain form, where it was understood. */
  readonly input?: unknown
  readonly status: number
  /** Where the answer came from. */
  readonly answered:
    'recorded' | 'by seed data' | 'by the protocol' | 'made up' | 'refused' | 'misbehaving'
  readonly misbehaviour?: Misbehaviour
  /** Why it was refused: the rule of the contract that it breaks. */
  readonly reason?: string
  /** How long it took, with the delay that was asked for. */
  readonly milliseconds?: number
}

export interface StandIn {
  /** Where each contract is played: its service and its metadata. */
  readonly addresses: readonly {
    readonly contract: string
    readonly service: string
    readonly metadata: string
  }[]
  /** What was asked so far, the latest last; at most the last thousand. */
  readonly asked: readonly Event[]
  /**
   * Puts its rows back to how the seed data has them, begins recorded answers anew, and forgets
   * what was asked.
   */
  reset(): void
  stop(): Promise<void>
}

/** So many events are remembered. */
const mostRemembered = 1000

interface PlayedContract {
  readonly prefix: string
  readonly part: Part
  readonly player: ReturnType<Dialect['play']>
  state: SeedState | undefined
  madeUp: MadeUp
  recorded: RecordedState | undefined
  documents: ReadonlyMap<string, ServedDocument>
}

type OnEvent = (event: Event) => void

/**
 * Starts a stand-in, on loopback unless told otherwise, which plays each contract under `/<name>`.
 *
 * @throws Problem TM-1016 when it can't listen there
 */
export async function startServer(
  parts: readonly Part[],
  behaviour: Behaviour,
  onEvent: OnEvent,
): Promise<StandIn> {
  const played = parts.map((part): PlayedContract => ({
    prefix: `/${part.name}`,
    part,
    player: part.dialect.play(part.contract),
    ...fresh(part),
    documents: new Map(),
  }))
  const asked: Event[] = []
  const host = behaviour.host ?? '127.0.0.1'
  const server = listenerFor(played, behaviour, host, (event) => {
    if (asked.push(event) > mostRemembered) asked.shift()
    onEvent(event)
  })
  await listen(server, behaviour.port, host)
  const { port } = server.address() as AddressInfo
  const base = `http://${host.includes(':') ? `[${host}]` : host}:${String(port)}`
  return {
    addresses: played.map((one) => addressesOf(one, base)),
    asked,
    reset: () => {
      for (const one of played) Object.assign(one, fresh(one.part))
      asked.length = 0
    },
    stop: () =>
      new Promise((resolve) => {
        server.close(() => resolve())
        server.closeAllConnections()
      }),
  }
}

function listenerFor(
  played: readonly PlayedContract[],
  { temper, delay }: Behaviour,
  host: string,
  tell: OnEvent,
): Server {
  const turn = temper === undefined ? () => undefined : turnsOf(temper)
  const server = createServer((request, response) => {
    // Whoever breaks off in the middle is gone: that is no trouble of others.
    for (const stream of [request, response]) stream.on('error', () => undefined)
    const handled = isCalledSo(request.headers.host, host)
      ? handle(played, request, turn, timed(tell, delay))
      : Promise.resolve({ answer: misdirected(request.headers.host ?? '') })
    handled.then(
      ({ answer, misbehaviour }: Handled) => {
        if (delay === undefined) respond(response, answer, misbehaviour)
        else setTimeout(() => respond(response, answer, misbehaviour), delay).unref()
      },
      (error: unknown) => respond(response, ownFailure(error)),
    )
  })
  server.on('clientError', (_error, socket) => {
    if (socket.writable) socket.end(notHttp)
  })
  return server
}

/** Tells events with how long each took, from now on. */
function timed(tell: OnEvent, delay = 0): OnEvent {
  const started = performance.now()
  return (event) =>
    tell({ ...event, milliseconds: Math.round(performance.now() - started) + delay })
}

/** Where a contract is played; its documents are served with that address in them. */
function addressesOf(one: PlayedContract, base: string): StandIn['addresses'][number] {
  const service = `${base}${one.prefix}`
  const documents = one.player.metadata(one.part.documents, service)
  one.documents = new Map(documents.map((document) => [document.target.toLowerCase(), document]))
  return {
    contract: one.part.name,
    service,
    metadata: `${base}${documents[0]?.target ?? one.prefix}`,
  }
}

const notHttpReason =
  'This is no request of HTTP, or one with a method that this server does not know.\n'
const notHttp = `HTTP/1.1 400 Bad Request\r\ncontent-type: text/plain; charset=utf-8\r\ncontent-length: ${String(notHttpReason.length)}\r\nconnection: close\r\n\r\n${notHttpReason}`

function fresh(part: Part): Pick<PlayedContract, 'state' | 'recorded' | 'madeUp'> {
  const { seed, recorded, contract } = part
  return {
    madeUp: new MadeUp(contract, ({ type, name }) => improvised(part, type, name)),
    state: seed === undefined ? undefined : new SeedState(seed),
    recorded: recorded === undefined ? undefined : new RecordedState(recorded),
  }
}

/** A value made from nothing, in the shapes of the client. */
function improvised({ contract, improvise }: Part, type: Type, name: string): unknown {
  return fromPlain(contract, type, improvise(type, name))
}

function listen(server: Server, port: number, host: string): Promise<void> {
  return new Promise((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) => {
      const reason = refusals(host)[error.code ?? ''] ?? error.message
      reject(problem('TM-1016', { port, reason }, { cause: error }))
    })
    server.listen(port, host, resolve)
  })
}

/** An answer, and how it is to be spoiled while it is sent. */
interface Handled {
  readonly answer: PlayResponse
  readonly misbehaviour?: Misbehaviour | undefined
}

async function handle(
  played: readonly PlayedContract[],
  request: IncomingMessage,
  turn: () => Misbehaviour | undefined,
  tell: OnEvent,
): Promise<Handled> {
  const target = request.url ?? '/'
  const path = target.replace(/[?#].*$/, '')
  const one = played.find(({ prefix }) => path === prefix || path.startsWith(`${prefix}/`))
  if (one === undefined)
    return {
      answer: {
        status: 404,
        headers: { 'content-type': 'text/plain; charset=utf-8' },
        body: `Nothing is played here. There is: ${played.map(({ prefix }) => prefix).join(', ')}\n`,
      },
    }
  const document = one.documents.get(target.toLowerCase())
  if (request.method === 'GET' && document !== undefined)
    return {
      answer: { status: 200, headers: { 'content-type': document.mediaType }, body: document.text },
    }
  const body = await readBody(request)
  if (body === undefined)
    return {
      answer: {
        status: 413,
        headers: { 'content-type': 'text/plain; charset=utf-8' },
        body: `A request of more than ${String(largestRequest / 1024 / 1024)} MB is not read.\n`,
      },
    }
  const asked: PlayRequest = {
    method: request.method ?? 'GET',
    target,
    headers: singleHeaders(request),
    body,
  }
  const misbehaviour = turn()
  if (misbehaviour !== undefined) return misbehave(one, asked, misbehaviour, tell)
  return { answer: play(one, asked, tell) }
}

function play(one: PlayedContract, asked: PlayRequest, tell: OnEvent): PlayResponse {
  const recorded = one.recorded?.play(asked, one.prefix)
  const several = recorded === undefined ? one.player.several?.(asked) : undefined
  if (several !== undefined) return 'units' in several ? handleSeveral(one, several, tell) : several
  return handleOne(one, asked, tell, recorded)
}

/** What would be answered, spoiled. Nothing happens to the rows of a stand-in that fails. */
function misbehave(
  one: PlayedContract,
  asked: PlayRequest,
  misbehaviour: Misbehaviour,
  tell: OnEvent,
): Handled {
  const undo = one.state?.remember()
  const told: Event[] = []
  const good = play(one, asked, (event) => void told.push(event))
  undo?.()
  const [event] = told
  const understood = misbehaviour === 'faulty' ? one.player.understand(asked) : undefined
  const answer =
    understood !== undefined && 'operation' in understood
      ? understood.fault(
          unknownFault(understood.operation, '500'),
          undefined,
          'Something went wrong inside the service.',
        )
      : (spoiled(misbehaviour, good) ?? good)
  tell({
    contract: one.part.name,
    operation: `${asked.method} ${asked.target}`,
    ...event,
    status: answer.status,
    answered: 'misbehaving',
    misbehaviour,
  })
  return { answer, misbehaviour }
}

function handleOne(
  one: PlayedContract,
  request: PlayRequest,
  tell: OnEvent,
  recorded?: PlayResponse,
): PlayResponse {
  const contract = one.part.name
  const understood = one.player.understand(request)
  if (!('operation' in understood)) {
    const answer = recorded ?? understood
    // What needs no operation, like a list of what there is, is no refusal.
    const refused = recorded === undefined && answer.status >= 400
    const untold = refused ? 'refused' : 'by the protocol'
    tell({
      contract,
      operation: `${request.method} ${request.target}`,
      status: answer.status,
      answered: recorded !== undefined ? 'recorded' : untold,
      ...(refused ? { reason: reasonIn(answer) } : {}),
    })
    return answer
  }
  const isChosen = one.part.chosen?.has(pathOf(understood.operation)) !== false
  const made = (): ReturnType<typeof perform> =>
    isChosen
      ? perform(one, understood)
      : { answer: notChosen(understood.operation), answered: 'refused' }
  const performed =
    recorded === undefined ? made() : { answer: recorded, answered: 'recorded' as const }
  const { answer, answered } = performed
  tell({
    contract,
    operation: pathOf(understood.operation),
    input: toPlain(understood.input),
    status: answer.status,
    answered,
    ...(answered === 'refused' ? { reason: reasonIn(answer) } : {}),
  })
  return answer
}

function notChosen(operation: Operation): PlayResponse {
  return {
    status: 404,
    headers: { 'content-type': 'text/plain; charset=utf-8' },
    body: `${pathOf(operation)} is not played: "only" in tolmach.yaml leaves it out.\n`,
  }
}

/** Plays unit after unit; what happened in one that failed did not happen. */
function handleSeveral(one: PlayedContract, several: SeveralCalls, tell: OnEvent): PlayResponse {
  const answers: PlayResponse[][] = []
  const made = new Map<string, string>()
  for (const unit of several.units) {
    const undo = one.state?.remember()
    const group: PlayResponse[] = []
    for (const { id, request } of unit) {
      const answer = handleOne(one, several.resolved(request, made), tell)
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

/**
 * Plays an operation: by the rules of the seed data, else as the dialect's standard says, else with
 * a made-up outcome.
 */
function perform(
  { part, state, madeUp }: PlayedContract,
  call: UnderstoodCall,
): { answer: PlayResponse; answered: Event['answered'] } {
  const { operation } = call
  const played = state?.play(pathOf(operation), toPlain(call.input) as Record<string, unknown>)
  if (played?.kind === 'fault') {
    const fault = operation.faults.find((each) => each.name === played.name)
    return {
      answer:
        fault === undefined
          ? call.fault(unknownFault(operation, played.name), undefined, played.reason)
          : call.fault(fault, fromPlain(part.contract, fault.type, played.detail), played.reason),
      answered: 'by seed data',
    }
  }
  const performed = played === undefined ? call.perform?.((table) => state?.rows(table)) : undefined
  if (performed !== undefined) return { answer: performed, answered: 'by the protocol' }
  return {
    answer: call.answer(
      played === undefined
        ? madeUp.outcome(operation, call.input as Record<string, unknown>)
        : knownOutcome(part, operation, played.value),
      (type, name) => improvised(part, type, name),
    ),
    answered: played === undefined ? 'made up' : 'by seed data',
  }
}

/** A fault that the contract does not declare. */
function unknownFault({ origin }: Operation, name: string): Fault {
  return { name, type: { kind: 'nothing' }, origin }
}

/** An outcome that the seed data says, in plain form. */
function knownOutcome({ contract }: Part, { outcome }: Operation, plain: unknown): unknown {
  switch (outcome.kind) {
    case 'nothing':
      return undefined
    case 'value': {
      const { type } = outcome.field
      return withNulls(contract, type, fromPlain(contract, type, plain))
    }
    case 'record': {
      const given = fieldsFromPlain(contract, outcome.fields, isPlainObject(plain) ? plain : {})
      return withNulls(contract, { ...outcome, kind: 'record' }, given)
    }
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
  return Object.fromEntries(
    Object.entries(request.headers).map(([name, value]) => [
      name,
      Array.isArray(value) ? value.join(', ') : (value ?? ''),
    ]),
  )
}

/** Sends an answer; one that HTTP can't carry becomes one that says so. */
function respond(
  response: ServerResponse,
  answer: PlayResponse,
  misbehaviour?: Misbehaviour,
): void {
  if (response.destroyed) return
  try {
    if (misbehaviour !== undefined && sendBadly(misbehaviour, answer, response)) return
    response.writeHead(answer.status, answer.headers)
    response.end(answer.body)
  } catch (error) {
    if (response.headersSent) {
      response.destroy()
      return
    }
    const { status, headers, body } = ownFailure(error)
    response.writeHead(status, headers)
    response.end(body)
  }
}

/** What is answered when an exchange goes wrong in the stand-in itself: the others go on. */
function ownFailure(error: unknown): PlayResponse {
  return {
    status: 500,
    headers: { 'content-type': 'text/plain; charset=utf-8' },
    body: `The stand-in can't answer this: ${messageOf(error)}\n`,
  }
}

/**
 * Is a request meant for this server? A page of somebody else's in a browser can have its own name
 * lead to this machine, and would then be let in as if it were at home here; the name that it calls
 * gives it away.
 */
function isCalledSo(called: string | undefined, host: string): boolean {
  if (called === undefined) return true
  const name = called
    .replace(/:\d+$/, '')
    .replace(/^\[|\]$/g, '')
    .toLowerCase()
  return (
    name === 'localhost' ||
    name.endsWith('.localhost') ||
    isIP(name) !== 0 ||
    name === host.toLowerCase() ||
    name === hostname().toLowerCase()
  )
}

function misdirected(called: string): PlayResponse {
  return {
    status: 421,
    headers: { 'content-type': 'text/plain; charset=utf-8' },
    body: `The stand-in is not called ${JSON.stringify(called)}. Call it by its address, or as localhost.\n`,
  }
}

/** Why nobody can listen, by the system's code. */
function refusals(host: string): Readonly<Record<string, string>> {
  const unknown = `this machine has no address ${host}`
  return {
    EADDRINUSE: 'another program listens there',
    EACCES: 'the system forbids it',
    EADDRNOTAVAIL: unknown,
    ENOTFOUND: unknown,
  }
}
