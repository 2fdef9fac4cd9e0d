import { special } from '../../../contract/special-members.js'
import { randomUUID } from 'node:crypto'
import type { Contract, Field, RecordType, Type, TypeId } from '../../../contract/contract.js'
import { textDigest } from '../../../contract/digest.js'
import { ExactNumber, fromPlain } from '../../../contract/plain.js'
import { fieldsOf, operationsOf, resolve, recordType } from '../../../contract/queries.js'
import { withNulls } from '../../../contract/with-nulls.js'
import { isBinding } from '../../../runtime/odata/addresses.js'
import { keyOf, keysOf, type AnyStructure } from '../../../runtime/odata/model.js'
import { toPlain } from '../../../runtime/plain.js'
import type { LiveCodecs } from '../../codec-tree.js'
import { CodecReference } from '../../codec-tree.js'
import type { Rows } from '../../dialect.js'
import { fieldSpecifics, operationSpecifics } from '../specifics.js'
import type { Row } from './evaluate.js'

type Plain = Record<string, unknown>

/** A row of a table with its values in the shapes of the client. */
export interface Entity extends Row {
  readonly table: string
  readonly plain: Plain
}

/** The entity sets of a stand-in as tables, and what hangs off what. */
export class Tables {
  /** What happened to rows, in order. */
  private readonly journal: {
    readonly table: string
    readonly plain: Plain
    readonly gone: boolean
  }[] = []
  private readonly contract: Contract
  private readonly codecs: LiveCodecs
  /** The first set of each entity type. */
  private readonly sets = new Map<TypeId, string>()
  /** Links of rows that no properties tell, by navigation property. */
  private readonly links = new WeakMap<Plain, Map<string, () => readonly Entity[]>>()

  constructor(contract: Contract, codecs: LiveCodecs) {
    this.contract = contract
    this.codecs = codecs
    for (const operation of operationsOf(contract)) {
      const specifics = operationSpecifics(operation)
      if (
        specifics.kind === 'list' &&
        specifics.within === undefined &&
        !this.sets.has(specifics.entity)
      )
        this.sets.set(specifics.entity, specifics.path)
    }
  }

  structure(id: TypeId): AnyStructure {
    return this.codecs.of(new CodecReference(id, false)) as AnyStructure
  }

  all(rows: Rows, table: string, entity: TypeId): Entity[] | undefined {
    return rows(table)?.map((plain) => this.entity(table, entity, plain))
  }

  /** The entity of a key: of a plain value, or of values by name. */
  find(rows: Rows, table: string, entity: TypeId, key: unknown): Entity | undefined {
    const wanted = sameKey(key)
    return this.all(rows, table, entity)?.find(
      ({ structure, values }) => sameKey(keyOf(structure, values)) === wanted,
    )
  }

  private entity(table: string, id: TypeId, plain: Plain): Entity {
    const kind = this.kindOf(id, plain)
    const type: Type = { kind: 'reference', to: kind }
    const given = fromPlain(this.contract, type, plain)
    // Entities come with all their properties (Protocol, section 11.2.5.1).
    const values = withNulls(this.contract, type, given, isProperty)
    return { table, plain, structure: this.structure(kind), values: values as Row['values'] }
  }

  private kindOf(id: TypeId, plain: Plain): TypeId {
    const which = plain[special.is]
    if (which === undefined) return id
    const extending = (type: RecordType): boolean =>
      type.base !== undefined &&
      (type.base.to === id || extending(resolve(this.contract, type.base) as RecordType))
    return (
      Object.values(this.contract.types).find(
        (type) =>
          type.kind === 'record' &&
          type.variantOf === undefined &&
          type.name === which &&
          extending(type),
      )?.id ?? id
    )
  }

  /**
   * What a navigation property leads to, by the properties that must be equal, or by what the seed
   * data nests; with its table.
   */
  related(rows: Rows, row: Row, navigation: string): readonly Entity[] | undefined {
    const record = recordType(this.contract, row.structure.type)
    const field = fieldsOf(this.contract, record).find((each) => each.name === navigation)
    const facts = field === undefined ? undefined : fieldSpecifics(field).navigation
    if (field === undefined || facts === undefined) return undefined
    const target = targetOf(field)
    const linked = this.links.get((row as Entity).plain)?.get(navigation)
    if (linked !== undefined) return linked()
    if (field?.relation?.contained === true) {
      const inside = (row as Entity).plain[navigation]
      return [inside]
        .flat()
        .filter((each): each is Plain => typeof each === 'object' && each !== null)
        .map((plain) => this.entity(`${(row as Entity).table}/${navigation}`, target, plain))
    }
    const table = facts.set ?? this.sets.get(target)
    const pairs =
      facts.constraints ??
      this.constraintsOf(target, field?.relation?.partner)?.map(
        ([there, here]) => [here, there] as const,
      )
    if (table === undefined || pairs === undefined) return undefined
    return this.all(rows, table, target)?.filter(({ values }) =>
      pairs.every(
        ([here, there]) =>
          row.values[here] !== null &&
          row.values[here] !== undefined &&
          String(values[there] as string) === String(row.values[here] as string),
      ),
    )
  }

