import type { Operation, TypeId } from '../../../contract/contract.js'
import { isBinding, keyText } from '../../../runtime/odata/addresses.js'
import { keyOf } from '../../../runtime/odata/model.js'
import { base64ToBytes, bytesToBase64 } from '../../../runtime/plain.js'
import type { PlayRequest, PlayResponse, Rows } from '../../dialect.js'
import type { EntitySpecifics } from '../specifics.js'
import { aggregated } from './aggregation.js'
import { NumberValue } from './expression.js'
import { headersOf, jsonAnswer, type ServiceSide } from './protocol-side.js'
import { countOf, page, scopeOf, selected, shown, type Answering, type Options } from './query.js'
import { Refusal, type BoundKey, type RequestReader } from './requests.js'
import type { Entity, Tables } from './tables.js'

/** A page of a list has at most so many rows, as services have it. */
const pageSize = 20

/** An entity set, a singleton, or what lies inside entities: what can be done with it. */
export interface SetFacts {
  /** Its names without keys: `Vessels/Logs`. */
  readonly id: string
  readonly path: string
  readonly entity: TypeId
  readonly singleton: boolean
  readonly operations: Map<EntitySpecifics['kind'], Operation>
  readonly streams: readonly string[]
}

/** What an address leads to. */
export interface Located {
  readonly facts: SetFacts
  /** As it was written, below the service root. */
  readonly address: string
  readonly key: unknown
  /** What it lies in. */
  readonly outer?: Located
  /** A stream of the entity; an empty name is the entity's own. */
  readonly stream?: string
}

interface Performing {
  readonly request: PlayRequest
  readonly place: Located
  readonly kind: EntitySpecifics['kind']
  readonly body: Record<string, unknown> | undefined
  readonly options: Options
}

/** What is done, with the rows that it is done to. */
interface Scene extends Performing {
  readonly rows: Rows
  readonly table: string
  readonly all: readonly Entity[]
  readonly answering: Answering
  /** The context URL of the set. */
  readonly context: string
}

const done: PlayResponse = { status: 204, headers: {}, body: '' }

function counted({ all, options, answering }: Scene): PlayResponse {
  const body = String(selected(all, options, answering).length)
  return { status: 200, headers: { 'content-type': 'text/plain' }, body }
}

/** What is kept of streams, beside the properties of a row. */
type Streams = Readonly<Record<string, { readonly type: string; readonly content: string }>>

/** Does with rows what the protocol says that is done with entities. */
export class Performer {
  private readonly side: ServiceSide
  private readonly tables: Tables
  private readonly reader: RequestReader
  private readonly base: () => string

  constructor(pieces: {
    side: ServiceSide
    tables: Tables
    reader: RequestReader
    base: () => string
  }) {
    this.side = pieces.side
    this.tables = pieces.tables
    this.reader = pieces.reader
    this.base = pieces.base
  }

  /** @returns undefined when there are no rows for it */
  perform(outerRows: Rows, performing: Performing): PlayResponse | undefined {
    const { place, kind } = performing
    const { facts } = place
    const { rows, table } = this.tableOf(outerRows, place)
    const all = this.tables.all(rows, table, facts.entity)
    if (all === undefined) return undefined
    const context = `${this.base()}/$metadata#${facts.id}`
    const scene: Scene = {
      ...performing,
      rows,
      table,
      all,
      context,
      answering: this.answering(rows),
    }
    switch (kind) {
      case 'count':
        return counted(scene)
      case 'aggregate':
        return this.aggregate(scene)
      case 'changes':
        return this.changes(scene)
      case 'list':
        return this.list(scene)
      case 'create':
      case 'createMedia':
        return this.create(scene)
      default:
        return this.performOnOne(scene)
    }
  }

  private aggregate({ options, all, answering, context }: Scene): PlayResponse {
    const made = aggregated(options['apply'] ?? '', all, (entity) => scopeOf(entity, answering))
    // Decimals are texts where the client asked for IEEE754Compatible numbers, as ours does.
    const plain = (value: unknown): unknown => (value instanceof NumberValue ? value.digits : value)
    const rows = made.map((row) =>
      Object.fromEntries(Object.entries(row).map(([name, value]) => [name, plain(value)])),
    )
    const json = this.side.page(rows, { total: undefined, next: undefined, context })
    return jsonAnswer(200, json, headersOf(this.side))
  }

  private create(scene: Scene): PlayResponse {
    const { rows, table, place, kind, body = {}, request, answering } = scene
    const { tables } = this
    const id = place.facts.entity
    const targets = this.boundTargets(rows, body)
    const made = tables.create(rows, table, id, body)
    if (kind === 'createMedia') this.putStream(made, '', request)
    for (const { name, target } of targets) tables.link(rows, made, name, target)
    const now = tables.find(rows, table, id, keyOf(made.structure, made.values)) ?? made
    return this.one(scene, now, 201, { location: answering.url(now) })
  }

