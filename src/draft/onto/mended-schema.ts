import { isPlainObject } from '../../contract/plain.js'
import { isSame, typesOf, type Schema } from '../join-schemas.js'
import { isKindOfThing } from '../personal.js'
import { numberSchema, textSchema } from '../scalar-schema.js'
import type { SeenNumbers } from '../seen-numbers.js'
import type { Seen } from '../seen.js'
import type { Version } from './description.js'
import type { Finding } from './findings.js'
import { plainValue } from './scalar-rules.js'
import { orNull } from './version-words.js'

/** A schema with what lets it allow all that was found, and why. */
export interface MendedSchema {
  readonly schema: Schema
  readonly reasons: readonly Reason[]
}

/** Why something was changed: the steps from the schema to it. */
export interface Reason {
  readonly at: readonly string[]
  readonly text: string
}

export interface Mending {
  readonly version: Version
  /** How many values were of the kind that the schema says. */
  readonly ofKind: number
  /** The schema of what was seen, in the words of the version. */
  draft(seen: Seen, name: string): Schema
}

/** Mends a schema so that it allows, and says, what was found in its place. */
export function mendedSchema(schema: Schema, finding: Finding, mending: Mending): MendedSchema {
  const work = new SchemaMending(schema, finding, mending)
  work.members()
  work.values()
  work.rules()
  work.kinds()
  work.alternatives()
  work.nulls()
  return { schema: work.next, reasons: work.reasons }
}

class SchemaMending {
  next: Schema
  readonly reasons: Reason[] = []
  private readonly finding: Finding
  private readonly mending: Mending

  constructor(schema: Schema, finding: Finding, mending: Mending) {
    this.next = schema
    this.finding = finding
    this.mending = mending
  }

  members(): void {
    const { lacking, forbidden, isClosed } = this.finding
    // Of what is null always there is nothing to say, but where it is forbidden.
    const undescribed = [...this.finding.undescribed].filter(
      ([, seen]) => isClosed || seen.filled + seen.texts.masked > 0,
    )
    if (lacking.size > 0) {
      const required = (this.next['required'] as string[]).filter((name) => !lacking.has(name))
      this.without('required')
      if (required.length > 0) this.next = { ...this.next, required }
      for (const [name, count] of lacking)
        this.because(`${name} was not there ${times(count)}`, 'required')
    }
    if (undescribed.length > 0) {
      const added = undescribed.map(
        ([name, seen]) => [name, this.mending.draft(seen, name)] as const,
      )
      const { properties } = this.next
      this.next = {
        ...this.next,
        properties: {
          ...(isPlainObject(properties) ? properties : {}),
          ...Object.fromEntries(added),
        },
      }
      for (const [name, seen] of undescribed)
        this.because(`${name} came ${times(seen.count)}`, 'properties', name)
    }
    if (forbidden.size > 0) {
      this.next = { ...this.next, additionalProperties: true }
      this.because(
        `${[...forbidden].join(', ')} came, which other parts describe`,
        'additionalProperties',
      )
    }
  }

  values(): void {
    const { unlisted, notConstant } = this.finding
    const constant = this.next['const']
    if (notConstant.size > 0) this.without('const')
    const others = [...unlisted.values(), ...notConstant.values()].map(plainValue)
    if (others.length === 0) return
    const listed = this.next['enum'] ?? [constant]
    const all = [...(listed as unknown[]), ...others]
    const { name } = this.finding
    const mayBeShown = others.every((each) => typeof each !== 'string' || isKindOfThing(name, each))
    // So many more are no list any more, nor is what may tell of somebody; what is in a list already
    // need not be added.
    if (others.length > mostAdded || !mayBeShown) this.without('enum')
    else if (unlisted.size > 0 || this.next['enum'] === undefined)
      this.next = {
        ...this.next,
        enum: all.filter((each, at) => all.findIndex((one) => isSame(one, each)) === at),
      }
    const shown = mayBeShown ? others.slice(0, 3).map((each) => JSON.stringify(each)) : []
    const more = others.length > shown.length ? ['others'] : []
    this.because(`${[shown.join(', '), ...more].filter(Boolean).join(' and ')} came`, 'enum')
  }

  rules(): void {
    for (const [keyword, seen] of this.finding.broken) {
      const before = JSON.stringify(this.next[keyword])
      const { least = 0, most = 0 } = this.finding.limits.get(keyword) ?? {}
      this.rule(keyword, seen, least, most)
      this.because(`${keyword} ${before} did not hold ${times(seen.count)}`, keyword)
    }
  }

