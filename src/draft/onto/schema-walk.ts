import { isPlainObject } from '../../contract/plain.js'
import { isRecord, type JsonValue } from '../json-values.js'
import { typesOf, type Schema } from '../join-schemas.js'
import { Seen, type Way } from '../seen.js'
import { singular } from '../singular.js'
import { inside, keyOf, listIn, type Description, type DescribedPlace } from './description.js'
import { alternativeTold, subtypeTold } from './discriminators.js'
import { Findings, reach, seeUnder, weightOf } from './findings.js'
import { AllowedNulls } from './allowed-nulls.js'
import { brokenKeywords, isEqual, kindsOf, matches } from './scalar-rules.js'

/** A value that is looked at. */
interface Looked {
  readonly value: JsonValue
  readonly name: string
  /** `heard.har, exchange 3#/rows/0` */
  readonly where: string
  readonly way: Way
}

/** What the parts of a schema say together of a record. */
interface Together {
  /** The members that any of them describes. */
  readonly described: Set<string>
  /** The part that members can be added to. */
  home: DescribedPlace | undefined
  /** Parts that allow no other members than their own. */
  readonly closed: { readonly place: DescribedPlace; readonly own: ReadonlySet<string> }[]
  /** One of them says of all other members what they are. */
  isOpen: boolean
  /** The places that were looked at for this value: what refers to itself ends. */
  readonly passed: Set<string>
}

/** What stands in recordings in the place of a secret: of it nothing is known. */
const mask = '***'

/** Keywords by which nothing is found. */
const notLookedAt = [
  'not',
  'if',
  'contains',
  'propertyNames',
  'dependentRequired',
  'dependentSchemas',
  'unevaluatedItems',
  'unevaluatedProperties',
  '$dynamicRef',
]

/**
 * Looks at values by the schemas that describe them, and finds what those do not allow or do not
 * say (JSON Schema 2020-12; the Schema Objects of OpenAPI 2.0 and 3.0).
 */
export class SchemaWalk {
  readonly findings = new Findings()
  /** References that lead nowhere, and what else can't be looked at. */
  readonly troubles = new Set<string>()
  private readonly description: Description
  /** How much of a value a schema does not allow, so that it is asked once. */
  private readonly misfits: Map<string, Map<JsonValue, number>>
  private readonly nulls: AllowedNulls

  /** @param around the walk that asks how much of a value is not allowed */
  constructor(description: Description, around?: SchemaWalk) {
    this.description = description
    this.misfits = around?.misfits ?? new Map<string, Map<JsonValue, number>>()
    this.nulls = around?.nulls ?? new AllowedNulls(description)
  }

  /** Looks at a value by the schema in a place. */
  look(place: DescribedPlace, looked: Looked): void {
    const { value, name, where } = looked
    if (value === mask) return
    if (value === null && !this.nulls.allowed(place)) {
      this.findings.of(place, name, where).nulls += 1
      return
    }
    const together: Together = {
      described: new Set(),
      home: undefined,
      closed: [],
      isOpen: false,
      passed: new Set(),
    }
    this.part(place, looked, together)
    if (isRecord(value)) this.others(place, looked, value, together)
  }

  /** Members that the parts of a schema do not describe, or that one of them forbids. */
  private others(
    place: DescribedPlace,
    { name, where, way }: Looked,
    value: Readonly<Record<string, JsonValue>>,
    { described, home, closed, isOpen }: Together,
  ): void {
    for (const [member, each] of Object.entries(value)) {
      if (!described.has(member)) {
        // What names no members at all is meant to be open; and what is sent besides may be passed
        // over.
        const isFree = isOpen || home === undefined || way === 'sent'
        if (isFree && closed.length === 0) continue
        const finding = this.findings.of(home ?? place, name, where)
        seeUnder(finding.undescribed, member, member, each)
        finding.isClosed ||= closed.length > 0
      }
      for (const { place: part, own } of closed)
        if (!own.has(member) && (described.has(member) || keyOf(part) !== keyOf(home ?? place)))
          this.findings.of(part, name, where).forbidden.add(member)
    }
  }