  /** Links a row to another one, or with `undefined` to none; says whether there is a way to. */
  link(rows: Rows, entity: Entity, navigation: string, target: Entity | undefined): void {
    const field = fieldsOf(this.contract, recordType(this.contract, entity.structure.type)).find(
      (each) => each.name === navigation,
    )
    const facts = field === undefined ? undefined : fieldSpecifics(field).navigation
    if (field === undefined || facts === undefined) return
    const back = this.constraintsOf(targetOf(field), field.relation?.partner)
    if (facts.constraints !== undefined)
      for (const [here, there] of facts.constraints)
        entity.plain[here] = target === undefined ? null : target.plain[there]
    else if (back !== undefined && target !== undefined)
      for (const [there, here] of back) target.plain[there] = entity.plain[here]
    else {
      const all = field.type.kind === 'list' ? (this.related(rows, entity, navigation) ?? []) : []
      const now =
        target === undefined ? [] : [...all.filter(({ plain }) => plain !== target.plain), target]
      this.links.set(
        entity.plain,
        new Map([...(this.links.get(entity.plain) ?? []), [navigation, () => now]]),
      )
    }
  }

  /** Takes the link to one of many away. */
  unlink(rows: Rows, entity: Entity, navigation: string, target: Entity): void {
    const field = fieldsOf(this.contract, recordType(this.contract, entity.structure.type)).find(
      (each) => each.name === navigation,
    )
    const back =
      field === undefined ? undefined : this.constraintsOf(targetOf(field), field.relation?.partner)
    if (back !== undefined) for (const [there] of back) target.plain[there] = null
    else {
      const now = (this.related(rows, entity, navigation) ?? []).filter(
        ({ plain }) => plain !== target.plain,
      )
      this.links.set(
        entity.plain,
        new Map([...(this.links.get(entity.plain) ?? []), [navigation, () => now]]),
      )
    }
  }

  private constraintsOf(
    id: TypeId,
    partner: string | undefined,
  ): readonly (readonly [string, string])[] | undefined {
    const field = fieldsOf(this.contract, recordType(this.contract, id)).find(
      (each) => each.name === partner,
    )
    return field === undefined ? undefined : fieldSpecifics(field).navigation?.constraints
  }

  /**
   * Adds what a client sent, with what a service makes: keys, moments, defaults. What hangs off it
   * goes into its own table.
   */
  create(rows: Rows, table: string, id: TypeId, body: Readonly<Record<string, unknown>>): Entity {
    const plain = toPlain(body) as Plain
    const kind = this.kindOf(id, plain)
    const fields = fieldsOf(this.contract, recordType(this.contract, kind)).filter(
      (field) => fieldSpecifics(field).about !== true,
    )
    const all = rows(table) ?? []
    const keys = keysOf(this.structure(kind))
    const made: Plain = plain[special.is] === undefined ? {} : { $is: plain[special.is] }
    for (const field of fields)
      if (!isNavigation(field))
        made[field.name] = plain[field.name] ?? this.fresh(field, all, keys.includes(field.name))
    const nested = fields.filter(
      (field) =>
        isNavigation(field) && plain[field.name] !== undefined && plain[field.name] !== null,
    )
    // Where this one points to the nested one, that comes first; else it points back.
    const before = nested.filter((field) => constraintsHere(field) !== undefined)
    for (const field of before) this.createBefore(rows, field, body, made)
    all.push(made)
    for (const field of nested)
      if (!before.includes(field)) this.createBehind(rows, field, body, made)
    this.journal.push({ table, plain: made, gone: false })
    return this.entity(table, id, made)
  }

  /** Adds a nested entity that another one points to. */
  private createBefore(
    rows: Rows,
    field: Field,
    body: Readonly<Record<string, unknown>>,
    made: Plain,
  ): void {
    if (isBinding(body[field.name])) return
    const id = targetOf(field)
    const target = this.create(rows, this.sets.get(id) ?? '', id, body[field.name] as Plain)
    for (const [here, there] of constraintsHere(field) ?? []) made[here] = target.plain[there]
  }

  /** Adds nested entities that point back, or lie inside. */
  private createBehind(
    rows: Rows,
    field: Field,
    body: Readonly<Record<string, unknown>>,
    made: Plain,
  ): void {
    const id = targetOf(field)
    const given = ([body[field.name]].flat() as Plain[]).filter((each) => !isBinding(each))
    if (field.relation?.contained === true) {
      const inside = given.map((each) => this.createInside(rows, id, each))
      made[field.name] = field.type.kind === 'list' ? inside : (inside.at(-1) ?? null)
      return
    }
    const back = this.constraintsOf(id, field.relation?.partner) ?? []
    const pointing = Object.fromEntries(back.map(([here, there]) => [here, made[there]]))
    for (const each of given)
      this.create(rows, this.sets.get(id) ?? '', id, { ...each, ...pointing })
  }

