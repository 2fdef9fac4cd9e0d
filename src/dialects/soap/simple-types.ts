import { present } from '../../contract/present.js'
import { endsInTime } from '../../contract/pattern-safety.js'
import type {
  Constraints,
  EnumerationType,
  ListType,
  ScalarBase,
  ScalarType,
  UnionType,
} from '../../contract/contract.js'
import { problem } from '../../contract/problem.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import { builtinTypes } from './builtin-types.js'
import type { ListLayout } from './layout.js'
import { xsd } from './namespaces.js'
import { translatePattern } from './pattern.js'
import type { Notes } from '../notes.js'
import { documentationOf, documented, wantedAttribute } from './reading.js'

/**
 * A built-in simple type of XML Schema as a contract type, or undefined when there is none of that
 * name.
 */
export function builtinType(local: string, at: XmlElement): ScalarType | ListType | undefined {
  const builtin = Object.hasOwn(builtinTypes, local) ? builtinTypes[local] : undefined
  if (builtin === undefined) return undefined
  if (builtin.listOf !== undefined) {
    const item = builtinType(builtin.listOf, at)
    if (item !== undefined)
      return {
        kind: 'list',
        item,
        minItems: 1,
        layout: { written: 'spaced' } satisfies ListLayout,
      }
  }
  return {
    kind: 'scalar',
    base: builtin.base,
    format: `xs:${local}`,
    ...present({ constraints: builtin.constraints }),
  }
}

/** What a simple type is made of: its base resolved to the end. */
export type SimpleType = ScalarType | EnumerationType | ListType | UnionType

/**
 * Reads a simpleType definition (XML Schema part 2, section 4.1).
 *
 * @param name for messages
 * @param simpleOf resolves the base or item type that is named or stands inside
 */
export function readSimpleType(
  element: XmlElement,
  name: string,
  notes: Notes,
  simpleOf: (reference: string | undefined, at: XmlElement) => SimpleType,
): SimpleType {
  const documentation = documented(element)
  for (const attribute of ['final', 'id']) element.attribute(attribute)
  const restriction = element.takeOne(xsd, 'restriction')
  if (restriction !== undefined) {
    const base = simpleOf(restriction.attribute('base'), restriction)
    return { ...applyFacets(base, restriction, name, notes), ...documentation }
  }
  const list = element.takeOne(xsd, 'list')
  if (list !== undefined) {
    documentationOf(list)
    const item = simpleOf(list.attribute('itemType'), list)
    if (item.kind === 'list')
      throw problem(
        'TM-2213',
        { what: `The list of lists "${name}"`, reason: 'XML Schema does not allow it' },
        { place: element.place },
      )
    return {
      kind: 'list',
      item,
      ...documentation,
      layout: { written: 'spaced' } satisfies ListLayout,
    }
  }
  const union = element.takeOne(xsd, 'union')
  if (union !== undefined) {
    documentationOf(union)
    const named = (union.attribute('memberTypes') ?? '')
      .split(/\s+/)
      .filter((each) => each !== '')
      .map((each) => simpleOf(each, union))
    const inside = union
      .take(xsd, 'simpleType')
      .map((each) => readSimpleType(each, name, notes, simpleOf))
    // The members of a union that is a member are members themselves: each once, or unions of
    // unions double with every step.
    const alternatives = [
      ...new Set(
        [...named, ...inside].flatMap((each) =>
          each.kind === 'union' ? (each.alternatives as SimpleType[]) : [each],
        ),
      ),
    ]
    if (alternatives.length === 0)
      throw problem(
        'TM-2104',
        { what: `The union "${name}"`, attribute: 'memberTypes' },
        { place: union.place },
      )
    return { kind: 'union', alternatives, ...documentation }
  }
  throw problem(
    'TM-2104',
    { what: `The simple type "${name}"`, attribute: 'restriction, list or union' },
    { place: element.place },
  )
}

const moments: readonly ScalarBase[] = [
  'dateTime',
  'date',
  'time',
  'duration',
  'yearMonth',
  'year',
  'monthDay',
  'month',
  'day',
]
const numeric: readonly ScalarBase[] = [
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
]

