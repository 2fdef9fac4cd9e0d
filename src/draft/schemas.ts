import { addTo } from '../contract/lists.js'
import { present } from '../contract/present.js'
import { pascalCase } from '../naming/identifiers.js'
import { exampleText, isPersonal } from './personal.js'
import { Remarked } from './remarked.js'
import { numberSchema, textSchema, wireTextSchema, type Decision } from './scalar-schema.js'
import { textMember, type Seen } from './seen.js'
import { isGeneral, singular } from './singular.js'
import type { Structures } from './structures.js'
import { isWrapper, propertyName, XmlWords } from './xml-words.js'

/** A place of which it is doubtful what it holds. */
export interface Doubt {
  /** `Vessel.draught` */
  readonly where: string
  readonly proposed: Readonly<Record<string, unknown>>
  readonly because: string
  readonly alternatives: readonly Readonly<Record<string, unknown>>[]
}

/** What a writer is to heed. */
export interface WriterWishes {
  /** What somebody decided of places, by where they are. */
  readonly decisions?: ReadonlyMap<string, Doubt['proposed']> | undefined
  /** Names that other schemas have. */
  readonly taken?: Iterable<string> | undefined
  /** The namespaces of elements in XML. */
  readonly namespaces?: ReadonlyMap<string, string> | undefined
}

/** Writes the schemas of what was seen: records by name, each once, and references to them. */
export class SchemaWriter {
  readonly doubts: Doubt[] = []
  private readonly structures: Structures
  private readonly decisions: ReadonlyMap<string, Doubt['proposed']>
  private readonly xml: XmlWords
  private readonly names = new Map<Seen, string>()
  private readonly taken: Set<string>
  private readonly written = new Map<string, unknown>()
  /** Places whose schemas are being written. */
  private readonly within = new Set<Seen>()
  /** The names of places that contain themselves, other than records do. */
  private readonly wholes = new Map<Seen, string>()

  constructor(structures: Structures, { decisions, taken, namespaces }: WriterWishes = {}) {
    this.structures = structures
    this.decisions = decisions ?? new Map<string, Doubt['proposed']>()
    this.taken = new Set(taken)
    this.xml = new XmlWords(namespaces)
    this.nameSummaries()
  }

  /** The schemas that have names, by name. */
  get all(): Record<string, unknown> {
    return Object.fromEntries([...this.written].sort(([one], [other]) => (one < other ? -1 : 1)))
  }

  /** Has an element text beside its attributes? */
  get saysText(): boolean {
    return this.structures.records.some(({ now }) => now.isXml && now.members.has(textMember))
  }

  /** The schema of a whole body. */
  body(seen: Seen, where: string): unknown {
    const schema = this.of(seen, '', where)
    return seen.now.isXml ? this.xml.root(schema, seen) : schema
  }

  /**
   * The schema of a place.
   *
   * @param name what the value is called there
   */
  of(seen: Seen, name: string, where: string): unknown {
    const place = seen.now
    // A record has a name, by which it may contain itself.
    if (this.isRecordAlone(place)) return this.schemaOf(place, name, where)
    if (this.within.has(place)) return { $ref: reference(this.nameOfWhole(place)) }
    this.within.add(place)
    const schema = this.schemaOf(place, name, where)
    this.within.delete(place)
    const whole = this.wholes.get(place)
    if (whole === undefined) return schema
    // It turned out to contain itself: only by a name it can be said.
    this.written.set(whole, schema)
    return { $ref: reference(whole) }
  }

  private schemaOf(place: Seen, name: string, where: string): unknown {
    const kinds = this.kindsOf(place, name, where)
    const thin = place.count === 1 ? 'seen once' : ''
    const [only, ...others] = kinds
    if (only === undefined)
      return new Remarked({}, place.nulls > 0 ? 'always null so far' : 'nothing seen yet')
    const decided = this.decisions.get(where)
    if (decided !== undefined) return new Remarked(decided, 'decided by hand')
    if (others.length > 0) {
      this.doubt(where, { anyOf: kinds.map(({ keywords }) => keywords) }, 'of several kinds', [{}])
      return new Remarked(
        {
          anyOf: [
            ...kinds.map(({ keywords }) => keywords),
            ...(place.nulls > 0 ? [{ type: 'null' }] : []),
          ],
        },
        `of ${String(kinds.length)} kinds: ${kinds.map(({ because }) => because).join('; ')}`,
      )
    }
    if (only.doubt !== undefined) this.doubt(where, only.keywords, only.because, only.doubt)
    const nullable = place.nulls > 0 ? nullsOf(place) : ''
    const remark = [nullable, only.because, thin].filter((each) => each !== '').join(', ')
    const schema = place.nulls > 0 ? orNull(only.keywords) : only.keywords
    return remark === '' ? schema : new Remarked(schema, remark)
  }

