import type {
  Constraints,
  EnumerationType,
  ListType,
  ScalarBase,
  ScalarType,
  UnionType,
} from '../../contract/contract.js'
import { endsInTime } from '../../contract/pattern-safety.js'
import { present } from '../../contract/present.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import type { Notes } from '../notes.js'
import { xsd } from './namespaces.js'
import { translatePattern } from './pattern.js'
import { documentationOf, documented, wantedAttribute } from './reading.js'
import type { SimpleType } from './simple-types.js'

/** Constraints while they are gathered. */
type Gathered = { -readonly [K in keyof Constraints]: Constraints[K] }

type Member = EnumerationType['members'][number]

/** Bases whose values have a size: their bounds and their enumerations can be checked. */
const ordered: ReadonlySet<ScalarBase> = new Set<ScalarBase>([
  'int8',
  'int16',
  'int32',
  'int64',
  'uint8',
  'uint16',
  'uint32',
  'uint64',
  'integer',
  'decimal',
  'float',
  'double',
  'dateTime',
  'date',
  'time',
  'duration',
  'yearMonth',
  'year',
  'monthDay',
  'month',
  'day',
])

/** The short spellings of truth values. */
const spelledOut = new Map([
  ['1', 'true'],
  ['0', 'false'],
])

/** What a text becomes by what is said of white space. */
const byWhiteSpace = new Map([
  ['collapse', 'xs:token'],
  ['replace', 'xs:normalizedString'],
])

/**
 * A base narrowed by the facets inside a restriction (XML Schema part 2, section 4.3).
 *
 * @param name of the type, for messages
 */
export function applyFacets(
  base: SimpleType,
  restriction: XmlElement,
  name: string,
  notes: Notes,
): SimpleType {
  documentationOf(restriction)
  restriction.attribute('id')
  const facets = new Facets(restriction, name, notes)
  switch (base.kind) {
    case 'enumeration':
      return narrowEnumeration(base, facets)
    case 'list':
      return narrowList(base, facets)
    case 'union':
      return narrowUnion(base, facets)
    case 'scalar':
      return narrowScalar(base, facets)
  }
}

/** The facets of one restriction. */
class Facets {
  private readonly restriction: XmlElement
  private readonly name: string
  private readonly notes: Notes

  constructor(restriction: XmlElement, name: string, notes: Notes) {
    this.restriction = restriction
    this.name = name
    this.notes = notes
  }

  /** What a facet says, as often as it stands there. */
  values(facet: string): string[] {
    return this.take(facet).map(({ value }) => value)
  }

  /** The first of them as a number; undefined where the facet is not there. */
  number(facet: string): number | undefined {
    const [value] = this.values(facet)
    return value === undefined ? undefined : Number(value)
  }

  /** The values that are allowed, with what is said of each. */
  members(): Member[] {
    return this.restriction.take(xsd, 'enumeration').map((element) => ({
      value: wantedAttribute(element, 'value'),
      ...documented(element),
      origin: element.origin,
    }))
  }

  /**
   * Patterns of one step are alternatives; those of different steps must all match (section 4.3.4).
   *
   * @param before those of the base
   */
  patterns(before: Constraints['patterns'] = []): Constraints['patterns'] {
    const written = this.take('pattern')
    const known = written.flatMap(({ value, element }) => {
      const pattern = translatePattern(value)
      if (pattern !== undefined && endsInTime(pattern)) return [pattern]
      this.notes.add('approximated', 'TM-2211', { pattern: value }, element.origin)
      return []
    })
    const areAllKnown = written.length > 0 && known.length === written.length
    const groups = areAllKnown ? [...before, known] : before
    return groups.length === 0 ? undefined : groups
  }

  /** Says of a facet that values are not checked against it. */
  leaveUnchecked(facet: string): void {
    for (const { value, element } of this.take(facet)) {
      const values = { element: facet, value, name: this.name }
      this.notes.add('approximated', 'TM-2219', values, element.origin)
    }
  }

  private take(facet: string): { value: string; element: XmlElement }[] {
    return this.restriction.take(xsd, facet).map((element) => {
      documentationOf(element)
      element.attribute('fixed')
      element.attribute('id')
      return { value: wantedAttribute(element, 'value'), element }
    })
  }
}