/** A base narrowed by the facets inside a restriction (XML Schema part 2, section 4.3). */
export function applyFacets(
  base: SimpleType,
  restriction: XmlElement,
  name: string,
  notes: Notes,
): SimpleType {
  documentationOf(restriction)
  restriction.attribute('id')
  const values = (facet: string): { value: string; element: XmlElement }[] =>
    restriction.take(xsd, facet).map((element) => {
      documentationOf(element)
      element.attribute('fixed')
      element.attribute('id')
      return { value: wantedAttribute(element, 'value'), element }
    })
  const unchecked = (facet: string): void => {
    for (const { value, element } of values(facet))
      notes.add('approximated', 'TM-2219', { element: facet, value, name }, element.origin)
  }
  const bounds = ['minInclusive', 'maxInclusive', 'minExclusive', 'maxExclusive']
  // Patterns of one step are alternatives; those of different steps must all match (section 4.3.4).
  const patternsOf = (before: Constraints['patterns']): Pick<Constraints, 'patterns'> => {
    const written = values('pattern')
    const translated = written.map(({ value, element }) => {
      const translated = translatePattern(value)
      const found = translated === undefined || !endsInTime(translated) ? undefined : translated
      if (found === undefined)
        notes.add('approximated', 'TM-2211', { pattern: value }, element.origin)
      return found
    })
    const known = translated.filter((each) => each !== undefined)
    const groups = [
      ...(before ?? []),
      ...(written.length > 0 && known.length === written.length ? [known] : []),
    ]
    return groups.length === 0 ? {} : { patterns: groups }
  }
  if (base.kind === 'enumeration') {
    const wanted = new Set(values('enumeration').map(({ value }) => value))
    const { patterns = [] } = patternsOf(undefined)
    const least = Number(values('minLength')[0]?.value ?? 0)
    const most = Number(values('maxLength')[0]?.value ?? Infinity)
    const exact = values('length')[0]?.value
    values('whiteSpace')
    const expressions = patterns.map((group) =>
      group.map((pattern) => new RegExp(`^(?:${pattern})$`, 'u')),
    )
    const fits = (value: string): boolean =>
      expressions.every((group) => group.some((expression) => expression.test(value))) &&
      value.length >= least &&
      value.length <= most &&
      (exact === undefined || value.length === Number(exact))
    return {
      ...base,
      members: base.members.filter(
        ({ value }) => (wanted.size === 0 || wanted.has(value)) && fits(value),
      ),
    }
  }
  if (base.kind === 'list') {
    const length = values('length')[0]?.value
    const minimum = length ?? values('minLength')[0]?.value
    const maximum = length ?? values('maxLength')[0]?.value
    values('whiteSpace')
    const allowed = values('enumeration').map(({ value }) => value.trim().replace(/\s+/g, ' '))
    const enumerated = allowed.length > 0 ? allowed : base.constraints?.allowed
    const constraints = {
      ...patternsOf(base.constraints?.patterns),
      ...present({ allowed: enumerated }),
    }
    return {
      ...base,
      ...(minimum === undefined ? {} : { minItems: Number(minimum) }),
      ...(maximum === undefined ? {} : { maxItems: Number(maximum) }),
      ...(Object.keys(constraints).length === 0 ? {} : { constraints }),
    }
  }
  if (base.kind === 'union') {
    const members = restriction.take(xsd, 'enumeration').map((element) => ({
      value: wantedAttribute(element, 'value'),
      ...documented(element),
      origin: element.origin,
    }))
    const { patterns } = patternsOf(base.constraints?.patterns)
    if (members.length > 0)
      return {
        kind: 'enumeration',
        members,
        base: { kind: 'scalar', base: 'text', format: 'xs:anySimpleType' },
      }
    return { ...base, ...(patterns === undefined ? {} : { constraints: { patterns } }) }
  }

  const constraints: { -readonly [K in keyof Constraints]: Constraints[K] } = {
    ...base.constraints,
  }
  if (numeric.includes(base.base) || moments.includes(base.base)) {
    for (const { value } of values('minInclusive')) constraints.minimum = value.trim()
    for (const { value } of values('maxInclusive')) constraints.maximum = value.trim()
    for (const { value } of values('minExclusive')) constraints.exclusiveMinimum = value.trim()
    for (const { value } of values('maxExclusive')) constraints.exclusiveMaximum = value.trim()
    for (const { value } of values('totalDigits')) constraints.totalDigits = Number(value)
    for (const { value } of values('fractionDigits')) constraints.fractionDigits = Number(value)
  } else for (const facet of bounds) unchecked(facet)
  for (const { value } of values('length'))
    constraints.minLength = constraints.maxLength = Number(value)
  for (const { value } of values('minLength')) constraints.minLength = Number(value)
  for (const { value } of values('maxLength')) constraints.maxLength = Number(value)
  const { patterns } = patternsOf(base.constraints?.patterns)
  if (patterns !== undefined) constraints.patterns = patterns

  const whiteSpace = values('whiteSpace')[0]?.value
  const narrower = base.format === 'xs:string' ? byWhiteSpace.get(whiteSpace ?? '') : undefined
  const format = narrower ?? base.format
  const isChecked = numeric.includes(base.base) || moments.includes(base.base)
  const allowed = isChecked ? values('enumeration').map(({ value }) => value.trim()) : []
  if (allowed.length > 0) constraints.allowed = allowed
  const scalar: ScalarType = {
    kind: 'scalar',
    base: base.base,
    format,
    ...(Object.keys(constraints).length === 0 ? {} : { constraints }),
  }
  if (base.base !== 'text') {
    if (!isChecked) unchecked('enumeration')
    return scalar
  }
  const members = restriction.take(xsd, 'enumeration').map((element) => ({
    value: wantedAttribute(element, 'value'),
    ...documented(element),
    origin: element.origin,
  }))
  const distinct = [
    ...new Map(members.map((member) => [member.value, member] as const).reverse()).values(),
  ].reverse()
  return distinct.length === 0 ? scalar : { kind: 'enumeration', members: distinct, base: scalar }
}

/** What a text becomes by what is said of white space. */
const byWhiteSpace = new Map([
  ['collapse', 'xs:token'],
  ['replace', 'xs:normalizedString'],
])
