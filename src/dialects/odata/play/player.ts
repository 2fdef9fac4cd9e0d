import type { Contract, Endpoint, Operation, TypeId } from '../../../contract/contract.js'
import { endpointsOf, operationsOf } from '../../../contract/queries.js'
import { toPlain } from '../../../runtime/plain.js'
import { ContractBreach, type Misfit } from '../../../runtime/failures.js'
import { exactJson } from '../../../runtime/json/exact-json.js'
import { keyText } from '../../../runtime/odata/addresses.js'
import type { EntityOperation } from '../../../runtime/odata/input-checks.js'
import type { Invocation } from '../../../runtime/odata/invocations.js'
import { topLevel } from '../../../runtime/odata/query.js'
import { checkProperty, checkStructure } from '../../../runtime/odata/checking.js'
import { isStructure, keysOf, membersOf, type Property, type Purpose, type Reading, type Structure } from '../../../runtime/odata/model.js'
import { readProperty, readStructure, writeProperty, writeStructure } from '../../../runtime/odata/structure.js'
import type { LoadedDocument, Player, PlayRequest, PlayResponse, Rows, ServedDocument, UnderstoodCall } from '../../dialect.js'
import { operationLayout, type OperationLayout } from '../layout.js'
import { isServiceDocument } from '../reader.js'
import { NotAnExpression, NumberValue, parseLiteral, type Value } from './expression.js'
import { headersOf, jsonAnswer, livePieces, type ServiceSide } from './protocol-side.js'
import { countOf, page, readOptions, selected, shown, type Answering, type Options } from './query.js'
import { Tables, type Entity } from './tables.js'

/** A page of a list has at most so many rows, as services have it. */
const pageSize = 20

/** Plays the service's side of OData: reads addresses and bodies, and does with rows what the protocol says that is done with entities. */
export function playOData(contract: Contract): Player {
  return new ODataPlayer(contract)
}

type SetLayout = Exclude<OperationLayout, { kind: 'invoke' }>
type CallLayout = Extract<OperationLayout, { kind: 'invoke' }>

/** Something that can't be answered, with the status that says so. */
class Refusal extends Error {
  readonly status: number

  constructor(status: number, message: string) {
    super(message)
    this.status = status
  }
}

class ODataPlayer implements Player {
  private readonly side: ServiceSide
  private readonly tables: Tables
  private readonly sets = new Map<string, { entity: TypeId; singleton: boolean; operations: Map<string, Operation> }>()
  private readonly calls: { operation: Operation; layout: CallLayout; live: Invocation }[] = []
  private readonly endpoint: Endpoint
  /** The address at which it is played. */
  private base = ''

  constructor(contract: Contract) {
    const { side, trees, codecs } = livePieces(contract)
    this.side = side
    this.tables = new Tables(contract, codecs)
    this.endpoint = endpointsOf(contract)[0] as Endpoint
    for (const operation of operationsOf(contract)) {
      const layout = operationLayout(operation)
      const live = codecs.of(trees.operation(operation)) as EntityOperation & Invocation
      if (layout.kind === 'invoke') this.calls.push({ operation, layout, live })
      else {
        const set = this.sets.get(layout.path) ?? { entity: layout.entity, singleton: layout.singleton === true, operations: new Map<string, Operation>() }
        set.operations.set(layout.kind, operation)
        this.sets.set(layout.path, set)
      }
    }
  }

  metadata(documents: readonly LoadedDocument[], address: string): ServedDocument[] {
    this.base = address
    const { pathname } = new URL(address)
    return documents
      .filter((document) => !isServiceDocument(document.text))
      .map((document, at) => {
        let { text } = document
        for (const [reference, label] of document.refers) text = text.replaceAll(`"${reference}"`, `"${label}"`)
        return { target: at === 0 ? `${pathname}/$metadata` : `${pathname}/${document.label}`, mediaType: 'application/xml', text }
      })
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
    if (error instanceof NotAnExpression || error instanceof ContractBreach || error instanceof SyntaxError || error instanceof URIError) return this.side.failure(400, error.message)
    throw error
  }