function narrowEnumeration(base: EnumerationType, facets: Facets): EnumerationType {
  const wanted = new Set(facets.values('enumeration'))
  const groups = (facets.patterns() ?? []).map((group) =>
    group.map((pattern) => new RegExp(`^(?:${pattern})$`, 'u')),
  )
  const least = facets.number('minLength') ?? 0
  const most = facets.number('maxLength') ?? Infinity
  const exact = facets.number('length')
  facets.values('whiteSpace')
  // Characters are counted (XML Schema part 2, section 4.3.1), some of which take two units.
  const isInRange = (value: string): boolean => {
    const { length } = [...value]
    return length >= least && length <= most && (exact === undefined || length === exact)
  }
  const fits = ({ value }: Member): boolean =>
    (wanted.size === 0 || wanted.has(value)) &&
    isInRange(value) &&
    groups.every((group) => group.some((expression) => expression.test(value)))
  return { ...base, members: base.members.filter(fits) }
}

function narrowList(base: ListType, facets: Facets): ListType {
  const length = facets.number('length')
  const minItems = length ?? facets.number('minLength')
  const maxItems = length ?? facets.number('maxLength')
  facets.values('whiteSpace')
  const allowed = facets.values('enumeration').map((value) => value.trim().replace(/\s+/g, ' '))
  const constraints = present({
    patterns: facets.patterns(base.constraints?.patterns),
    allowed: allowed.length > 0 ? allowed : base.constraints?.allowed,
  })
  return { ...base, ...present({ minItems, maxItems }), ...constrained(constraints) }
}

function narrowUnion(base: UnionType, facets: Facets): SimpleType {
  const members = facets.members()
  const patterns = facets.patterns(base.constraints?.patterns)
  if (members.length === 0) return { ...base, ...constrained(present({ patterns })) }
  const text: ScalarType = { kind: 'scalar', base: 'text', format: 'xs:anySimpleType' }
  return { kind: 'enumeration', members, base: text }
}

function narrowScalar(base: ScalarType, facets: Facets): SimpleType {
  const isOrdered = ordered.has(base.base)
  const constraints: Gathered = { ...base.constraints }
  if (isOrdered) gatherBounds(constraints, facets)
  else
    for (const bound of ['minInclusive', 'maxInclusive', 'minExclusive', 'maxExclusive'])
      facets.leaveUnchecked(bound)
  gatherLengths(constraints, facets)
  Object.assign(constraints, present({ patterns: facets.patterns(base.constraints?.patterns) }))
  const [whiteSpace = ''] = facets.values('whiteSpace')
  const narrower = base.format === 'xs:string' ? byWhiteSpace.get(whiteSpace) : undefined
  const isEnumerable = isOrdered || base.base === 'boolean'
  if (isEnumerable) {
    const values = facets.values('enumeration').map((value) => value.trim())
    const allowed = isOrdered ? values : values.map((value) => spelledOut.get(value) ?? value)
    if (allowed.length > 0) constraints.allowed = allowed
  }
  const scalar: ScalarType = {
    kind: 'scalar',
    base: base.base,
    format: narrower ?? base.format,
    ...constrained(constraints),
  }
  if (base.base === 'text') return enumerated(scalar, facets.members())
  if (!isEnumerable) facets.leaveUnchecked('enumeration')
  return scalar
}

function gatherBounds(constraints: Gathered, facets: Facets): void {
  for (const value of facets.values('minInclusive')) constraints.minimum = value.trim()
  for (const value of facets.values('maxInclusive')) constraints.maximum = value.trim()
  for (const value of facets.values('minExclusive')) constraints.exclusiveMinimum = value.trim()
  for (const value of facets.values('maxExclusive')) constraints.exclusiveMaximum = value.trim()
  for (const value of facets.values('totalDigits')) constraints.totalDigits = Number(value)
  for (const value of facets.values('fractionDigits')) constraints.fractionDigits = Number(value)
}

function gatherLengths(constraints: Gathered, facets: Facets): void {
  for (const value of facets.values('length'))
    constraints.minLength = constraints.maxLength = Number(value)
  for (const value of facets.values('minLength')) constraints.minLength = Number(value)
  for (const value of facets.values('maxLength')) constraints.maxLength = Number(value)
}

/** A text of which only some values are allowed; said twice, the first counts. */
function enumerated(base: ScalarType, members: readonly Member[]): SimpleType {
  if (members.length === 0) return base
  const byValue = new Map<string, Member>()
  for (const member of members)
    if (!byValue.has(String(member.value))) byValue.set(String(member.value), member)
  return { kind: 'enumeration', members: [...byValue.values()], base }
}

/** Constraints as a type has them: not at all, where there are none. */
function constrained(constraints: Constraints): { constraints?: Constraints } {
  return Object.keys(constraints).length === 0 ? {} : { constraints }
}
