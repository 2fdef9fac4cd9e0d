import { isSame, joinedSchema, saysNothing, withNull, type Schema } from './join-schemas.js'
import { withoutNames } from './paths.js'
import { putAt, valueAt, type Place } from './places.js'
import { plainOf, Remarked } from './remarked.js'

/** Something that is written anew in a description, or into it. */
export interface Edit {
  readonly place: Place
  /** With {@link Remarked} where there is a reason to tell. */
  readonly value: unknown
}

/** How a description is to be changed so that it allows what was recorded later. */
export interface Widening {
  readonly edits: readonly Edit[]
  /** What of the description was drafted, with the edits. */
  readonly drafted: object
  /** What came and what somebody wrote by hand does not allow: it stays as it is written. */
  readonly contradictions: readonly string[]
}

/**
 * Widens a description by a later draft. What somebody wrote otherwise than it was drafted stays.
 *
 * @param current the description as it is now
 * @param drafted the description as it was drafted, by which hand edits are known; where there is
 *   none everything counts as written by hand
 * @param later the later draft, in it {@link Remarked}
 */
export function widening(current: Schema, drafted: Schema | undefined, later: object): Widening {
  const walk = new Widener(current, drafted, later as Schema)
  walk.paths()
  return {
    edits: [...walk.edits.values()],
    drafted: walk.drafted,
    contradictions: walk.contradictions,
  }
}

class Widener {
  /** By their places: what is widened twice is written once. */
  readonly edits = new Map<string, Edit>()
  readonly contradictions: string[] = []
  /** With the edits so far, as the description. */
  readonly drafted: Schema
  private readonly current: Schema
  private readonly later: Schema
  private readonly laterSchemas: Schema
  /** What schemas of the later draft are called in the description. */
  private readonly names = new Map<string, string>()
  /** Schemas of the description that turned out to be one of the later draft. */
  private readonly matched = new Set<string>()
  private readonly taken: Set<string>
  /** Schemas of both that were put together. */
  private readonly widened = new Set<string>()

  constructor(current: Schema, drafted: Schema | undefined, later: Schema) {
    this.current = structuredClone(current)
    this.drafted = structuredClone(drafted ?? {})
    this.later = later
    this.laterSchemas = recordAt(later, ['components', 'schemas'])
    this.taken = new Set(Object.keys(recordAt(current, ['components', 'schemas'])))
  }

  paths(): void {
    const known = new Map(
      Object.keys(recordAt(this.current, ['paths'])).map((path) => [withoutNames(path), path]),
    )
    for (const [path, item] of Object.entries(recordAt(this.later, ['paths']))) {
      const own = known.get(withoutNames(path))
      if (own === undefined) this.add(['paths', path], item)
      else
        for (const [method, operation] of Object.entries(inside(item)))
          this.operation(['paths', own, method], operation)
    }
    for (const [name, scheme] of Object.entries(
      recordAt(this.later, ['components', 'securitySchemes']),
    ))
      this.add(['components', 'securitySchemes', name], scheme)
  }

  private operation(place: Place, later: unknown): void {
    const own = valueAt(this.current, place)
    if (own === undefined) return this.add(place, later)
    const operation = inside(later)
    this.parameters(place, listIn(operation['parameters']))
    this.content(
      [...place, 'requestBody', 'content'],
      recordAt(operation, ['requestBody', 'content']),
    )
    if (
      valueAt(this.current, [...place, 'requestBody']) === undefined &&
      'requestBody' in operation
    )
      this.add([...place, 'requestBody'], {
        ...inside(operation['requestBody']),
        required: undefined,
      })
    for (const [status, response] of Object.entries(inside(operation['responses']))) {
      const there = [...place, 'responses', status]
      if (valueAt(this.current, there) === undefined) this.add(there, response)
      else this.content([...there, 'content'], recordAt(inside(response), ['content']))
    }
  }