  private isRecordAlone(place: Seen): boolean {
    return (
      place.records.length > 0 &&
      place.filled === place.records.length &&
      !this.structures.maps.has(place) &&
      !isWrapper(place)
    )
  }

  private doubt(
    where: string,
    proposed: Doubt['proposed'],
    because: string,
    alternatives: Doubt['alternatives'],
  ): void {
    this.doubts.push({ where, proposed, because, alternatives })
  }

  /** What stands in a place, each kind of thing on its own. */
  private kindsOf(place: Seen, name: string, where: string): Decision[] {
    return [
      ...(place.booleans > 0 ? [{ keywords: { type: 'boolean' }, because: 'truth values' }] : []),
      ...(place.numbers.count > 0 ? [withExample(numberSchema(place.numbers), place, name)] : []),
      ...(place.texts.count + place.texts.masked > 0
        ? [withExample(this.text(place, name), place, name)]
        : []),
      ...(place.lists.count > 0 ? [this.list(place, name, where)] : []),
      ...(place.records.length > 0 ? [this.record(place)] : []),
    ]
  }

  private text({ isXml, texts }: Seen, name: string): Decision {
    return isXml && texts.count > 0 ? wireTextSchema(texts, name) : textSchema(texts, name)
  }

  private list(place: Seen, name: string, where: string): Decision {
    const items = place.items?.now
    if (items === undefined || items.count === 0)
      return { keywords: { type: 'array', items: {} }, because: 'always empty so far' }
    if (items.filled === 0)
      return {
        keywords: { type: 'array', items: new Remarked({ type: 'null' }, 'always null so far') },
        because: '',
      }
    return {
      keywords: { type: 'array', items: this.of(items, singular(name), `${where}[]`) },
      because: '',
    }
  }

  private record(place: Seen): Decision {
    if (isWrapper(place)) return this.wrapped(place)
    const under = this.structures.maps.get(place)
    if (under !== undefined) {
      const values = this.of(under, place.path.at(-1) ?? '', usualName(place))
      return {
        keywords: { type: 'object', additionalProperties: values },
        because: `the members are keys: ${[...place.members.keys()].slice(0, 2).join(', ')} …`,
      }
    }
    return { keywords: { $ref: reference(this.named(place)) }, because: '' }
  }

  /** An element around a list of others: a list by itself (OpenAPI 3.1, section 4.8.26). */
  private wrapped(place: Seen): Decision {
    const [inside] = place.members
    if (inside === undefined) return { keywords: { type: 'array', items: {} }, because: '' }
    const [name, { seen }] = inside
    const { keywords, because } = this.list(seen.now, name, usualName(place))
    const items = this.xml.item(keywords['items'], name, seen.now.items?.now)
    return { keywords: { ...keywords, items, xml: { wrapped: true } }, because }
  }

  /** The name of a record's schema, which is written when it is asked for first. */
  private named(place: Seen): string {
    const name = this.nameOf(place)
    if (this.written.has(name)) return name
    // What lies inside may refer to it.
    this.written.set(name, undefined)
    const several = this.structures.alternatives.get(place)
    this.written.set(
      name,
      several === undefined
        ? this.recordSchema(place, name)
        : {
            // One may look like another one with less: which it is the member tells.
            anyOf: [...new Set([...several.places.values()].map((each) => each.now))].map(
              (each) => ({ $ref: reference(this.named(each)) }),
            ),
            discriminator: {
              propertyName: several.by,
              mapping: Object.fromEntries(
                [...several.places].map(([tag, each]) => [tag, reference(this.nameOf(each.now))]),
              ),
            },
          },
    )
    return name
  }