  /** An entity that lies inside another one is in no table. */
  private createInside(rows: Rows, id: TypeId, body: Plain): Plain {
    const shelf: Plain[] = []
    const inside: Rows = (name) => (name === 'inside' ? shelf : rows(name))
    return this.create(inside, 'inside', id, body).plain
  }

  /** How much happened so far. */
  get moment(): number {
    return this.journal.length
  }

  /** The rows of a table to which something happened since a moment: each once, as it was left. */
  since(
    moment: number,
    table: string,
    id: TypeId,
  ): { readonly entity: Entity; readonly gone: boolean }[] {
    const last = new Map(
      this.journal
        .slice(moment)
        .filter((each) => each.table === table)
        .map((each) => [each.plain, each.gone]),
    )
    return [...last].map(([plain, gone]) => ({ entity: this.entity(table, id, plain), gone }))
  }

  private fresh(field: Field, all: readonly Plain[], isKey: boolean): unknown {
    const type = resolve(this.contract, field.type)
    if (type.kind === 'list') return []
    const isMade = isKey || fieldSpecifics(field).computed === true
    if (type.kind === 'scalar' && isMade) {
      if (['int16', 'int32', 'int64'].includes(type.base))
        return String(
          all
            .map((row) => BigInt(textOf(row[field.name])))
            .reduce((most, each) => (each > most ? each : most), 0n) + 1n,
        )
      if (type.format === 'Edm.Guid') return randomUUID()
      if (type.base === 'dateTime') return new Date().toISOString().replace(/\.\d+/, '')
    }
    return field.default ?? null
  }

  /**
   * Changes a row: what is sent takes the place of what was; with `whole` all else gets its
   * default.
   */
  change(entity: Entity, body: Readonly<Record<string, unknown>>, whole: boolean): void {
    this.journal.push({ table: entity.table, plain: entity.plain, gone: false })
    const keys = keysOf(entity.structure)
    const fields = fieldsOf(this.contract, recordType(this.contract, entity.structure.type)).filter(
      ({ name, ...field }) =>
        fieldSpecifics({ name, ...field }).navigation === undefined && !keys.includes(name),
    )
    if (whole)
      for (const field of fields)
        if (fieldSpecifics(field).computed !== true && fieldSpecifics(field).about !== true)
          entity.plain[field.name] = this.fresh(field, [], false)
    for (const [name, value] of Object.entries(toPlain(body) as Plain)) {
      const field = fields.find((each) => each.name === name)
      if (field === undefined) continue
      const before = entity.plain[name]
      // A complex value is changed property by property, unless all is replaced (Protocol, section
      // 11.4.3).
      const isComplex =
        resolve(this.contract, field.type).kind === 'record' &&
        typeof before === 'object' &&
        before !== null &&
        typeof value === 'object' &&
        value !== null
      entity.plain[name] = isComplex && !whole ? { ...before, ...value } : value
    }
  }

  remove(rows: Rows, entity: Entity): void {
    const all = rows(entity.table)
    const at = all?.indexOf(entity.plain) ?? -1
    this.journal.push({ table: entity.table, plain: entity.plain, gone: true })
    if (at !== -1) all?.splice(at, 1)
  }

  /** A weak ETag: another one whenever something changed. */
  etag(entity: Entity): string {
    return `W/"${textDigest(JSON.stringify(toPlain(entity.values)))
      .replace(/^.*:/, '')
      .slice(0, 12)}"`
  }
}

/** A key as a text that equal keys have in common. */
function sameKey(key: unknown): string {
  return typeof key === 'object' && key !== null
    ? Object.entries(key)
        .map(([name, value]) => `${name}=${String(value)}`)
        .sort()
        .join()
    : String(key as string)
}

function targetOf(field: Field): TypeId {
  const type = field.type.kind === 'list' ? field.type.item : field.type
  return type.kind === 'reference' ? type.to : ''
}

function textOf(value: unknown): string {
  const text = value instanceof ExactNumber ? value.source : String(value as string)
  return /^-?\d+$/.test(text) ? text : '0'
}

function isProperty(field: Field): boolean {
  const { navigation, about } = fieldSpecifics(field)
  return navigation === undefined && about !== true
}

function isNavigation(field: Field): boolean {
  return fieldSpecifics(field).navigation !== undefined
}

/** The pairs by which an entity points to what hangs off it. */
function constraintsHere(field: Field): readonly (readonly [string, string])[] | undefined {
  return fieldSpecifics(field).navigation?.constraints
}
