/** A schema of JSON Schema as plain data. */
export type Schema = Readonly<Record<string, unknown>>

/** The texts of `type`; empty where a schema does not say. */
export function typesOf({ type }: Schema): string[] {
  if (typeof type === 'string') return [type]
  return Array.isArray(type) ? (type as string[]) : []
}

function alternativesOf({ anyOf, oneOf }: Schema): readonly Schema[] | undefined {
  const list = anyOf ?? oneOf
  return Array.isArray(list) ? (list as Schema[]) : undefined
}

function isNull(types: readonly string[]): boolean {
  return types.every((type) => type === 'null')
}

/** A schema that allows null as well; the same where it does already. */
export function withNull(schema: Schema): Schema {
  const types = typesOf(schema)
  const values = schema['enum']
  const isListed = !Array.isArray(values) || values.includes(null)
  if ((types.includes('null') && isListed) || saysNothing(schema)) return schema
  if (types.length > 0)
    return {
      ...schema,
      type: [...types.filter((each) => each !== 'null'), 'null'],
      ...(isListed ? {} : { enum: [...(values as unknown[]), null] }),
    }
  const alternatives = alternativesOf(schema)
  if (alternatives === undefined) return { oneOf: [schema, { type: 'null' }] }
  if (alternatives.some((each) => typesOf(each).includes('null'))) return schema
  const key = schema['anyOf'] === undefined ? 'oneOf' : 'anyOf'
  return { ...schema, [key]: [...alternatives, { type: 'null' }] }
}

/** Does a schema say nothing, but for words? */
export function saysNothing(schema: Schema): boolean {
  return Object.keys(schema).every((key) => key === 'examples' || key === 'description')
}

/**
 * A schema of plain values that allows what either of two allows, as narrow as the two; the first
 * one itself where it allows all of it already.
 */
export function joinedSchema(one: Schema, other: Schema): Schema {
  if (saysNothing(one) || isSame(one, other)) return one
  if (saysNothing(other)) return one
  const alternatives = alternativesOf(one)
  if (alternatives !== undefined) {
    if (alternatives.some((each) => joinedSchema(each, other) === each)) return one
    // What is added may look like one of the others.
    const { oneOf: _oneOf, ...rest } = one
    return { ...rest, anyOf: [...alternatives, other] }
  }
  const [types, others] = [typesOf(one), typesOf(other)]
  if (types.length === 0 || others.length === 0) return { anyOf: [one, other] }
  if (isNull(others)) return withNull(one)
  if (isNull(types)) return withNull(other)
  const nullable = [...types, ...others].includes('null')
  const [kind, ...more] = new Set(
    [...types, ...others].filter((each) => each !== 'null').map(kindOf),
  )
  if (kind === undefined || more.length > 0) return { anyOf: [one, other] }
  const joined = kind === 'number' ? joinedNumbers(one, other) : joinedTexts(one, other)
  const type = kind === 'number' ? numberType([...types, ...others]) : kind
  const schema = { ...joined, type: nullable ? [type, 'null'] : type }
  return isSame(schema, one) ? one : schema
}

function kindOf(type: string): string {
  return type === 'integer' ? 'number' : type
}

function numberType(types: readonly string[]): string {
  return types.includes('number') ? 'number' : 'integer'
}

/** Of two formats of numbers that which loses nothing of either. */
function joinedNumbers(one: Schema, other: Schema): Schema {
  const formats = [one, other].map(({ format }) => format)
  const isFraction = [one, other].some((each) => typesOf(each).includes('number'))
  const whole = isFraction ? 'decimal' : formats.find(Boolean)
  const found = formats.includes('double') ? 'double' : whole
  const { format: _format, examples: _examples, ...rest } = one
  const kept = one['examples'] === undefined ? {} : { examples: one['examples'] }
  return { ...rest, ...(found === undefined ? {} : { format: found }), ...kept }
}

/** Texts, truth values: what both say of them, and the values of both. */
function joinedTexts(one: Schema, other: Schema): Schema {
  const kept = Object.fromEntries(
    Object.entries(one).filter(
      ([key, value]) =>
        key === 'type' || key === 'examples' || key === 'description' || isSame(value, other[key]),
    ),
  )
  const [values, others] = [one['enum'], other['enum']]
  if (!Array.isArray(values) || !Array.isArray(others)) return kept
  return { ...kept, enum: [...new Set([...(values as unknown[]), ...(others as unknown[])])] }
}

/** Are two plain values the same? The order of members says nothing. */
export function isSame(one: unknown, other: unknown): boolean {
  if (one === other) return true
  if (Array.isArray(one) && Array.isArray(other))
    return one.length === other.length && one.every((each, at) => isSame(each, other[at]))
  if (typeof one !== 'object' || typeof other !== 'object' || one === null || other === null)
    return false
  if (Array.isArray(one) || Array.isArray(other)) return false
  const [keys, others] = [Object.keys(one), Object.keys(other)]
  return (
    keys.length === others.length &&
    keys.every((key) => isSame((one as Schema)[key], (other as Schema)[key]))
  )
}