  private recordSchema(place: Seen, name: string): unknown {
    const total = place.records.length
    const members = [...place.members]
    const required = members
      .filter(([, { count }]) => count === total)
      .map(([member]) => propertyName(place, member))
    const schema = {
      type: 'object',
      ...(required.length === 0 ? {} : { required }),
      properties: Object.fromEntries(
        members.map(([member, { seen, count }]) => {
          const own = this.of(seen, member, `${name}.${member}`)
          const sometimes = `in ${String(count)} of ${String(total)}`
          const called = propertyName(place, member)
          const schema = place.isXml ? this.xml.member(own, member, called, seen.now) : own
          return [called, count === total ? schema : alsoRemarked(schema, sometimes)]
        }),
      ),
      ...this.xml.record(place),
    }
    return total === 1 ? new Remarked(schema, 'seen once') : schema
  }

  private nameOf(place: Seen): string {
    const found = this.names.get(place)
    if (found !== undefined) return found
    const name = this.freeName(place)
    this.taken.add(name)
    this.names.set(place, name)
    return name
  }

  private nameOfWhole(place: Seen): string {
    const known = this.wholes.get(place)
    if (known !== undefined) return known
    const wanted = `${usualName(place)}Value`
    let name = wanted
    for (let count = 2; this.taken.has(name); count += 1) name = `${wanted}${String(count)}`
    this.taken.add(name)
    this.wholes.set(place, name)
    return name
  }

  private freeName(place: Seen): string {
    const wanted = usualName(place)
    if (!this.taken.has(wanted)) return wanted
    const steps = place.path.filter((step) => !isGeneral(step))
    const longer = steps.map((_, at) => pascalCase(steps.slice(at).map(singular).join(' ')))
    const free = longer.reverse().find((name) => !this.taken.has(name))
    if (free !== undefined) return free
    for (let count = 2; ; count += 1)
      if (!this.taken.has(`${wanted}${String(count)}`)) return `${wanted}${String(count)}`
  }

  /**
   * Names records that would go by one name: that with the most members has it, those that have
   * less of the same are summaries of it.
   */
  private nameSummaries(): void {
    const byName = new Map<string, Seen[]>()
    for (const place of this.structures.records) addTo(byName, usualName(place), place.now)
    for (const [name, places] of byName) {
      const [whole, ...others] = [...new Set(places)].sort(
        (one, other) => other.members.size - one.members.size,
      )
      const [part] = others.filter((each) =>
        [...each.members.keys()].every((member) => whole?.members.has(member) === true),
      )
      const summary = `${name}Summary`
      if (whole === undefined || part === undefined) continue
      if (this.taken.has(name) || this.taken.has(summary)) continue
      this.names.set(whole, name).set(part, summary)
      this.taken.add(name).add(summary)
    }
  }
}

function reference(name: string): string {
  return `#/components/schemas/${name}`
}

/** What a record's schema is called where nothing else is called so. */
function usualName(place: Seen): string {
  const last = place.path.findLast((step) => !isGeneral(step)) ?? 'record'
  return pascalCase(isFrame(place) ? `${last} answer` : singular(last))
}

/** Is a record only the frame of a list: has it one under a name that says no more? */
function isFrame({ members }: Seen): boolean {
  return [...members].some(
    ([name, { seen }]) => isGeneral(name) && (seen.now.items?.now.records.length ?? 0) > 0,
  )
}

function nullsOf(place: Seen): string {
  return `null in ${String(place.nulls)} of ${String(place.count)}`
}

function orNull(keywords: Readonly<Record<string, unknown>>): object {
  const { type, enum: values } = keywords
  if (typeof type !== 'string') return { oneOf: [keywords, { type: 'null' }] }
  const listed = Array.isArray(values) ? { enum: [...(values as unknown[]), null] } : {}
  return { ...keywords, type: [type, 'null'], ...listed }
}

function alsoRemarked(schema: unknown, remark: string): Remarked {
  return schema instanceof Remarked
    ? new Remarked(schema.value, `${remark}; ${schema.remark}`)
    : new Remarked(schema, remark)
}

/** With a short value that was seen, where it tells nothing of anybody. */
function withExample(decision: Decision, place: Seen, name: string): Decision {
  const { keywords } = decision
  if ('enum' in keywords || 'contentEncoding' in keywords) return decision
  const example =
    keywords['type'] === 'string'
      ? exampleText(name, place.texts.first[0] ?? '')
      : numberIn(place, name)
  return example === undefined || example === ''
    ? decision
    : { ...decision, keywords: { ...keywords, ...present({ examples: [example] }) } }
}

function numberIn({ numbers }: Seen, name: string): number | undefined {
  const value = Number(numbers.first)
  return String(value) === numbers.first && !isPersonal(name) && numbers.first.length < 7
    ? value
    : undefined
}
