import type { Schema } from '../join-schemas.js'
import { typesOf, withNull } from '../join-schemas.js'
import { schemasPath, type Version } from './description.js'

/** A drafted schema, which is of OpenAPI 3.1, in the words of an older version. */
export function inWordsOf(version: Version, schema: unknown): unknown {
  if (version === '3.1' || typeof schema !== 'object' || schema === null) return schema
  if (Array.isArray(schema)) return schema.map((each) => inWordsOf(version, each))
  const { examples, contentEncoding, ...rest } = schema as Schema
  const types = typesOf(rest)
  const alternatives = (rest['anyOf'] ?? rest['oneOf']) as readonly Schema[] | undefined
  const others = alternatives?.filter((each) => !isNull(each))
  const isNullable = types.includes('null') || others?.length !== alternatives?.length
  const kept = Object.fromEntries(
    Object.entries(rest)
      .filter(([key]) => !['anyOf', 'oneOf', 'type', 'discriminator'].includes(key))
      .map(([key, value]) => [key, within(version, key, value)]),
  )
  const [type] = types.filter((each) => each !== 'null')
  return {
    ...(type === undefined ? {} : { type }),
    ...kept,
    ...(contentEncoding === 'base64' ? { format: 'byte' } : {}),
    ...(Array.isArray(examples) ? { example: (examples as unknown[])[0] } : {}),
    ...choiceOf(version, rest, others ?? []),
    ...(isNullable ? nullable(version) : {}),
  }
}

function isNull(schema: Schema): boolean {
  return typesOf(schema).every((each) => each === 'null') && typesOf(schema).length > 0
}

/** Members of `properties` are schemas by name; what stands under other keys is no schema. */
function within(version: Version, key: string, value: unknown): unknown {
  if (key === 'properties')
    return Object.fromEntries(
      Object.entries(value as Schema).map(([name, each]) => [name, inWordsOf(version, each)]),
    )
  if (key === '$ref') return referenceIn(version, String(value))
  return ['items', 'additionalProperties'].includes(key) ? inWordsOf(version, value) : value
}

function referenceIn(version: Version, reference: string): string {
  return reference.replace('#/components/schemas/', `#/${schemasPath(version).join('/')}/`)
}

/** Alternatives: one alone needs `allOf` to stand beside other words, and 2.0 knows none. */
function choiceOf(version: Version, schema: Schema, others: readonly Schema[]): object {
  const said = others.map((each) => inWordsOf(version, each))
  if (said.length === 1) return { allOf: said }
  if (said.length === 0 || version === '2.0') return {}
  const { discriminator } = schema
  return { anyOf: said, ...(discriminator === undefined ? {} : { discriminator }) }
}

function nullable(version: Version): object {
  return version === '2.0' ? { 'x-nullable': true } : { nullable: true }
}

/** A schema that allows null as well, as its version says it. */
export function orNull(version: Version, schema: Schema): Schema {
  if (version === '3.1') return orNullType(schema)
  if ('$ref' in schema) return { allOf: [schema], ...nullable(version) }
  const values = schema['enum']
  const listed =
    Array.isArray(values) && !values.includes(null)
      ? { enum: [...(values as unknown[]), null] }
      : {}
  return { ...schema, ...listed, ...nullable(version) }
}

/** In 3.1 null is a type like others; where more than a type is said it is an alternative. */
function orNullType(schema: Schema): Schema {
  const { anyOf, oneOf } = schema
  const isTyped = typesOf(schema).length > 0
  const says = ['$ref', 'const', 'allOf', 'anyOf', 'oneOf'].filter((keyword) => keyword in schema)
  if (isTyped && says.length === 0) return withNull(schema)
  const [only, ...more] = says
  const listed = only === 'anyOf' ? anyOf : oneOf
  const isChoice = more.length === 0 && Array.isArray(listed) && !('enum' in schema)
  return isChoice && !isTyped && only !== undefined
    ? { ...schema, [only]: [...(listed as unknown[]), { type: 'null' }] }
    : // What is referred to may come to allow null, too: both may fit.
      { anyOf: [schema, { type: 'null' }] }
}
