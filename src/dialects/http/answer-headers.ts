import type { Field, Type } from '../../contract/contract.js'
import { marked } from '../../contract/present.js'
import type { DataNode } from '../../documents/data-node.js'
import { documented } from './annotations.js'
import type { HeaderSpecifics } from './specifics.js'
import type { References } from './references.js'
import { placeOf } from './schema-facts.js'
import type { SchemaReader } from './schemas.js'

/**
 * The headers that good answers are promised to have (OpenAPI 3.1, section 4.8.21); those that not
 * all of them have may be missing.
 *
 * @param operation what the operation is called
 */
export function readAnswerHeaders(
  responses: readonly DataNode[],
  operation: string,
  references: References,
  schemas: SchemaReader,
): Field[] {
  const found = new Map<string, { readonly field: Field; count: number }>()
  for (const response of responses)
    for (const [name, each] of response.entries('headers')) {
      const header = references.settle(each)
      // Content-Type is said by the media types (section 4.8.17).
      if (/^content-type$/i.test(name)) {
        header.readWhole()
        continue
      }
      const field = readHeader(name, header, operation, schemas)
      const known = found.get(name.toLowerCase())
      if (known === undefined) found.set(name.toLowerCase(), { field, count: 1 })
      else known.count += 1
    }
  return [...found.values()].map(({ field, count }) =>
    count < responses.length ? { ...field, optional: true } : field,
  )
}

function readHeader(
  name: string,
  header: DataNode,
  operation: string,
  schemas: SchemaReader,
): Field {
  const content = header.get('content')
  const [mediaType = '', media] = [...(content?.members ?? [])][0] ?? []
  content?.readWhole()
  const schema = header.get('schema') ?? media?.get('schema')
  for (const key of ['style', 'example', 'examples', 'allowEmptyValue', 'allowReserved'])
    header.get(key)?.readWhole()
  const place = { steps: placeOf(header, [operation, name]), suffix: '' }
  const specifics: HeaderSpecifics = {
    name,
    ...marked({ explode: header.flag('explode'), json: /json/i.test(mediaType) }),
  }
  return {
    name,
    type: schema === undefined ? text : schemas.read(schema, place, 'out').type,
    optional: !header.flag('required'),
    nullable: false,
    ...documented(header),
    ...marked({ deprecated: header.flag('deprecated') }),
    origin: header.origin,
    specifics,
  }
}

const text: Type = { kind: 'scalar', base: 'text', format: 'string' }
