import type { Operation, TypeId } from '../../../contract/contract.js'
import { base64ToBytes, bytesToBase64 } from '../../../runtime/plain.js'
import { isBinding, keyText } from '../../../runtime/odata/addresses.js'
import { keyOf } from '../../../runtime/odata/model.js'
import type { PlayRequest, PlayResponse, Rows } from '../../dialect.js'
import type { EntityLayout } from '../layout.js'
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
  readonly operations: Map<EntityLayout['kind'], Operation>
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
  readonly kind: EntityLayout['kind']
  readonly body: Record<string, unknown> | undefined
  readonly options: Options
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
  perform(
    outerRows: Rows,
    { request, place, kind, body, options }: Performing,
  ): PlayResponse | undefined {
    const { side, tables } = this
    const { facts, key } = place
    const { entity: id, singleton } = facts
    const { rows, table } = this.tableOf(outerRows, place)
    const answering = this.answering(rows)
    const all = tables.all(rows, table, id)
    if (all === undefined) return undefined
    const context = `${this.base()}/$metadata#${facts.id}`
    if (kind === 'count')
      return {
        status: 200,
        headers: { 'content-type': 'text/plain' },
        body: String(selected(all, options, answering).length),
      }
    if (kind === 'aggregate') {
      const made = aggregated(options['apply'] ?? '', all, (entity) => scopeOf(entity, answering))
      // Decimals are texts where the client asked for IEEE754Compatible numbers, as ours does.
      const plain = made.map((row) =>
        Object.fromEntries(
          Object.entries(row).map(([name, value]) => [
            name,
            value instanceof NumberValue ? value.digits : value,
          ]),
        ),
      )
      return jsonAnswer(
        200,
        side.page(plain, { total: undefined, next: undefined, context }),
        headersOf(side),
      )
    }
    if (kind === 'changes') return this.changes(place, table, options, answering, context)
    if (kind === 'list')
      return this.listed(
        selected(all, options, answering),
        request,
        options,
        answering,
        id,
        context,
      )
    const one = (
      entity: Entity,
      status: number,
      headers: Readonly<Record<string, string>> = {},
    ): PlayResponse =>
      jsonAnswer(
        status,
        side.entity(
          shown(entity, options, answering, id),
          `${context}${singleton ? '' : '/$entity'}`,
        ),
        { ...headersOf(side), etag: tables.etag(entity), ...headers },
      )
    if (kind === 'create' || kind === 'createMedia') {
      const targets = this.boundTargets(rows, body ?? {})
      const made = tables.create(rows, table, id, body ?? {})
      if (kind === 'createMedia') this.putStream(made, '', request)
      for (const { name, target } of targets) tables.link(rows, made, name, target)
      const now = tables.find(rows, table, id, keyOf(made.structure, made.values)) ?? made
      return one(now, 201, { location: answering.url(now) })
    }
    const found = singleton ? all[0] : tables.find(rows, table, id, key)
    const ifMatch = request.headers['if-match']
    if (
      found === undefined &&
      (kind === 'update' || kind === 'replace') &&
      facts.operations.has('upsert') &&
      ifMatch === undefined
    )
      return this.inserted(rows, table, place, request, one, answering)
    if (found === undefined) throw new Refusal(404, `${facts.id} has no entity with this key.`)
    if (ifMatch !== undefined && ifMatch !== '*' && ifMatch !== tables.etag(found))
      throw new Refusal(412, 'The ETag is not that of the entity any more.')
    if (kind === 'get' && request.headers['if-none-match'] === tables.etag(found))
      return { status: 304, headers: { etag: tables.etag(found) }, body: '' }
    if (kind === 'get') return one(found, 200)
    if (kind === 'download') return this.stream(found, place.stream ?? '')
    if (kind === 'upload') {
      this.putStream(found, place.stream ?? '', request)
      return { status: 204, headers: {}, body: '' }
    }
    if (kind === 'delete') {
      tables.remove(rows, found)
      return { status: 204, headers: {}, body: '' }
    }
    const targets = this.boundTargets(rows, body ?? {})
    tables.change(found, body ?? {}, kind === 'replace')
    for (const { name, target } of targets) tables.link(rows, found, name, target)
    const now =
      (singleton ? tables.all(rows, table, id)?.[0] : tables.find(rows, table, id, key)) ?? found
    return /return=representation/.test(request.headers['prefer'] ?? '')
      ? one(now, 200)
      : { status: 204, headers: { etag: tables.etag(now) }, body: '' }
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
  private inserted(
    rows: Rows,
    table: string,
    { facts, key }: Located,
    request: PlayRequest,
    one: (
      entity: Entity,
      status: number,
      headers?: Readonly<Record<string, string>>,
    ) => PlayResponse,
    answering: Answering,
  ): PlayResponse {
    let body: Record<string, unknown>
    try {
      body = this.reader.entity(request, this.tables.structure(facts.entity), 'create')
    } catch (error) {
      if (error instanceof Refusal)
        throw new Refusal(
          404,
          `${facts.id} has no entity with this key, and not all is said that a new one needs: ${error.message}`,
        )
      throw error
    }
    const names = this.tables.structure(facts.entity).keys ?? []
    const keys = names.length === 1 ? { [names[0] ?? '']: key } : (key as Record<string, unknown>)
    const made = this.tables.create(rows, table, facts.entity, { ...body, ...keys })
    return one(made, 201, { location: answering.url(made) })
  }

  private listed(
    entities: readonly Entity[],
    request: PlayRequest,
    options: Options,
    answering: Answering,
    id: TypeId,
    context: string,
  ): PlayResponse {
    const wanted = page(entities, options)
    const from = countOf(options, 'skiptoken') ?? 0
    const size = Math.min(
      pageSize,
      Number(/maxpagesize=(\d+)/.exec(request.headers['prefer'] ?? '')?.[1] ?? pageSize),
    )
    const rows = wanted.slice(from, from + size)
    const total =
      options['count'] === 'true' || options['inlinecount'] === 'allpages'
        ? entities.length
        : undefined
    const address = request.target.replace(/([?&])\$skiptoken=\d+&?/, '$1').replace(/[?&]$/, '')
    const next =
      from + size < wanted.length
        ? `${new URL(address, this.base()).href}${address.includes('?') ? '&' : '?'}$skiptoken=${from + size}`
        : undefined
    const tracks = next === undefined && /track-changes/.test(request.headers['prefer'] ?? '')
    const changes = tracks
      ? {
          '@odata.deltaLink': `${new URL(address.replace(/\?.*/, ''), this.base()).href}?$deltatoken=${this.tables.moment}`,
        }
      : {}
    const json = this.side.page(
      rows.map((each) => shown(each, options, answering, id)),
      { total, next, context },
    ) as object
    return jsonAnswer(200, { ...json, ...changes }, headersOf(this.side))
  }

  /** What happened to a set since a moment (JSON Format, section 15). */
  private changes(
    { facts, address }: Located,
    table: string,
    options: Options,
    answering: Answering,
    context: string,
  ): PlayResponse {
    const rows = this.tables
      .since(countOf(options, 'deltatoken') ?? 0, table, facts.entity)
      .map(({ entity, gone }) =>
        gone
          ? {
              '@odata.context': `${context}/$deletedEntity`,
              id: answering.url(entity),
              reason: 'deleted',
            }
          : shown(entity, {}, answering, facts.entity),
      )
    return jsonAnswer(
      200,
      {
        '@odata.context': `${context}/$delta`,
        value: rows,
        '@odata.deltaLink': `${this.base()}/${address}?$deltatoken=${this.tables.moment}`,
      },
      headersOf(this.side),
    )
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
}