  private parameters(place: Place, later: readonly Schema[]): void {
    const own = listIn(valueAt(this.current, [...place, 'parameters']))
    const ofPath = (list: readonly Schema[]): Schema[] =>
      list.filter((each) => each['in'] === 'path')
    for (const parameter of later) {
      const position = ofPath(later).indexOf(parameter)
      const found =
        position >= 0
          ? ofPath(own)[position]
          : own.find((each) => each['in'] === parameter['in'] && each['name'] === parameter['name'])
      const there = [
        ...place,
        'parameters',
        String(found === undefined ? own.length : own.indexOf(found)),
      ]
      if (found === undefined)
        this.addToList([...place, 'parameters'], { ...parameter, required: undefined })
      else
        this.schema(
          [...there, 'schema'],
          parameter['schema'],
          `${place.slice(1).join(' ')}, ${String(found['name'])}`,
        )
    }
    for (const [number, each] of own.entries())
      if (
        each['required'] === true &&
        each['in'] !== 'path' &&
        !later.some(
          ({ in: where, name, required }) =>
            where === each['in'] && name === each['name'] && required === true,
        )
      )
        this.change(
          [...place, 'parameters', String(number), 'required'],
          false,
          `${place.slice(1).join(' ')}: a request came without ${String(each['name'])}`,
        )
  }

  private content(place: Place, later: Schema): void {
    for (const [type, media] of Object.entries(later)) {
      const there = [...place, type]
      const { schema } = inside(media)
      if (valueAt(this.current, there) === undefined) {
        if (valueAt(this.current, place.slice(0, -1)) !== undefined) this.add(there, media)
      } else if (schema !== undefined)
        this.schema([...there, 'schema'], schema, place.slice(1).join(' '))
    }
  }

  /** Widens the schema in a place by a later one. */
  private schema(place: Place, later: unknown, where: string, areItems = false): void {
    const own = valueAt(this.current, place) as Schema | undefined
    const next = inside(later)
    if (own === undefined) return this.add(place, later)
    const [name, laterName] = [referred(own), referred(next)]
    if (name !== undefined && laterName !== undefined) return this.named(name, laterName)
    if (own['type'] === 'array' && next['type'] === 'array')
      return this.schema([...place, 'items'], next['items'] ?? {}, `${where}[]`, true)
    if (isMap(own) && isMap(next))
      return this.schema(
        [...place, 'additionalProperties'],
        next['additionalProperties'],
        `${where}.*`,
      )
    const joined = joinedPlaces(own, this.renamed(plainOf(next)) as Schema, areItems)
    if (isSame(joined, own)) return
    const reason = later instanceof Remarked ? later.remark : 'seen later'
    this.change(
      place,
      new Remarked(joined, reason),
      `${where}: ${reason}${likeSeen(next)}, and the file says ${JSON.stringify(own)}`,
    )
  }

  /** Widens a schema that has a name. */
  private named(name: string, laterName: string): void {
    const pair = JSON.stringify([name, laterName])
    if (this.widened.has(pair)) return
    this.widened.add(pair)
    this.matched.add(name)
    if (!this.names.has(laterName)) this.names.set(laterName, name)
    const place = ['components', 'schemas', name]
    const own = valueAt(this.current, place) as Schema | undefined
    const next = inside(this.laterSchemas[laterName])
    if (own === undefined || own['properties'] === undefined || next['properties'] === undefined)
      return this.schema(place, this.laterSchemas[laterName], name)
    for (const [member, schema] of Object.entries(inside(next['properties'])))
      this.schema([...place, 'properties', member], schema, `${name}.${member}`)
    const required = listIn(own['required']) as unknown as string[]
    const always = listIn(next['required']) as unknown as string[]
    const left = required.filter((member) => always.includes(member))
    if (left.length < required.length)
      this.change(
        [...place, 'required'],
        left,
        `${name}: one came without ${required.filter((member) => !always.includes(member)).join(', ')}`,
      )
  }