  private rule(keyword: string, seen: Seen, least: number, most: number): void {
    switch (keyword) {
      case 'format':
        return this.format(seen)
      case 'uniqueItems':
        this.next = { ...this.next, uniqueItems: false }
        return
      case 'pattern':
      case 'multipleOf':
        return this.without(keyword)
      case 'exclusiveMinimum':
      case 'exclusiveMaximum': {
        this.without(keyword)
        const isLeast = keyword === 'exclusiveMinimum'
        this.next = { ...this.next, [isLeast ? 'minimum' : 'maximum']: isLeast ? least : most }
        return
      }
      default: {
        const exclusive = `exclusive${keyword.charAt(0).toUpperCase()}${keyword.slice(1)}`
        const isFlag = this.next[exclusive] === true
        this.next = {
          ...this.next,
          [keyword]: keyword.startsWith('min') ? least : most,
          ...(isFlag ? { [exclusive]: false } : {}),
        }
      }
    }
  }

  /** What all values have another form than is said of has that form; else it has none. */
  private format(seen: Seen): void {
    const isAll = seen.count === this.mending.ofKind
    const { format } =
      seen.numbers.count > 0
        ? { format: numberFormat(seen.numbers) }
        : textSchema(seen.texts, this.finding.name).keywords
    const other = isAll || seen.numbers.count > 0 ? format : undefined
    this.without('format')
    if (other !== undefined) this.next = { ...this.next, format: other }
  }

  kinds(): void {
    const { otherKinds: seen, name } = this.finding
    const { version } = this.mending
    if (seen === undefined) return
    const types = typesOf(this.next)
    this.because(`${kindOf(seen)} came ${times(seen.count)}, not ${types.join(' or ')}`)
    if (seen.numbers.count === seen.count && types.includes('integer')) {
      const { keywords } = numberSchema(seen.numbers)
      const widened = types.map((each) => (each === 'integer' ? 'number' : each))
      this.next = { ...this.next, ...keywords, type: widened.length === 1 ? 'number' : widened }
      return
    }
    const drafted = this.mending.draft(seen, name)
    const { words, rest } = wordsApart(this.next)
    if (this.mending.ofKind === 0)
      this.next = { ...words, ...(this.isNullable(types) ? orNull(version, drafted) : drafted) }
    else if (version === '2.0') this.next = words
    else this.next = { ...words, anyOf: [rest, drafted] }
  }

  private isNullable(types: readonly string[]): boolean {
    return (
      types.includes('null') || this.next['nullable'] === true || this.next['x-nullable'] === true
    )
  }

  alternatives(): void {
    const { otherThings: seen, severalFit, name } = this.finding
    if (seen === undefined && severalFit === 0) return
    const { oneOf, ...rest } = this.next
    const listed = (this.next['anyOf'] ?? oneOf) as readonly unknown[]
    const added = seen === undefined ? [] : [this.mending.draft(seen, name)]
    // Of what was added and what was there more than one may fit.
    this.next = { ...rest, anyOf: [...listed, ...added] }
    if (seen !== undefined)
      this.because(`${kindOf(seen)} that no alternative allows came ${times(seen.count)}`)
    if (severalFit > 0) this.because(`more than one alternative fits ${times(severalFit)}`)
  }

  nulls(): void {
    const { nulls } = this.finding
    if (nulls === 0) return
    this.next = orNull(this.mending.version, this.next)
    this.because(`null came ${times(nulls)}`)
  }

  private without(keyword: string): void {
    const { [keyword]: _gone, ...rest } = this.next
    this.next = rest
  }

  private because(text: string, ...at: string[]): void {
    this.reasons.push({ at, text })
  }
}

/** The format of numbers that do not fit into the one that is said of them. */
function numberFormat(numbers: SeenNumbers): unknown {
  const isWhole = numbers.fractions + numbers.exponents === 0
  if (!isWhole) return numberSchema(numbers).keywords['format']
  return numbers.fit64 ? 'int64' : undefined
}

/** A list that so many values are added to was none. */
const mostAdded = 10

/** How often, in words. */
export function times(count: number): string {
  return count === 1 ? 'once' : `${String(count)} times`
}

function kindOf(seen: Seen): string {
  const kinds = [
    seen.booleans > 0 ? 'a truth value' : '',
    seen.numbers.count > 0 ? 'a number' : '',
    seen.texts.count + seen.texts.masked > 0 ? 'a text' : '',
    seen.lists.count > 0 ? 'a list' : '',
    seen.records.length > 0 ? 'a record' : '',
  ].filter((each) => each !== '')
  return kinds.join(' and ')
}

/** What is said of a schema in words, whatever it allows. */
const wordKeys = new Set(['title', 'description', 'deprecated', 'readOnly', 'writeOnly'])

function wordsApart(schema: Schema): { readonly words: Schema; readonly rest: Schema } {
  const entries = Object.entries(schema)
  const isWord = ([key]: [string, unknown]): boolean => wordKeys.has(key) || key.startsWith('x-')
  return {
    words: Object.fromEntries(entries.filter(isWord)),
    rest: Object.fromEntries(entries.filter((each) => !isWord(each))),
  }
}
