import { Ajv2020 } from 'ajv/dist/2020.js'
import addFormats from 'ajv-formats'
import * as fc from 'fast-check'
import { draftOf, type Draft } from '../../src/draft/draft.js'
import type { Recording } from '../../src/draft/recording.js'
import { plainOf } from '../../src/draft/remarked.js'

/** A recorded exchange of a made-up service. */
export function recorded(
  method: string,
  path: string,
  answer: unknown,
  more: Partial<Recording> & { readonly sent?: unknown } = {},
): Recording {
  const { sent, ...others } = more
  const body = (value: unknown): Recording['body'] =>
    value === undefined
      ? undefined
      : {
          type: 'application/json',
          text: typeof value === 'string' ? value : JSON.stringify(value),
        }
  return {
    method,
    url: new URL(path, 'https://gauge.example'),
    headers: [],
    body: body(sent),
    status: 200,
    answer: body(answer),
    from: 'a.har, exchange 1',
    ...others,
  }
}

/** Answers of a few addresses, at random. */
export function recordedAtRandom(value: fc.Arbitrary<unknown>): fc.Arbitrary<Recording[]> {
  const paths = fc.constantFrom('/things', '/things/17', '/others')
  return fc
    .array(fc.tuple(paths, value), { minLength: 1, maxLength: 5 })
    .map((all) => all.map(([path, answer]) => recorded('GET', path, JSON.stringify(answer))))
}

/** A description of OpenAPI, as far as tests look into it. */
export interface Described {
  readonly servers: readonly { readonly url: string }[]
  readonly paths: Readonly<Record<string, Readonly<Record<string, DescribedOperation>>>>
  readonly components: {
    readonly schemas: Readonly<Record<string, DescribedSchema>>
    readonly securitySchemes?: Readonly<Record<string, object>>
  }
}

export interface DescribedOperation {
  readonly operationId: string
  readonly parameters?: readonly {
    readonly name: string
    readonly in: string
    readonly required?: true
    readonly schema: object
  }[]
  readonly requestBody?: { readonly content: Readonly<Record<string, { schema?: object }>> }
  readonly responses: Readonly<
    Record<string, { readonly content?: Readonly<Record<string, { schema?: object }>> }>
  >
  readonly security?: readonly object[]
}

export type DescribedSchema = Readonly<Record<string, unknown>> & {
  readonly required?: readonly string[]
  readonly properties?: Readonly<Record<string, Readonly<Record<string, unknown>>>>
}

/** Drafts, and gives the description without its reasons. */
export function described(recordings: readonly Recording[]): Draft & { readonly plain: Described } {
  const draft = draftOf(recordings)
  return { ...draft, plain: plainOf(draft.description) as Described }
}

// Making one takes longer than all that it is asked.
const ajv = new Ajv2020({
  strict: false,
  allErrors: true,
  logger: false,
  validateSchema: false,
  // What every object inherits (`__proto__`) is no member of it.
  ownProperties: true,
})
addFormats.default(ajv)
let asked = 0

/**
 * What Ajv has against recorded bodies, by the schemas that were drafted for them. Which operation
 * an exchange belongs to is found by the template of its path.
 */
export function breaches(plain: Described, recordings: readonly Recording[]): string[] {
  asked += 1
  const id = `https://draft.example/${String(asked)}`
  ajv.addSchema(plain, id)
  const validators = new Map<object, ReturnType<typeof ajv.compile>>()
  const base = new URL(plain.servers[0]?.url ?? '').pathname.replace(/\/$/, '')
  const found = recordings.flatMap(({ method, url, body, answer, status, from }) => {
    const path = url.pathname.slice(base.length)
    const [, methods] =
      Object.entries(plain.paths).find(([template]) => template === decodeURI(path)) ??
      Object.entries(plain.paths).find(([template]) =>
        new RegExp(`^${template.replace(/\{[^}]*\}/g, '[^/]+')}$`).test(path),
      ) ??
      []
    const operation = methods?.[method.toLowerCase()]
    if (operation === undefined) return [`${from}: no operation for ${method} ${path}`]
    const contents = [
      [operation.requestBody?.content, body],
      [operation.responses[String(status)]?.content, answer],
    ] as const
    return contents.flatMap(([content, part]) => {
      if (part?.text === undefined || part.type !== 'application/json') return []
      const schema = content?.[part.type]?.schema
      if (schema === undefined) return [`${from}: no schema for ${part.type}`]
      const known = validators.get(schema)
      const validate =
        known ??
        ajv.compile(JSON.parse(JSON.stringify(schema).replaceAll('"#/', `"${id}#/`)) as object)
      validators.set(schema, validate)
      return validate(JSON.parse(part.text)) ? [] : [`${from}: ${ajv.errorsText(validate.errors)}`]
    })
  })
  ajv.removeSchema(id)
  return found
}