  /** Writes something anew that is as it was drafted; else only tells that it should be. */
  private change(place: Place, value: unknown, contradiction: string): void {
    const drafted = valueAt(this.drafted, place)
    if (drafted !== undefined && isSame(drafted, valueAt(this.current, place)))
      this.write(place, value)
    else this.contradictions.push(contradiction)
  }

  private write(place: Place, value: unknown): void {
    this.edits.set(JSON.stringify(place), { place, value })
    for (const each of [this.current, this.drafted])
      putAt(each, place, structuredClone(plainOf(value)))
  }

  /** Adds what was not there; what somebody took out stays out. */
  private add(place: Place, value: unknown): void {
    if (valueAt(this.current, place) !== undefined) return
    if (valueAt(this.drafted, place) === undefined) this.write(place, this.renamed(value))
    else this.contradictions.push(`${place.join(' ')}: it came again, and was taken out by hand`)
  }

  private addToList(place: Place, value: unknown): void {
    const count = listIn(valueAt(this.current, place)).length
    if (count === 0) this.write(place, [this.renamed(value)])
    else this.write([...place, String(count)], this.renamed(value))
  }

  /** A piece of the later draft with the names that its schemas have in the description. */
  private renamed(value: unknown): unknown {
    if (value instanceof Remarked) return new Remarked(this.renamed(value.value), value.remark)
    if (Array.isArray(value)) return value.map((each) => this.renamed(each))
    if (typeof value !== 'object' || value === null) return value
    const name = referred(value as Schema)
    if (name !== undefined && Object.hasOwn(this.laterSchemas, name))
      return { $ref: `${prefix}${this.nameFor(name)}` }
    return Object.fromEntries(Object.entries(value).map(([key, each]) => [key, this.renamed(each)]))
  }

  private nameFor(laterName: string): string {
    const known = this.names.get(laterName)
    if (known !== undefined) return known
    const isThere = valueAt(this.current, ['components', 'schemas', laterName]) !== undefined
    if (isThere && !this.matched.has(laterName)) {
      // One of that name is the same thing, unless another one turned out to be it.
      this.named(laterName, laterName)
      return laterName
    }
    let name = laterName
    for (let count = 2; this.taken.has(name); count += 1) name = `${laterName}${String(count)}`
    this.taken.add(name)
    this.matched.add(name)
    this.names.set(laterName, name)
    this.write(['components', 'schemas', name], this.renamed(this.laterSchemas[laterName]))
    return name
  }
}

const prefix = '#/components/schemas/'

function referred({ $ref }: Schema): string | undefined {
  return typeof $ref === 'string' && $ref.startsWith(prefix) ? $ref.slice(prefix.length) : undefined
}

function isMap(schema: Schema): boolean {
  return typeof schema['additionalProperties'] === 'object'
}

/**
 * What a place holds by two drafts of it. Of items nothing is said where all lists were empty;
 * elsewhere where only null was seen.
 */
function joinedPlaces(own: Schema, later: Schema, areItems: boolean): Schema {
  if (saysNothing(own)) return areItems || saysNothing(later) ? later : withNull(later)
  if (saysNothing(later)) return areItems ? own : withNull(own)
  return joinedSchema(own, later)
}

/** A value that was seen, where one may be told. */
function likeSeen({ examples, enum: values }: Schema): string {
  const [seen] = [examples, values].flatMap((each) =>
    Array.isArray(each) ? (each as unknown[]) : [],
  )
  return seen === undefined ? '' : `, like ${JSON.stringify(seen)}`
}

/** What is in a value that may have a reason to tell. */
function inside(value: unknown): Schema {
  const plain = value instanceof Remarked ? value.value : value
  return typeof plain === 'object' && plain !== null ? (plain as Schema) : {}
}

function listIn(value: unknown): readonly Schema[] {
  const plain = value instanceof Remarked ? value.value : value
  return Array.isArray(plain) ? (plain as Schema[]) : []
}

function recordAt(value: Schema, place: Place): Schema {
  let found: unknown = value
  for (const key of place) found = inside(found)[key]
  return inside(found)
}
