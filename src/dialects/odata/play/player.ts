import { special } from '../../../contract/special-members.js'
import type { Contract, Endpoint, Operation } from '../../../contract/contract.js'
import { marked, present } from '../../../contract/present.js'
import { endpointsOf, operationsOf } from '../../../contract/queries.js'
import { ContractBreach, type Violation } from '../../../runtime/failures.js'
import { exactJson } from '../../../runtime/json/exact-json.js'
import { checkProperty } from '../../../runtime/odata/checking.js'
import type { AnyInvocation } from '../../../runtime/odata/invocations.js'
import {
  isStructure,
  membersOf,
  type AnyProperty,
  type AnyStructure,
  structureOf,
} from '../../../runtime/odata/model.js'
import { topLevel } from '../../../runtime/odata/query.js'
import { readProperty, writeProperty, writeStructure } from '../../../runtime/odata/structure.js'
import { toPlain } from '../../../runtime/plain.js'
import type {
  LoadedDocument,
  Player,
  PlayRequest,
  PlayResponse,
  Rows,
  ServedDocument,
  SeveralCalls,
  UnderstoodCall,
} from '../../dialect.js'
import {
  operationSpecifics,
  type EntitySpecifics,
  type InvocationSpecifics,
  type ResourceSpecifics,
} from '../specifics.js'
import { isServiceDocument } from '../reader.js'
import { NotABatch, readBatch } from './batch.js'
import { NotAnExpression, parseLiteral } from './expression.js'
import { Performer, type Located, type SetFacts } from './performer.js'
import { headersOf, jsonAnswer, livePieces, type ServiceSide } from './protocol-side.js'
import { readOptions, type Options } from './query.js'
import { Refusal, RequestReader } from './requests.js'
import { Tables } from './tables.js'

/**
 * Plays the service's side of OData: reads addresses and bodies, and does with rows what the
 * protocol says that is done with entities.
 */
export function playOData(contract: Contract): Player {
  return new ODataPlayer(contract)
}

type Kind = EntitySpecifics['kind']

const queryOptions = [
  'filter',
  'select',
  'expand',
  'orderby',
  'top',
  'skip',
  'search',
  'count',
  'inlinecount',
  'skiptoken',
  'format',
  'apply',
  'deltatoken',
  'id',
  'compute',
]

class ODataPlayer implements Player {
  private readonly side: ServiceSide
  private readonly tables: Tables
  private readonly reader: RequestReader
  private readonly performer: Performer
  private readonly sets = new Map<string, SetFacts>()
  private readonly calls: PlayedCall[] = []
  private readonly endpoint: Endpoint
  /** The address at which it is played. */
  private base = ''

  constructor(contract: Contract) {
    const { side, trees, codecs } = livePieces(contract)
    this.side = side
    this.tables = new Tables(contract, codecs)
    this.endpoint = endpointsOf(contract)[0] as Endpoint
    this.reader = new RequestReader(
      side,
      (id) => this.tables.structure(id),
      (set) => this.sets.get(set)?.entity,
    )
    for (const operation of operationsOf(contract)) {
      const specifics = operationSpecifics(operation)
      if (specifics.kind === 'invoke')
        this.calls.push({
          operation,
          specifics,
          live: codecs.of(trees.operation(operation)) as AnyInvocation,
        })
      else {
        const id = idOf(specifics)
        const facts = this.sets.get(id) ?? {
          id,
          path: specifics.path,
          entity: specifics.entity,
          singleton: specifics.singleton === true,
          operations: new Map<Kind, Operation>(),
          streams: [],
        }
        facts.operations.set(specifics.kind, operation)
        this.sets.set(
          id,
          specifics.streams === undefined ? facts : { ...facts, streams: specifics.streams },
        )
      }
    }
    this.performer = new Performer({
      side,
      tables: this.tables,
      reader: this.reader,
      base: () => this.base,
    })
  }