  /** What is done with one entity that must be there. */
  private performOnOne(scene: Scene): PlayResponse {
    const { request, place, kind, rows } = scene
    const { facts, stream = '' } = place
    const found = this.entityOf(scene)
    const ifMatch = request.headers['if-match']
    if (found === undefined) {
      const isChange = kind === 'update' || kind === 'replace'
      if (isChange && facts.operations.has('upsert') && ifMatch === undefined)
        return this.insert(scene)
      throw new Refusal(404, `${facts.id} has no entity with this key.`)
    }
    const etag = this.tables.etag(found)
    if (ifMatch !== undefined && ifMatch !== '*' && ifMatch !== etag)
      throw new Refusal(412, 'The ETag is not that of the entity any more.')
    switch (kind) {
      case 'get':
        return request.headers['if-none-match'] === etag
          ? { status: 304, headers: { etag }, body: '' }
          : this.one(scene, found, 200)
      case 'download':
        return this.stream(found, stream)
      case 'upload':
        this.putStream(found, stream, request)
        return done
      case 'clear':
        this.clearStream(found, stream)
        return done
      case 'delete':
        this.tables.remove(rows, found)
        return done
      default:
        return this.change(scene, found)
    }
  }

  private change(scene: Scene, found: Entity): PlayResponse {
    const { rows, kind, body = {}, request } = scene
    const targets = this.boundTargets(rows, body)
    this.tables.change(found, body, kind === 'replace')
    for (const { name, target } of targets) this.tables.link(rows, found, name, target)
    const now = this.entityOf({ ...scene, all: this.allOf(scene) }) ?? found
    if (/return=representation/.test(request.headers['prefer'] ?? ''))
      return this.one(scene, now, 200)
    return { status: 204, headers: { etag: this.tables.etag(now) }, body: '' }
  }

  private allOf({ rows, table, place }: Scene): readonly Entity[] {
    return this.tables.all(rows, table, place.facts.entity) ?? []
  }

  private entityOf({ rows, table, place, all }: Scene): Entity | undefined {
    const { facts, key } = place
    return facts.singleton ? all[0] : this.tables.find(rows, table, facts.entity, key)
  }

  /** An entity as it is answered. */
  private one(
    { place, options, answering, context }: Scene,
    entity: Entity,
    status: number,
    headers: Readonly<Record<string, string>> = {},
  ): PlayResponse {
    const { facts } = place
    const json = this.side.entity(
      shown(entity, options, answering, facts.entity),
      `${context}${facts.singleton ? '' : '/$entity'}`,
    )
    const etag = this.tables.etag(entity)
    return jsonAnswer(status, json, { ...headersOf(this.side), etag, ...headers })
  }

  /** Makes a link, or takes one away. */
  link(
    outerRows: Rows,
    place: Located,
    navigation: string,
    wanted: { readonly set: string; readonly key: unknown } | undefined,
    adding: boolean,
  ): PlayResponse | undefined {
    const { tables } = this
    const { rows, table } = this.tableOf(outerRows, place)
    if (rows(table) === undefined) return undefined
    const found = place.facts.singleton
      ? tables.all(rows, table, place.facts.entity)?.[0]
      : tables.find(rows, table, place.facts.entity, place.key)
    if (found === undefined)
      throw new Refusal(404, `${place.facts.id} has no entity with this key.`)
    const target = wanted === undefined ? undefined : this.target(rows, wanted)
    if (adding || target === undefined) tables.link(rows, found, navigation, target)
    else tables.unlink(rows, found, navigation, target)
    return { status: 204, headers: {}, body: '' }
  }

  private target(
    rows: Rows,
    { set, key }: { readonly set: string; readonly key: unknown },
  ): Entity {
    const entity = this.reader.entityType(set)
    const found = entity === undefined ? undefined : this.tables.find(rows, set, entity, key)
    if (found === undefined)
      throw new Refusal(400, `${set} has no entity with the key of what is bound.`)
    return found
  }

  /** The entities that a body binds; looked for before anything happens. */
  private boundTargets(
    rows: Rows,
    body: Readonly<Record<string, unknown>>,
  ): { name: string; target: Entity }[] {
    return Object.entries(body).flatMap(([name, value]) =>
      [value]
        .flat()
        .filter(isBinding)
        .map(({ $bind }) => ({ name, target: this.target(rows, $bind as BoundKey) })),
    )
  }

  /** The rows of what an address leads to: a table, or what lies inside the row of another one. */
  private tableOf(rows: Rows, { outer, facts }: Located): { rows: Rows; table: string } {
    if (outer === undefined) return { rows, table: facts.path }
    const above = this.tableOf(rows, outer)
    const parent = outer.facts.singleton
      ? this.tables.all(above.rows, above.table, outer.facts.entity)?.[0]
      : this.tables.find(above.rows, above.table, outer.facts.entity, outer.key)
    if (above.rows(above.table) === undefined) return { rows: () => undefined, table: '' }
    if (parent === undefined)
      throw new Refusal(404, `${outer.facts.id} has no entity with this key.`)
    const table = `${this.path(parent, outer.facts.singleton)}/${facts.path}`
    const { plain } = parent
    if (!facts.singleton) plain[facts.path] ??= []
    const inside = [plain[facts.path]]
      .flat()
      .filter((each): each is Record<string, unknown> => typeof each === 'object' && each !== null)
    return {
      rows: (name) => {
        if (name !== table) return above.rows(name)
        if (facts.singleton) return inside
        return plain[facts.path] as Record<string, unknown>[]
      },
      table,
    }
  }

