import type { OpenElement, SimpleCodec, WholeCodec } from './codec.js'
import {
  base64Binary,
  boolean,
  byte,
  double,
  float,
  int,
  long,
  short,
  Unreadable,
  unsignedByte,
  unsignedInt,
  unsignedShort,
} from './simple.js'
import { parseName } from './xml-name.js'

/**
 * Table data sets: results that bring their own schema, followed by an instance of it (a diffgram).
 * They are delivered as rows by table.
 */

/** The rows of each table; what a row has no value for is null. */
type DataSet = Record<string, DataRow[]>
type DataRow = Record<string, unknown>

const xsd = 'http://www.w3.org/2001/XMLSchema'
const diffgram = 'urn:schemas-microsoft-com:xml-diffgram-v1'
const marks = 'urn:schemas-microsoft-com:xml-msdata'

/** Types whose values are more than texts. */
const types: Readonly<Record<string, SimpleCodec<unknown>>> = {
  boolean,
  byte,
  short,
  int,
  long,
  unsignedByte,
  unsignedShort,
  unsignedInt,
  float,
  double,
  base64Binary,
}

const elementsOf = (element: OpenElement | undefined): readonly OpenElement[] =>
  (element?.content ?? []).flatMap((each) => (typeof each === 'string' ? [] : [each]))
const isNamed = (element: OpenElement, namespace: string, local: string): boolean =>
  element.name === `{${namespace}}${local}`

/** Names are written with what XML does not allow as `_xHHHH_`. */
const unescaped = (name: string): string =>
  name.replace(/_x([0-9A-Fa-f]{4})_/g, (_, digits: string) =>
    String.fromCharCode(Number.parseInt(digits, 16)),
  )
const escaped = (name: string): string =>
  name.replace(
    /_(?=x[0-9A-Fa-f]{4}_)|[^\p{L}\p{N}_.-]|^[^\p{L}_]/gu,
    (each) => `_x${each.charCodeAt(0).toString(16).toUpperCase().padStart(4, '0')}_`,
  )

/** The columns of each table with their types, by the schema inside. */
function tablesOf(schema: OpenElement | undefined): Map<string, Map<string, string>> {
  const tables = new Map<string, Map<string, string>>()
  const visit = (element: OpenElement, depth: number): void => {
    const name = element.attributes?.['name']
    const inside = elementsOf(element)
    const columns = inside
      .filter((each) => isNamed(each, xsd, 'complexType'))
      .flatMap(elementsOf)
      .filter((each) => isNamed(each, xsd, 'sequence'))
      .flatMap(elementsOf)
      .filter((each) => isNamed(each, xsd, 'element') && each.attributes?.['name'] !== undefined)
    if (isNamed(element, xsd, 'element') && name !== undefined && depth > 0 && columns.length > 0) {
      tables.set(
        name,
        new Map(
          columns.map((each) => [
            each.attributes?.['name'] ?? '',
            (each.attributes?.['type'] ?? 'xs:string').replace(/^.*:/, ''),
          ]),
        ),
      )
      return
    }
    for (const each of inside) visit(each, isNamed(element, xsd, 'element') ? depth + 1 : depth)
  }
  if (schema !== undefined) visit(schema, 0)
  return tables
}

function read(element: OpenElement): DataSet {
  const parts = elementsOf(element)
  const tables = tablesOf(parts.find((each) => isNamed(each, xsd, 'schema')))
  const found: Record<string, DataRow[]> = {}
  const add = (table: string): DataRow[] =>
    Object.hasOwn(found, unescaped(table))
      ? (found[unescaped(table)] as DataRow[])
      : (found[unescaped(table)] = [])
  for (const table of tables.keys()) add(table)
  const instance =
    parts.find((each) => isNamed(each, diffgram, 'diffgram')) ??
    parts.find((each) => !isNamed(each, xsd, 'schema'))
  const set =
    instance !== undefined && isNamed(instance, diffgram, 'diffgram')
      ? elementsOf(instance).find((each) => parseName(each.name)[0] !== diffgram)
      : instance
  for (const row of elementsOf(set)) {
    const [, table] = parseName(row.name)
    add(table).push(readRow(row, tables.get(table)))
  }
  return found
}