  metadata(documents: readonly LoadedDocument[], address: string): ServedDocument[] {
    this.base = address
    const { pathname } = new URL(address)
    return documents
      .filter((document) => !isServiceDocument(document.text))
      .map((document, at) => {
        let { text } = document
        for (const [reference, label] of document.refers)
          text = text.replaceAll(`"${reference}"`, `"${label}"`)
        return {
          target: at === 0 ? `${pathname}/$metadata` : `${pathname}/${document.label}`,
          mediaType: /^\s*\{/.test(text) ? 'application/json' : 'application/xml',
          text,
        }
      })
  }

  several(request: PlayRequest): SeveralCalls | PlayResponse | undefined {
    if (!/\/\$batch(?:\?|$)/.test(request.target)) return undefined
    if (request.method !== 'POST')
      return this.side.failure(405, `${request.method} is not offered at $batch.`)
    try {
      return readBatch(request)
    } catch (error) {
      if (error instanceof NotABatch || error instanceof SyntaxError)
        return this.side.failure(400, `This is no batch: ${error.message}`)
      throw error
    }
  }

  understand(request: PlayRequest): UnderstoodCall | PlayResponse {
    try {
      return this.route(request)
    } catch (error) {
      return this.refused(error)
    }
  }

  private refused(error: unknown): PlayResponse {
    if (error instanceof Refusal) return this.side.failure(error.status, error.message)
    if (
      error instanceof NotAnExpression ||
      error instanceof ContractBreach ||
      error instanceof SyntaxError ||
      error instanceof URIError
    )
      return this.side.failure(400, error.message)
    throw error
  }

  private route(asked: PlayRequest): UnderstoodCall | PlayResponse {
    const request = queryInBody(asked)
    const [path = '', search = ''] = request.target.split('?')
    // The stand-in plays each contract under its name: the first step of the path.
    const steps = path
      .split('/')
      .slice(2)
      .filter((step) => step !== '')
      .map(decodeURIComponent)
    const options = readOptions(
      search === ''
        ? []
        : search.split('&').map((pair) => decodeURIComponent(pair.replaceAll('+', '%20'))),
    )
    const [first] = steps
    if (first === undefined) return this.serviceDocument()
    const found = this.locate(steps)
    if (found === undefined) return this.call(request, undefined, first, options)
    const { place, rest } = found
    const isOne = place.facts.singleton || place.key !== undefined
    const [next, after] = rest
    if (next === undefined)
      return this.onSet(request, place, this.kindFor(request, place, isOne, options), options)
    if (next === '$count' && rest.length === 1 && !isOne)
      return this.onSet(request, place, 'count', options)
    if (isOne && rest.length === 1 && (next === '$value' || place.facts.streams.includes(next)))
      return this.onSet(
        request,
        { ...place, stream: next === '$value' ? '' : next },
        streamDeeds.get(request.method) ?? 'unknown',
        options,
      )
    const [word, name] = this.side.isNew ? [after, next] : [next, after]
    const link =
      word === (this.side.isNew ? '$ref' : '$links') && rest.length === 2 ? name : undefined
    if (isOne && link !== undefined) return this.onLink(request, place, link, options)
    return this.call(request, { place, steps: rest.slice(0, -1) }, rest.at(-1) ?? '', options)
  }

  /**
   * The resource that an address begins with, as far as sets and what lies inside their entities
   * go.
   */
  private locate(
    steps: readonly string[],
  ): { place: Located; rest: readonly string[] } | undefined {
    const parse = (step: string): { name: string; brackets: string | undefined } => {
      const [, name = '', brackets] = /^([^(]+)(?:\((.*)\))?$/s.exec(step) ?? []
      return { name, brackets }
    }
    let place: Located | undefined
    let at = 0
    for (; at < steps.length; at += 1) {
      const { name, brackets } = parse(steps[at] ?? '')
      if (place !== undefined && place.key === undefined && !place.facts.singleton) break
      const facts: SetFacts | undefined = this.sets.get(
        place === undefined ? name : `${place.facts.id}/${name}`,
      )
      if (facts === undefined) break
      place = {
        facts,
        address: `${place === undefined ? '' : `${place.address}/`}${steps[at] ?? ''}`,
        key:
          brackets === undefined || facts.singleton
            ? undefined
            : this.reader.key(facts.entity, brackets),
        ...present({ outer: place }),
      }
    }
    return place === undefined ? undefined : { place, rest: steps.slice(at) }
  }

  private kindFor(
    request: PlayRequest,
    { facts, address }: Located,
    isOne: boolean,
    options: Options,
  ): Kind {
    const kinds: Readonly<Record<string, Kind>> = isOne
      ? { GET: 'get', PATCH: 'update', MERGE: 'update', PUT: 'replace', DELETE: 'delete' }
      : { GET: 'list', POST: facts.operations.has('createMedia') ? 'createMedia' : 'create' }
    const plain = options['deltatoken'] !== undefined ? 'changes' : kinds[request.method]
    const kind = options['apply'] !== undefined ? 'aggregate' : plain
    if (
      kind === undefined ||
      ((request.method === 'PATCH') !== this.side.isNew && kind === 'update') ||
      !facts.operations.has(kind)
    )
      throw new Refusal(405, `${request.method} is not offered at ${address}.`)
    return kind
  }

  private serviceDocument(): PlayResponse {
    const sets = [...this.sets.values()].filter(({ id }) => !id.includes('/'))
    const json = this.side.isNew
      ? {
          '@odata.context': `${this.base}/$metadata`,
          value: sets.map(({ id, singleton }) => ({
            name: id,
            kind: singleton ? 'Singleton' : 'EntitySet',
            url: id,
          })),
        }
      : { d: { EntitySets: sets.map(({ id }) => id) } }
    return jsonAnswer(200, json, headersOf(this.side))
  }

  private onSet(
    request: PlayRequest,
    place: Located,
    kind: Kind | 'unknown',
    options: Options,
  ): UnderstoodCall {
    const { facts, stream } = place
    const operation = kind === 'unknown' ? undefined : facts.operations.get(kind)
    if (operation === undefined || kind === 'unknown') {
      const behind = stream === undefined ? '' : `/${stream === '' ? '$value' : stream}`
      throw new Refusal(405, `${request.method} is not offered at ${place.address}${behind}.`)
    }
    checkOptions(request, options)
    const structure = this.tables.structure(facts.entity)
    const takesBody = kind === 'create' || kind === 'update' || kind === 'replace'
    const body = takesBody ? this.changed(request, structure, kind, facts) : undefined
    const returns: AnyProperty | undefined =
      kind === 'upload' || kind === 'clear' || kind === 'delete'
        ? undefined
        : { is: structure, ...marked({ many: kind === 'list' }) }
    const status = kind === 'create' || kind === 'createMedia' ? 201 : 200
    return {
      operation,
      endpoint: this.endpoint,
      input: {
        ...outerInput(place),
        ...present({ key: place.key, stream: stream === '' ? undefined : stream, body }),
        ...options,
      },
      perform: this.performing((rows) =>
        this.performer.perform(rows, { request, place, kind, body, options }),
      ),
      ...this.answers(returns, status, facts.path, kind === 'count'),
      ...present({ answer: this.specialAnswer(kind, `${this.base}/$metadata#${facts.id}`) }),
    }
  }

  /**
   * What is made up where there are no rows: bytes are bytes, and what is reckoned has no type of
   * its own.
   */
  private specialAnswer(
    kind: Kind,
    context: string,
  ): ((value: unknown) => PlayResponse) | undefined {
    const { side } = this
    const page = (rows: readonly unknown[]): PlayResponse =>
      jsonAnswer(
        200,
        side.page(rows, { total: undefined, next: undefined, context }),
        headersOf(side),
      )
    if (kind === 'aggregate') return (value) => page([value].flat())
    if (kind === 'changes') return () => page([])
    if (kind !== 'download') return undefined
    return (value) =>
      value instanceof Uint8Array
        ? { status: 200, headers: { 'content-type': 'application/octet-stream' }, body: value }
        : { status: 204, headers: {}, body: '' }
  }

  /** The entity in a body. On the wire an upsert is a change with all that a new entity has. */
  private changed(
    request: PlayRequest,
    structure: AnyStructure,
    kind: Kind,
    facts: SetFacts,
  ): Record<string, unknown> {
    if (kind !== 'update') return this.reader.entity(request, structure, 'create')
    try {
      return this.reader.entity(request, structure, 'change')
    } catch (error) {
      if (!(error instanceof Refusal) || !facts.operations.has('upsert')) throw error
      try {
        return this.reader.entity(request, structure, 'create')
      } catch {
        throw error
      }
    }
  }

  private onLink(
    request: PlayRequest,
    place: Located,
    step: string,
    options: Options,
  ): UnderstoodCall {
    const [, name = '', brackets] = /^([^(]+)(?:\((.*)\))?$/s.exec(step) ?? []
    const property = membersOf(this.tables.structure(place.facts.entity))[name]
    if (property?.navigation !== true)
      throw new Refusal(404, `${place.address} has no navigation property ${name}.`)
    const isMany = property.many === true
    const adding = request.method === (isMany ? 'POST' : 'PUT')
    const operation = place.facts.operations.get(adding ? 'link' : 'unlink')
    if (operation === undefined || (!adding && request.method !== 'DELETE'))
      throw new Refusal(405, `${request.method} is not offered at ${place.address}/${step}.`)
    const body = adding
      ? (this.reader.body(request) as Readonly<Record<string, unknown>> | undefined)
      : undefined
    const address = adding
      ? (body?.['@odata.id'] ?? body?.['@id'] ?? body?.['uri'])
      : (options['id'] ??
        (brackets === undefined ? undefined : `${property.binds ?? ''}(${brackets})`))
    if (address === undefined && (adding || isMany))
      throw new Refusal(400, 'It is not said which entity is meant.')
    const target =
      address === undefined ? undefined : this.reader.addressed(String(address as string))
    const input = {
      ...outerInput(place),
      ...present({ key: place.key }),
      [name]: target?.key ?? true,
    }
    return {
      operation,
      endpoint: this.endpoint,
      input,
      perform: this.performing((rows) => this.performer.link(rows, place, name, target, adding)),
      ...this.answers(undefined, 204, name, false),
    }
  }

  private performing(
    perform: (rows: Rows) => PlayResponse | undefined,
  ): (rows: Rows) => PlayResponse | undefined {
    return (rows) => {
      try {
        return perform(rows)
      } catch (error) {
        return this.refused(error)
      }
    }
  }

  /** A function or an action: bound to what stands before it in the path, or by itself. */
  private call(
    request: PlayRequest,
    bound: BoundTo | undefined,
    step: string,
    options: Options,
  ): UnderstoodCall {
    const [, name = '', brackets = ''] = /^([^(]+)(?:\((.*)\))?$/s.exec(step) ?? []
    const given = new Map(topLevel(brackets).map(parameterOf))
    const found = this.calls.find(
      ({ live, specifics }) => isCalled(specifics, name, bound) && isMeant(live, specifics, given),
    )
    if (found === undefined)
      throw new Refusal(
        404,
        bound === undefined
          ? `There is no ${step}.`
          : `${bound.place.address} has no ${[...bound.steps, step].join('/')}.`,
      )
    const { operation, specifics, live } = found
    if (specifics.method !== request.method)
      throw new Refusal(405, `${request.method} is not offered at ${step}.`)
    const addressed =
      bound === undefined
        ? {}
        : { ...outerInput(bound.place), ...present({ key: bound.place.key }) }
    return {
      operation,
      endpoint: this.endpoint,
      input: { ...addressed, ...this.parameters(found, request, given, options) },
      ...this.answers(live.returns, 200, name, false),
    }
  }

  /** @throws Refusal where they are not what they must be */
  private parameters(
    { specifics, live }: PlayedCall,
    request: PlayRequest,
    given: ReadonlyMap<string, string>,
    options: Options,
  ): Record<string, unknown> {
    const body = (specifics.passing === 'body' ? this.reader.body(request) : undefined) ?? {}
    const values: Record<string, unknown> = {}
    const violations: Violation[] = []
    for (const [own, property] of Object.entries(live.parameters ?? {})) {
      const value = this.parameter(
        specifics,
        property,
        property.name ?? own,
        given,
        options,
        body as Readonly<Record<string, unknown>>,
      )
      if (value !== undefined) {
        values[own] = value
        checkProperty(property, value, own, 'value', violations)
      } else if (!mayBeMissing(property)) violations.push({ path: own, message: 'is missing' })
    }
    if (violations.length > 0)
      throw new Refusal(
        400,
        violations.map(({ path, message }) => `${path}: ${message}`).join('; '),
      )
    return values
  }

  private parameter(
    specifics: InvocationSpecifics,
    property: AnyProperty,
    name: string,
    given: ReadonlyMap<string, string>,
    options: Options,
    body: Readonly<Record<string, unknown>>,
  ): unknown {
    if (specifics.passing === 'body')
      return body[name] === undefined
        ? undefined
        : readProperty(
            property,
            body[name],
            name,
            this.reader.reading(() => undefined),
          )
    const written = specifics.passing === 'query' ? options[name.toLowerCase()] : given.get(name)
    // An alias stands for what is behind the question mark.
    const text = written?.startsWith('@') === true ? options[written.toLowerCase()] : written
    if (text === undefined) return undefined
    if (property.many === true || (isStructure(property.is) && text !== 'null'))
      return readProperty(
        property,
        exactJson(text),
        name,
        this.reader.reading(() => undefined),
      )
    return this.reader.value({ ...property, nullable: true }, parseLiteral(text), name)
  }

  /** How a value is answered that seed data names, or that is made up; and how a refusal is. */
  private answers(
    returns: AnyProperty | undefined,
    status: number,
    name: string,
    isCount: boolean,
  ): Pick<UnderstoodCall, 'answer' | 'fault'> {
    const { side } = this
    return {
      answer: (value) => {
        if (isCount)
          return {
            status: 200,
            headers: { 'content-type': 'text/plain' },
            body: String(value as number),
          }
        if (returns === undefined || value === undefined || (value === null && side.isNew))
          return { status: 204, headers: {}, body: '' }
        return jsonAnswer(status, side.result(this.written(returns, value), name), headersOf(side))
      },
      fault: (fault, detail, reason) =>
        side.failure(
          /^\d{3}$/.test(fault.name) ? Number(fault.name) : 400,
          reason === '' ? String(toPlain(detail)) : reason,
          /^\d{3}$/.test(fault.name) ? undefined : fault.name,
        ),
    }
  }

  private written(returns: AnyProperty, value: unknown): unknown {
    const { protocol } = this.side
    if (!isStructure(returns.is)) return writeProperty(returns, value, protocol)
    const structure = structureOf(returns)
    const one = (each: unknown): unknown =>
      each === null
        ? null
        : writeStructure(
            structure,
            withoutUnknown(each as Record<string, unknown>, structure),
            protocol,
          )
    return returns.many === true && Array.isArray(value) ? value.map(one) : one(value)
  }
}

/** What an address of resources is known by: its names without keys. */
function idOf({ path, within = [] }: ResourceSpecifics): string {
  return [...within.map((step) => step.path), path].join('/')
}

/** The input `of`: the key of what a resource lies in, or the keys of all that it lies in. */
function outerInput({ outer }: Located): Record<string, unknown> {
  const keys: (readonly [string, unknown])[] = []
  for (let at = outer; at !== undefined; at = at.outer)
    if (at.key !== undefined) keys.unshift([at.facts.path, at.key])
  const [only, ...others] = keys
  return only === undefined ? {} : { of: others.length === 0 ? only[1] : Object.fromEntries(keys) }
}

/** A query in a body stands for one in the address (`$query`). */
function queryInBody(request: PlayRequest): PlayRequest {
  const at = request.target.indexOf('/$query')
  if (at === -1 || request.method !== 'POST') return request
  return {
    ...request,
    method: 'GET',
    target: `${request.target.slice(0, at)}?${new TextDecoder().decode(request.body)}`,
    body: new Uint8Array(),
  }
}

/** Seed rows may have fields that are for the rules alone. */
function withoutUnknown(
  row: Record<string, unknown>,
  structure: AnyStructure,
): Record<string, unknown> {
  const kinds = [structure, ...(structure.subtypes?.() ?? [])]
  return Object.fromEntries(
    Object.entries(row).filter(
      ([name]) => name === special.is || kinds.some((each) => Object.hasOwn(membersOf(each), name)),
    ),
  )
}

const streamDeeds = new Map<string, 'download' | 'upload' | 'clear'>([
  ['GET', 'download'],
  ['PUT', 'upload'],
  ['DELETE', 'clear'],
])

/** A function or an action, with the codecs of its parameters. */
interface PlayedCall {
  operation: Operation
  specifics: InvocationSpecifics
  live: AnyInvocation
}

/** What stands before a call in its path: an entity or a set, and the types it is cast to. */
interface BoundTo {
  readonly place: Located
  readonly steps: readonly string[]
}

/** Refuses query options that nobody plays. */
function checkOptions({ target }: PlayRequest, options: Options): void {
  const unknown = Object.keys(options).find(
    (name) => !queryOptions.includes(name) && !name.startsWith('@') && target.includes(`$${name}`),
  )
  if (unknown !== undefined)
    throw new Refusal(501, `The query option $${unknown} is not played here.`)
}

/** A parameter in brackets: its name, and its value as it is written. */
function parameterOf(text: string): readonly [string, string] {
  const at = text.indexOf('=')
  return [text.split('=')[0]?.trim() ?? '', text.slice(at + 1).trim()]
}

/** Is a function or action of this name bound to what stands before it? */
function isCalled(
  { call, on }: InvocationSpecifics,
  name: string,
  bound: BoundTo | undefined,
): boolean {
  if (call !== name) return false
  if (on === undefined || bound === undefined) return on === bound
  const isWhole = on.many === true || on.singleton === true
  return (
    idOf(on) === bound.place.facts.id &&
    isWhole === (bound.place.key === undefined) &&
    (on.cast ?? '') === bound.steps.join('/')
  )
}

/** Overloads of functions are told by their parameters. */
function isMeant(
  { parameters = {} }: AnyInvocation,
  { passing }: InvocationSpecifics,
  given: ReadonlyMap<string, string>,
): boolean {
  if (passing !== 'inline') return true
  const known = Object.entries(parameters).map(([own, property]) => ({
    name: property.name ?? own,
    isOptional: mayBeMissing(property),
  }))
  return (
    [...given.keys()].every((each) => known.some(({ name }) => name === each)) &&
    known.every(({ name, isOptional }) => isOptional || given.has(name))
  )
}

function mayBeMissing({ optional, nullable }: AnyProperty): boolean {
  return optional === true || nullable === true
}
