import { isRecord, NumberText, type JsonValue } from './json-values.js'
import { SeenNumbers } from './seen-numbers.js'
import { SeenTexts } from './seen-texts.js'

/** Which way a value travels, as the caller sees it. */
export type Way = 'sent' | 'received'

/** A record as it came. */
export type JsonRecord = Readonly<Record<string, JsonValue>>

/** What was seen of a member of records. */
export interface SeenMember {
  readonly seen: Seen
  /** In how many records it was. */
  count: number
}

/**
 * What was seen of the values in one place of requests or answers. Two places turn out to hold the
 * same when they are joined: from then on both are one ({@link now}), and so is what lies inside of
 * them.
 */
export class Seen {
  readonly way: Way
  /** In XML everything that is no element is text; the name of its element, where it is one. */
  readonly isXml: boolean
  element: string | undefined
  /** What the places may be called after that this one is: of each path how many places had it. */
  private readonly paths = new Map<string, { readonly path: readonly string[]; count: number }>()
  nulls = 0
  booleans = 0
  readonly numbers = new SeenNumbers()
  readonly texts = new SeenTexts()
  readonly lists = { count: 0, empty: 0 }
  items: Seen | undefined
  /** All records, in order: of some it shows only together what they are. */
  records: JsonRecord[] = []
  members = new Map<string, SeenMember>()
  private joined: Seen | undefined

  constructor(way: Way, path: readonly string[], isXml = false) {
    this.way = way
    this.isXml = isXml
    this.callAfter(path, 1)
  }

  /** What the place is called after, the nearest name last: what most were that it is now. */
  get path(): readonly string[] {
    let most: { readonly path: readonly string[]; count: number } | undefined
    for (const each of this.paths.values())
      if (most === undefined || each.count > most.count) most = each
    return most?.path ?? []
  }

  /** Counts a path as one that the place is called after. */
  callAfter(path: readonly string[], count: number): void {
    const key = JSON.stringify(path)
    const known = this.paths.get(key)
    if (known === undefined) this.paths.set(key, { path, count })
    else known.count += count
  }

  /** The place that this one is, now that places were joined. */
  get now(): Seen {
    if (this.joined === undefined) return this
    // Whoever asks again finds it at once.
    const last = this.joined.now
    this.joined = last
    return last
  }

  /** How many values were seen. */
  get count(): number {
    return this.nulls + this.filled
  }

  /** How many of them were not null. */
  get filled(): number {
    return (
      this.booleans +
      this.numbers.count +
      this.texts.count +
      this.texts.masked +
      this.lists.count +
      this.records.length
    )
  }

  see(value: JsonValue): void {
    if (value === null) this.nulls += 1
    else if (typeof value === 'boolean') this.booleans += 1
    else if (typeof value === 'string') this.texts.see(value)
    else if (value instanceof NumberText) this.numbers.see(value.text)
    else if (isRecord(value)) this.seeRecord(value)
    else this.seeList(value as readonly JsonValue[])
  }

  private seeList(values: readonly JsonValue[]): void {
    this.lists.count += 1
    if (values.length === 0) this.lists.empty += 1
    this.items ??= this.inner(this.path, this.element)
    for (const value of values) this.items.now.see(value)
  }

  private seeRecord(record: JsonRecord): void {
    this.records.push(record)
    for (const [name, value] of Object.entries(record)) this.member(name).see(value)
  }

  /** The place of a member of records, counted as seen once more. */
  member(name: string): Seen {
    const found = this.members.get(name)
    if (found !== undefined) {
      found.count += 1
      return found.seen.now
    }
    const seen = this.inner([...this.path, this.isXml ? plainName(name) : name], name)
    this.members.set(name, { seen, count: 1 })
    return seen
  }

  private inner(path: readonly string[], element: string | undefined): Seen {
    const made = new Seen(this.way, path, this.isXml)
    made.element = element
    return made
  }

  /** Makes this place and another one the same. */
  join(place: Seen): void {
    // A list of pairs instead of calls: what is joined may refer to itself.
    const pairs: [Seen, Seen][] = [[this, place]]
    for (let pair = pairs.pop(); pair !== undefined; pair = pairs.pop()) {
      const [one, other] = [pair[0].now, pair[1].now]
      if (one === other) continue
      other.joined = one
      for (const { path, count } of other.paths.values()) one.callAfter(path, count)
      one.nulls += other.nulls
      one.booleans += other.booleans
      one.numbers.add(other.numbers)
      one.texts.add(other.texts)
      one.lists.count += other.lists.count
      one.lists.empty += other.lists.empty
      if (one.items === undefined) one.items = other.items
      else if (other.items !== undefined) pairs.push([one.items, other.items])
      for (const record of other.records) one.records.push(record)
      for (const [name, member] of other.members) {
        const own = one.members.get(name)
        if (own === undefined) one.members.set(name, member)
        else {
          own.count += member.count
          pairs.push([own.seen, member.seen])
        }
      }
    }
  }
}

/** What a member of a record in XML is called, without the mark of attributes. */
export function plainName(member: string): string {
  return member === textMember ? 'text' : member.replace(/^@/, '')
}

/** The member of records in XML that is the text of their element. */
export const textMember = '#text'