function readRow(row: OpenElement, columns: ReadonlyMap<string, string> = new Map()): DataRow {
  const values: Record<string, unknown> = {}
  for (const column of columns.keys()) values[unescaped(column)] = null
  for (const cell of elementsOf(row)) {
    const [, column] = parseName(cell.name)
    const text = (cell.content ?? []).filter((piece) => typeof piece === 'string').join('')
    values[unescaped(column)] = valueOf(text, types[columns.get(column) ?? ''])
  }
  return values
}

function valueOf(text: string, type: SimpleCodec<unknown> | undefined): unknown {
  if (type === undefined) return text
  try {
    return type.read(text, { resolve: () => undefined })
  } catch (error) {
    if (!(error instanceof Unreadable)) throw error
    return text
  }
}

const kindOf = (value: unknown): string => {
  if (typeof value === 'boolean') return 'boolean'
  if (typeof value === 'bigint') return 'long'
  if (typeof value === 'number') {
    if (Number.isInteger(value)) return 'int'
    return 'double'
  }
  if (value instanceof Uint8Array) return 'base64Binary'
  return 'string'
}

function write(set: DataSet): OpenElement {
  const schema = (
    name: string,
    attributes: Readonly<Record<string, string>>,
    content: readonly OpenElement[] = [],
  ): OpenElement => ({ name: `{${xsd}}${name}`, attributes, content })
  const columnsOf = (rows: readonly DataRow[]): string[] => [
    ...new Set(rows.flatMap((row) => Object.keys(row))),
  ]
  const tables = Object.entries(set).map(([table, rows]) => {
    const kind = (column: string): string =>
      kindOf(rows.map((row) => row[column]).find((value) => value !== null && value !== undefined))
    const columns = columnsOf(rows).map((column) =>
      schema('element', { name: escaped(column), type: `xsd:${kind(column)}`, minOccurs: '0' }),
    )
    return schema('element', { name: escaped(table) }, [
      schema('complexType', {}, [schema('sequence', {}, columns)]),
    ])
  })
  const rows = Object.entries(set).flatMap(([table, all]) =>
    all.map((row): OpenElement => ({
      name: escaped(table),
      content: Object.entries(row)
        .filter(([, value]) => value !== null && value !== undefined)
        .map(([column, value]) => ({
          name: escaped(column),
          content: [
            value instanceof Uint8Array
              ? base64Binary.write(value, { prefix: () => '' })
              : String(value),
          ],
        })),
    })),
  )
  const root = schema('element', { name: 'NewDataSet', [`{${marks}}IsDataSet`]: 'true' }, [
    schema('complexType', {}, [
      schema('choice', { minOccurs: '0', maxOccurs: 'unbounded' }, tables),
    ]),
  ])
  return {
    name: 'data',
    content: [
      schema('schema', { id: 'NewDataSet' }, [root]),
      { name: `{${diffgram}}diffgram`, content: [{ name: 'NewDataSet', content: rows }] },
    ],
  }
}

function check(value: unknown): string | undefined {
  const isObject = (each: unknown): each is Readonly<Record<string, unknown>> =>
    typeof each === 'object' &&
    each !== null &&
    !Array.isArray(each) &&
    !(each instanceof Uint8Array)
  return isObject(value) &&
    Object.values(value).every((rows) => Array.isArray(rows) && rows.every(isObject))
    ? undefined
    : 'expected rows by table: { Table: [{ Column: value }] }'
}

export const dataSet: WholeCodec<Record<string, Record<string, unknown>[]>> = {
  whole: { name: 'a table data set', read, write, check },
}
