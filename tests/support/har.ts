import { createRequire } from 'node:module'
import { Ajv } from 'ajv'

/** What the schemas of HTTP archives (HAR 1.2) have against one; null where it is one. */
export function harErrors(archive: unknown): unknown {
  const ajv = new Ajv({ strict: false, validateFormats: false })
  const load = createRequire(import.meta.url)
  ajv.addMetaSchema(load('ajv/dist/refs/json-schema-draft-06.json') as object)
  for (const schema of Object.values(load('har-schema') as Record<string, object>))
    ajv.addSchema(schema)
  const judge = ajv.getSchema('har.json#')
  if (judge === undefined) throw new Error('there is no schema of archives')
  return judge(archive) === true ? null : judge.errors
}