  /** Looks at a value by a schema that may be one of several that say together what it is. */
  private part(place: DescribedPlace, looked: Looked, together: Together): void {
    const key = keyOf(place)
    if (together.passed.has(key)) return
    together.passed.add(key)
    const schema = this.description.at(place)
    if (!isPlainObject(schema)) return
    const { $ref } = schema
    for (const keyword of notLookedAt)
      if (keyword in schema)
        this.troubles.add(`what "${keyword}" says is not looked at (${place.path.join(' ')})`)
    if (typeof $ref === 'string') {
      const target = this.description.target($ref, place)
      if (target === undefined) this.troubles.add(`the reference ${$ref} leads nowhere`)
      else this.part(target, looked, together)
      if (this.description.version !== '3.1') return
    }
    this.own(place, schema, looked, together)
    const subtype = subtypeTold(this.description, place, looked.value)
    if (subtype !== undefined) this.part(subtype, looked, together)
    for (const at of listIn(schema['allOf']).keys())
      this.part(inside(place, 'allOf', String(at)), looked, together)
    for (const keyword of ['anyOf', 'oneOf'] as const)
      if (Array.isArray(schema[keyword]))
        this.alternatives(place, keyword, schema, looked, together)
  }

  /** What a schema says itself. */
  private own(
    place: DescribedPlace,
    schema: Schema,
    { value, name, where, way }: Looked,
    together: Together,
  ): void {
    const types = typesOf(schema)
    const fits = this.findings.fits(place)
    fits.looked += 1
    if (value === null) return
    if (types.length > 0 && !kindsOf(value).some((kind) => types.includes(kind))) {
      const finding = this.findings.of(place, name, where)
      finding.otherKinds ??= new Seen('received', [name])
      finding.otherKinds.see(value)
      return
    }
    fits.ofKind += 1
    const { enum: values } = schema
    if ('const' in schema && !isEqual(value, schema['const']))
      this.findings.of(place, name, where).notConstant.set(JSON.stringify(value), value)
    if (Array.isArray(values) && !values.some((each) => isEqual(value, each)))
      this.findings.of(place, name, where).unlisted.set(JSON.stringify(value), value)
    for (const keyword of brokenKeywords(schema, value)) {
      const finding = this.findings.of(place, name, where)
      seeUnder(finding.broken, keyword, name, value)
      reach(finding.limits, keyword, value)
    }
    if (isRecord(value)) this.record(place, schema, { value, name, where, way }, together)
    else if (Array.isArray(value)) this.list(place, schema, value, { name, where, way })
  }

  private list(
    place: DescribedPlace,
    { items, prefixItems }: Schema,
    values: readonly JsonValue[],
    { name, where, way }: Omit<Looked, 'value'>,
  ): void {
    const before = Array.isArray(prefixItems) ? prefixItems.length : 0
    for (const [at, value] of values.entries()) {
      const own = at < before ? inside(place, 'prefixItems', String(at)) : inside(place, 'items')
      if (at >= before && !isPlainObject(items)) return
      this.look(own, { value, name: singular(name), where: `${where}/${String(at)}`, way })
    }
  }