  private answering(rows: Rows): Answering {
    return {
      side: this.side,
      related: (entity, navigation) => this.tables.related(rows, entity, navigation),
      url: (entity) => `${this.base()}/${this.path(entity, false)}`,
      etag: (entity) => this.tables.etag(entity),
    }
  }

  private path(entity: Entity, singleton: boolean): string {
    return (
      entity.table +
      (singleton
        ? ''
        : keyText(entity.structure, keyOf(entity.structure, entity.values), this.side.protocol))
    )
  }

  /**
   * An entity that a change was sent for and that was not there is made, when all is said that it
   * needs (Protocol, section 11.4.4).
   */
  private insert(scene: Scene): PlayResponse {
    const { rows, table, place, request, answering } = scene
    const { facts, key } = place
    const structure = this.tables.structure(facts.entity)
    let body: Record<string, unknown>
    try {
      body = this.reader.entity(request, structure, 'create')
    } catch (error) {
      if (!(error instanceof Refusal)) throw error
      throw new Refusal(
        404,
        `${facts.id} has no entity with this key, and not all is said that a new one needs: ${error.message}`,
      )
    }
    const [only = '', ...others] = structure.keys ?? []
    const keys = others.length === 0 ? { [only]: key } : (key as Record<string, unknown>)
    const made = this.tables.create(rows, table, facts.entity, { ...body, ...keys })
    return this.one(scene, made, 201, { location: answering.url(made) })
  }

  private list({ request, place, options, all, answering, context }: Scene): PlayResponse {
    const fitting = selected(all, options, answering)
    const wanted = page(fitting, options)
    const preferred = request.headers['prefer'] ?? ''
    const size = Math.min(pageSize, Number(/maxpagesize=(\d+)/.exec(preferred)?.[1] ?? pageSize))
    const from = countOf(options, 'skiptoken') ?? 0
    const to = from + size
    const isCounted = options['count'] === 'true' || options['inlinecount'] === 'allpages'
    const target = request.target.replace(/([?&])\$skiptoken=\d+&?/, '$1').replace(/[?&]$/, '')
    const address = new URL(target, this.base()).href
    const next =
      to < wanted.length
        ? `${address}${address.includes('?') ? '&' : '?'}$skiptoken=${to}`
        : undefined
    const tracks = next === undefined && preferred.includes('track-changes')
    const json = this.side.page(
      wanted.slice(from, to).map((each) => shown(each, options, answering, place.facts.entity)),
      { total: isCounted ? fitting.length : undefined, next, context },
    ) as object
    const changes = tracks ? this.changesLink(address.replace(/\?.*/, '')) : {}
    return jsonAnswer(200, { ...json, ...changes }, headersOf(this.side))
  }

  /** What happened to a set since a moment (JSON Format, section 15). */
  private changes({ place, table, options, answering, context }: Scene): PlayResponse {
    const { entity: id } = place.facts
    const since = countOf(options, 'deltatoken') ?? 0
    const value = this.tables.since(since, table, id).map(({ entity, gone }) =>
      gone
        ? {
            '@odata.context': `${context}/$deletedEntity`,
            id: answering.url(entity),
            reason: 'deleted',
          }
        : shown(entity, {}, answering, id),
    )
    const json = {
      '@odata.context': `${context}/$delta`,
      value,
      ...this.changesLink(`${this.base()}/${place.address}`),
    }
    return jsonAnswer(200, json, headersOf(this.side))
  }

  /** Where changes after this moment can be asked for. */
  private changesLink(address: string): Record<string, string> {
    return { '@odata.deltaLink': `${address}?$deltatoken=${this.tables.moment}` }
  }

  private stream({ plain }: Entity, name: string): PlayResponse {
    const found = (plain['$streams'] as Streams | undefined)?.[name === '' ? '$value' : name]
    return found === undefined
      ? { status: 204, headers: {}, body: '' }
      : { status: 200, headers: { 'content-type': found.type }, body: base64ToBytes(found.content) }
  }

  private putStream({ plain }: Entity, name: string, request: PlayRequest): void {
    const kept = plain['$streams'] as Streams | undefined
    plain['$streams'] = {
      ...kept,
      [name === '' ? '$value' : name]: {
        type: request.headers['content-type'] ?? 'application/octet-stream',
        content: bytesToBase64(request.body),
      },
    }
  }

  private clearStream({ plain }: Entity, name: string): void {
    const { [name]: _gone, ...others } = (plain['$streams'] ?? {}) as Streams
    plain['$streams'] = others
  }
}
