import type { Constraints, ScalarBase } from '../../contract/contract.js'

/** A built-in simple type of XML Schema in the contract's terms. */
export interface BuiltinType {
  readonly base: ScalarBase
  readonly constraints?: Constraints
  /** Its values are lists of this built-in type. */
  readonly listOf?: string
}

const name = '[\\p{L}_:][\\p{L}\\p{N}\\p{M}._:·-]*'
const ncName = '[\\p{L}_][\\p{L}\\p{N}\\p{M}._·-]*'

/** Built-in simple types (XML Schema part 2, section 3), by local name. */
export const builtinTypes: Readonly<Record<string, BuiltinType>> = {
  string: { base: 'text' },
  normalizedString: { base: 'text' },
  token: { base: 'text' },
  language: { base: 'text', constraints: { patterns: [['[a-zA-Z]{1,8}(?:-[a-zA-Z0-9]{1,8})*']] } },
  Name: { base: 'text', constraints: { patterns: [[name]] } },
  NCName: { base: 'text', constraints: { patterns: [[ncName]] } },
  NMTOKEN: { base: 'text', constraints: { patterns: [['[\\p{L}\\p{N}\\p{M}._:·-]+']] } },
  ID: { base: 'text', constraints: { patterns: [[ncName]] } },
  IDREF: { base: 'text', constraints: { patterns: [[ncName]] } },
  ENTITY: { base: 'text', constraints: { patterns: [[ncName]] } },
  NMTOKENS: { base: 'text', listOf: 'NMTOKEN' },
  IDREFS: { base: 'text', listOf: 'IDREF' },
  ENTITIES: { base: 'text', listOf: 'ENTITY' },
  anyURI: { base: 'text' },
  anySimpleType: { base: 'text' },
  boolean: { base: 'boolean' },
  decimal: { base: 'decimal' },
  integer: { base: 'integer' },
  nonPositiveInteger: { base: 'integer', constraints: { maximum: '0' } },
  negativeInteger: { base: 'integer', constraints: { maximum: '-1' } },
  nonNegativeInteger: { base: 'integer', constraints: { minimum: '0' } },
  positiveInteger: { base: 'integer', constraints: { minimum: '1' } },
  long: { base: 'int64' },
  int: { base: 'int32' },
  short: { base: 'int16' },
  byte: { base: 'int8' },
  unsignedLong: { base: 'uint64' },
  unsignedInt: { base: 'uint32' },
  unsignedShort: { base: 'uint16' },
  unsignedByte: { base: 'uint8' },
  float: { base: 'float' },
  double: { base: 'double' },
  duration: { base: 'duration' },
  dateTime: { base: 'dateTime' },
  date: { base: 'date' },
  time: { base: 'time' },
  gYearMonth: { base: 'yearMonth' },
  gYear: { base: 'year' },
  gMonthDay: { base: 'monthDay' },
  gMonth: { base: 'month' },
  gDay: { base: 'day' },
  hexBinary: { base: 'bytes' },
  base64Binary: { base: 'bytes' },
  QName: { base: 'qualifiedName' },
  NOTATION: { base: 'qualifiedName' },
}