  private record(
    place: DescribedPlace,
    schema: Schema,
    { value, name, where, way }: Looked & { readonly value: Readonly<Record<string, JsonValue>> },
    together: Together,
  ): void {
    const properties = isPlainObject(schema['properties']) ? schema['properties'] : undefined
    const patterns = isPlainObject(schema['patternProperties']) ? schema['patternProperties'] : {}
    const { required, additionalProperties: others } = schema
    for (const member of listIn(required))
      if (typeof member === 'string' && !Object.hasOwn(value, member))
        if (!this.isOtherWay(place, properties, member, way)) {
          const { lacking } = this.findings.of(place, name, where)
          lacking.set(member, (lacking.get(member) ?? 0) + 1)
        }
    const own = new Set<string>(Object.keys(properties ?? {}))
    for (const [member, each] of Object.entries(value)) {
      const inner = { value: each, name: member, where: `${where}/${member}`, way }
      if (properties !== undefined && Object.hasOwn(properties, member))
        this.look(inside(place, 'properties', member), inner)
      const matching = Object.keys(patterns).filter((pattern) => matches(pattern, member))
      for (const pattern of matching) {
        own.add(member)
        this.look(inside(place, 'patternProperties', pattern), inner)
      }
      if (own.has(member) || !isPlainObject(others)) continue
      own.add(member)
      this.look(inside(place, 'additionalProperties'), inner)
    }
    for (const member of own) together.described.add(member)
    if (properties !== undefined) together.home ??= place
    if (others === true || isPlainObject(others)) together.isOpen = true
    if (others === false) together.closed.push({ place, own })
  }

  /** What only travels the other way need not be there. */
  private isOtherWay(
    place: DescribedPlace,
    properties: Schema | undefined,
    member: string,
    way: Way,
  ): boolean {
    if (properties === undefined || !Object.hasOwn(properties, member)) return false
    const settled = this.description.settle(inside(place, 'properties', member))
    const keyword = way === 'sent' ? 'readOnly' : 'writeOnly'
    return settled !== undefined && this.description.objectAt(settled)[keyword] === true
  }

  private alternatives(
    place: DescribedPlace,
    keyword: 'anyOf' | 'oneOf',
    schema: Schema,
    looked: Looked,
    together: Together,
  ): void {
    const { value, name, where } = looked
    if (value === null) return
    const places = listIn(schema[keyword]).map((_, at) => inside(place, keyword, String(at)))
    const marks = places.map((each) => this.misfit(each, looked))
    const told = alternativeTold(this.description, place, value, places)
    // What the discriminator tells it is, whatever else would fit.
    const isTold = told !== undefined && marks[places.indexOf(told)] === 0
    const fitting = isTold ? [told] : places.filter((_, at) => marks[at] === 0)
    if (keyword === 'oneOf' && fitting.length > 1)
      this.findings.of(place, name, where).severalFit += 1
    for (const each of fitting) this.part(each, looked, together)
    if (fitting.length > 0) return
    const nearest = told ?? this.nearest(places, marks, value)
    if (nearest !== undefined) {
      this.part(nearest, looked, together)
      return
    }
    const finding = this.findings.of(place, name, where)
    finding.otherThings ??= new Seen('received', [name])
    finding.otherThings.see(value)
    together.isOpen = true
  }

  /** The alternative that a value breaks the least, where that is one and of its kind. */
  private nearest(
    places: readonly DescribedPlace[],
    marks: readonly number[],
    value: JsonValue,
  ): DescribedPlace | undefined {
    const ofKind = places.filter((each) => this.isOfKind(each, value))
    const mark = (each: DescribedPlace): number => marks[places.indexOf(each)] ?? 0
    const [first, second] = [...ofKind].sort((one, other) => mark(one) - mark(other))
    if (first === undefined || (second !== undefined && mark(second) === mark(first)))
      return undefined
    return first
  }

  private isOfKind(place: DescribedPlace, value: JsonValue): boolean {
    const settled = this.description.settle(place)
    const types = settled === undefined ? [] : typesOf(this.description.objectAt(settled))
    return types.length === 0 || kindsOf(value).some((kind) => types.includes(kind))
  }

  /** How much of a value a schema does not allow: nothing is found that stays. */
  private misfit(place: DescribedPlace, looked: Looked): number {
    const key = keyOf(place)
    const known = this.misfits.get(key) ?? new Map<JsonValue, number>()
    this.misfits.set(key, known)
    const before = known.get(looked.value)
    if (before !== undefined) return before
    const apart = new SchemaWalk(this.description, this)
    apart.look(place, looked)
    const count = [...apart.findings.all.values()].reduce((all, each) => all + weightOf(each), 0)
    known.set(looked.value, count)
    return count
  }
}