  private route(request: PlayRequest): UnderstoodCall | PlayResponse {
    const [path = '', search = ''] = request.target.split('?')
    // The stand-in plays each contract under its name: the first step of the path.
    const steps = path.split('/').slice(2).filter((step) => step !== '').map(decodeURIComponent)
    const options = readOptions(search === '' ? [] : search.split('&').map((pair) => decodeURIComponent(pair.replaceAll('+', '%20'))))
    const [first, ...rest] = steps
    if (first === undefined) return this.serviceDocument()
    const [, name = '', brackets] = /^([^(]+)(?:\((.*)\))?$/s.exec(first) ?? []
    const set = this.sets.get(name)
    if (set === undefined) return this.call(request, undefined, first, options)
    const last = rest.at(-1)
    if (last === '$count' && rest.length === 1 && brackets === undefined) return this.onSet(request, name, 'count', undefined, options)
    if (rest.length === 0) {
      const key = brackets === undefined ? undefined : this.key(set.entity, brackets)
      const one = set.singleton || key !== undefined
      const kinds: Readonly<Record<string, SetLayout['kind']>> = one ? { GET: 'get', PATCH: 'update', MERGE: 'update', PUT: 'replace', DELETE: 'delete' } : { GET: 'list', POST: 'create' }
      const kind = kinds[request.method]
      if (kind === undefined || (request.method === 'PATCH') !== this.side.isNew && kind === 'update' || !set.operations.has(kind)) throw new Refusal(405, `${request.method} is not offered at ${first}.`)
      return this.onSet(request, name, kind, key, options)
    }
    return this.call(request, { set: name, brackets, steps: rest.slice(0, -1) }, last ?? '', options)
  }

  private serviceDocument(): PlayResponse {
    const names = [...this.sets.keys()]
    const json = this.side.isNew ? { '@odata.context': `${this.base}/$metadata`, value: names.map((name) => ({ name, kind: this.sets.get(name)?.singleton === true ? 'Singleton' : 'EntitySet', url: name })) } : { d: { EntitySets: names } }
    return jsonAnswer(200, json, headersOf(this.side))
  }

  private key(entity: TypeId, text: string): unknown {
    const structure = this.tables.structure(entity)
    const names = keysOf(structure)
    const members = membersOf(structure)
    const parts = topLevel(text)
    const [only] = names
    const value = (name: string, literal: string): unknown => this.value({ ...(members[name] as Property), nullable: false }, parseLiteral(literal.trim()), name)
    if (only !== undefined && names.length === 1 && parts.length === 1) return value(only, text.replace(new RegExp(`^\\s*${only}=`), ''))
    const given = new Map(parts.map((part) => [part.split('=')[0]?.trim() ?? '', part.slice(part.indexOf('=') + 1)]))
    const missing = names.find((name) => !given.has(name))
    if (missing !== undefined || given.size !== names.length) throw new Refusal(400, `The key of ${structure.type} is ${names.join(', ')}.`)
    return Object.fromEntries(names.map((name) => [name, value(name, given.get(name) ?? '')]))
  }

  /** A literal as a value of the client. */
  private value(property: Property, literal: Value, path: string): unknown {
    const json = literal instanceof NumberValue ? (/^-?\d{1,15}$/.test(literal.digits) ? Number(literal.digits) : exactJson(literal.digits)) : literal
    return readProperty(property, Array.isArray(json) ? json.join(',') : json, path, this.reading(() => undefined))
  }

  private reading(onDeviation: (deviation: Misfit) => void): Reading {
    return { wire: this.side.protocol, partial: true, onDeviation }
  }

  private body(request: PlayRequest): unknown {
    if (request.body.length === 0) return undefined
    return exactJson(new TextDecoder().decode(request.body))
  }

  /** The entity in a body; what does not fit what it is sent for is refused. */
  private entityBody(request: PlayRequest, structure: Structure, purpose: Purpose): Record<string, unknown> {
    const misfits: Misfit[] = []
    const value = readStructure(structure, this.body(request) ?? {}, 'body', this.reading((deviation) => misfits.push(deviation)))
    checkStructure(structure, value, 'body', purpose, misfits)
    if (misfits.length > 0) throw new Refusal(400, misfits.map(({ path, message }) => `${path}: ${message}`).join('; '))
    return value
  }

  private onSet(request: PlayRequest, set: string, kind: SetLayout['kind'], key: unknown, options: Options): UnderstoodCall {
    const facts = this.sets.get(set)
    const operation = facts?.operations.get(kind)
    if (facts === undefined || operation === undefined) throw new Refusal(404, `There is no ${set}.`)
    const unknown = Object.keys(options).find((name) => !['filter', 'select', 'expand', 'orderby', 'top', 'skip', 'search', 'count', 'inlinecount', 'skiptoken', 'format'].includes(name) && !name.startsWith('@'))
    if (unknown !== undefined) throw new Refusal(501, `The query option $${unknown} is not played here.`)
    const structure = this.tables.structure(facts.entity)
    const body = kind === 'create' || kind === 'update' || kind === 'replace' ? this.entityBody(request, structure, kind === 'update' ? 'change' : 'create') : undefined
    const input = { ...(key === undefined ? {} : { key }), ...(body === undefined ? {} : { body }), ...options }
    const perform = (rows: Rows): PlayResponse | undefined => {
      try {
        return this.perform(rows, { request, set, kind, entity: facts.entity, singleton: facts.singleton, key, body, options })
      } catch (error) {
        return this.refused(error)
      }
    }
    const type = { is: structure, ...(kind === 'list' ? { many: true } : {}) }
    return { operation, endpoint: this.endpoint, input, perform, ...this.answers(type, kind === 'create' ? 201 : 200, set, kind === 'count') }
  }

  /** Does what the protocol says that the operation does, on the rows of the set's table. */
  private perform(rows: Rows, { request, set, kind, entity: id, singleton, key, body, options }: Performing): PlayResponse | undefined {
    const { side, tables } = this
    const answering: Answering = {
      side,
      related: (entity, navigation) => tables.related(rows, entity, navigation),
      url: (entity) => this.entityUrl(entity),
      etag: (entity) => tables.etag(entity),
    }
    const all = tables.all(rows, set, id)
    if (all === undefined) return undefined
    const context = `${this.base}/$metadata#${set}`
    if (kind === 'count') return { status: 200, headers: { 'content-type': 'text/plain' }, body: String(selected(all, options, answering).length) }
    if (kind === 'list') return this.listed(selected(all, options, answering), request, options, answering, id, context)
    const one = (entity: Entity, status: number, headers: Readonly<Record<string, string>> = {}): PlayResponse =>
      jsonAnswer(status, side.entity(shown(entity, options, answering, id), `${context}${singleton ? '' : '/$entity'}`), { ...headersOf(side), etag: tables.etag(entity), ...headers })
    if (kind === 'create') {
      const made = tables.create(rows, set, id, body ?? {})
      return one(made, 201, { location: this.entityUrl(made) })
    }
    const found = singleton ? all[0] : tables.find(rows, set, id, key)
    if (found === undefined) throw new Refusal(404, `${set} has no entity with this key.`)
    const ifMatch = request.headers['if-match']
    if (ifMatch !== undefined && ifMatch !== '*' && ifMatch !== tables.etag(found)) throw new Refusal(412, 'The ETag is not that of the entity any more.')
    if (kind === 'get') return one(found, 200)
    if (kind === 'delete') {
      tables.remove(rows, found)
      return { status: 204, headers: {}, body: '' }
    }
    tables.change(found, body ?? {}, kind === 'replace')
    const now = (singleton ? tables.all(rows, set, id)?.[0] : tables.find(rows, set, id, key)) ?? found
    return /return=representation/.test(request.headers['prefer'] ?? '') ? one(now, 200) : { status: 204, headers: { etag: tables.etag(now) }, body: '' }
  }

  private listed(entities: readonly Entity[], request: PlayRequest, options: Options, answering: Answering, id: TypeId, context: string): PlayResponse {
    const wanted = page(entities, options)
    const from = countOf(options, 'skiptoken') ?? 0
    const size = Math.min(pageSize, Number(/maxpagesize=(\d+)/.exec(request.headers['prefer'] ?? '')?.[1] ?? pageSize))
    const rows = wanted.slice(from, from + size)
    const total = options['count'] === 'true' || options['inlinecount'] === 'allpages' ? entities.length : undefined
    const address = request.target.replace(/([?&])\$skiptoken=\d+&?/, '$1').replace(/[?&]$/, '')
    const next = from + size < wanted.length ? `${new URL(address, this.base).href}${address.includes('?') ? '&' : '?'}$skiptoken=${from + size}` : undefined
    return jsonAnswer(200, this.side.page(rows.map((each) => shown(each, options, answering, id)), { total, next, context }), headersOf(this.side))
  }

  private entityUrl(entity: Entity): string {
    const names = keysOf(entity.structure)
    const key: unknown = names.length === 1 ? entity.values[names[0] ?? ''] : entity.values
    return `${this.base}/${entity.table}${keyText(entity.structure, key, this.side.protocol)}`
  }

  /** A function or an action: bound to what stands before it in the path, or by itself. */
  private call(request: PlayRequest, bound: { set: string; brackets: string | undefined; steps: readonly string[] } | undefined, step: string, options: Options): UnderstoodCall {
    const [, name = '', brackets] = /^([^(]+)(?:\((.*)\))?$/s.exec(step) ?? []
    const given = new Map(topLevel(brackets ?? '').map((part) => [part.split('=')[0]?.trim() ?? '', part.slice(part.indexOf('=') + 1).trim()]))
    const candidates = this.calls.filter(({ layout: { call, on } }) => call === name && on?.path === bound?.set && (on === undefined || (on.many === true || on.singleton === true) === (bound?.brackets === undefined)) && (on?.cast ?? '') === (bound?.steps.join('/') ?? ''))
    // Overloads of functions are told by their parameters.
    const wires = (live: Invocation): string[] => Object.entries(live.parameters ?? {}).map(([own, { name: wire }]) => wire ?? own)
    const found = candidates.find(({ live, layout }) => layout.passing !== 'inline' || ([...given.keys()].every((each) => wires(live).includes(each)) && Object.entries(live.parameters ?? {}).every(([own, property]) => given.has(property.name ?? own) || property.optional === true || property.nullable === true)))
    if (found === undefined) throw new Refusal(404, bound === undefined ? `There is no ${step}.` : `${bound.set} has no ${[...bound.steps, step].join('/')}.`)
    const { operation, layout, live } = found
    if (layout.method !== request.method) throw new Refusal(405, `${request.method} is not offered at ${step}.`)
    const set = bound === undefined ? undefined : this.sets.get(bound.set)
    const input: Record<string, unknown> = {}
    if (set !== undefined && bound?.brackets !== undefined) input['key'] = this.key(set.entity, bound.brackets)
    const body = layout.passing === 'body' ? (this.body(request) ?? {}) : {}
    const misfits: Misfit[] = []
    for (const [own, property] of Object.entries(live.parameters ?? {})) {
      const value = this.parameter(layout, property, property.name ?? own, given, options, body as Readonly<Record<string, unknown>>)
      if (value !== undefined) {
        input[own] = value
        checkProperty(property, value, own, 'value', misfits)
      } else if (property.optional !== true && property.nullable !== true) misfits.push({ path: own, message: 'is missing' })
    }
    if (misfits.length > 0) throw new Refusal(400, misfits.map(({ path, message }) => `${path}: ${message}`).join('; '))
    return { operation, endpoint: this.endpoint, input, ...this.answers(live.returns, 200, name, false) }
  }

  private parameter(layout: CallLayout, property: Property, name: string, given: ReadonlyMap<string, string>, options: Options, body: Readonly<Record<string, unknown>>): unknown {
    if (layout.passing === 'body') return body[name] === undefined ? undefined : readProperty(property, body[name], name, this.reading(() => undefined))
    const written = layout.passing === 'query' ? options[name.toLowerCase()] : given.get(name)
    // An alias stands for what is behind the question mark.
    const text = written?.startsWith('@') === true ? options[written.toLowerCase()] : written
    if (text === undefined) return undefined
    if (property.many === true || (isStructure(property.is) && text !== 'null')) return readProperty(property, exactJson(text), name, this.reading(() => undefined))
    return this.value({ ...property, nullable: true }, parseLiteral(text), name)
  }

  /** How a value is answered that seed data names, or that is made up; and how a refusal is. */
  private answers(returns: Property | undefined, status: number, name: string, isCount: boolean): Pick<UnderstoodCall, 'answer' | 'fault'> {
    const { side } = this
    return {
      answer: (value) => {
        if (isCount) return { status: 200, headers: { 'content-type': 'text/plain' }, body: String(value as number) }
        if (returns === undefined || value === undefined || (value === null && side.isNew)) return { status: 204, headers: {}, body: '' }
        return jsonAnswer(status, side.result(this.written(returns, value), name), headersOf(side))
      },
      fault: (fault, detail, reason) => side.failure(/^\d{3}$/.test(fault.name) ? Number(fault.name) : 400, reason === '' ? String(toPlain(detail)) : reason, /^\d{3}$/.test(fault.name) ? undefined : fault.name),
    }
  }

  private written(returns: Property, value: unknown): unknown {
    const { protocol } = this.side
    if (!isStructure(returns.is)) return writeProperty(returns, value, protocol)
    const structure = typeof returns.is === 'function' ? returns.is() : (returns.is as Structure)
    const one = (each: unknown): unknown => (each === null ? null : writeStructure(structure, withoutUnknown(each as Record<string, unknown>, structure), protocol))
    return returns.many === true && Array.isArray(value) ? value.map(one) : one(value)
  }
}

interface Performing {
  readonly request: PlayRequest
  readonly set: string
  readonly kind: SetLayout['kind']
  readonly entity: TypeId
  readonly singleton: boolean
  readonly key: unknown
  readonly body: Record<string, unknown> | undefined
  readonly options: Options
}

/** Seed rows may have fields that are for the rules alone. */
function withoutUnknown(row: Record<string, unknown>, structure: Structure): Record<string, unknown> {
  const kinds = [structure, ...(structure.subtypes?.() ?? [])]
  return Object.fromEntries(Object.entries(row).filter(([name]) => name === '$is' || kinds.some((each) => Object.hasOwn(membersOf(each), name))))
}
