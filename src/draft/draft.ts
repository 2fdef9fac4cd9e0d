import { problem } from '../contract/problem.js'
import { Different, operationName } from './operation-names.js'
import {
  evidenceOf,
  type OperationEvidence,
  type SeenBody,
  type SeenParameter,
} from './operation-evidence.js'
import { basePath, draftedPaths } from './paths.js'
import { exampleText } from './personal.js'
import type { Recording } from './recording.js'
import { recordedApart } from './recorded-apart.js'
import { Remarked } from './remarked.js'
import { wireTextSchema } from './scalar-schema.js'
import { SchemaWriter, type Doubt } from './schemas.js'
import type { SeenTexts } from './seen-texts.js'
import { structuresOf } from './structures.js'
import { XmlValues } from './xml-values.js'

export interface DraftWishes {
  /** What the service is called; its host when left out. */
  readonly title?: string | undefined
  /** The address that everything meant begins with; that of most exchanges when left out. */
  readonly only?: string | undefined
  /** What somebody decided of doubtful places, by where they are. */
  readonly decisions?: ReadonlyMap<string, Doubt['proposed']> | undefined
  /** Names that are taken where it goes: of operations, of schemas. */
  readonly taken?:
    { readonly operations: Iterable<string>; readonly schemas: Iterable<string> } | undefined
}

/** A description that was drafted. */
export interface Draft {
  /** OpenAPI 3.1; in it, {@link Remarked} where there is a reason to tell. */
  readonly description: object
  readonly title: string
  readonly operations: readonly { readonly name: string; readonly count: number }[]
  /** How many schemas have names. */
  readonly schemas: number
  /** How many exchanges it was drafted from. */
  readonly exchanges: number
  /** How many were left out, by why. */
  readonly leftOut: ReadonlyMap<string, number>
  readonly doubts: readonly Doubt[]
  readonly troubles: readonly string[]
}

/**
 * Drafts a description of a service from recorded exchanges.
 *
 * @throws Problem TM-1051 where there is no call of a service among them
 */
export function draftOf(recordings: readonly Recording[], wishes: DraftWishes = {}): Draft {
  const { origin, kept, leftOut } = recordedApart(recordings, wishes.only)
  if (kept.length === 0)
    throw problem('TM-1051', { files: filesOf(recordings), reason: whyNone(leftOut) })
  const base = wishes.only === undefined ? basePath(kept) : pathIn(wishes.only)
  const paths = draftedPaths(kept, base)
  const xml = new XmlValues(kept)
  const evidence = paths.map((path) => ({ path, own: evidenceOf(path, xml) }))
  const all = evidence.flatMap(({ own }) => own)
  const writer = new SchemaWriter(structuresOf(all.flatMap(rootsOf)), {
    decisions: wishes.decisions,
    taken: wishes.taken?.schemas,
    namespaces: xml.namespaces,
  })
  const names = new Different(wishes.taken?.operations)
  const operations = new OperationWriter(writer, names)
  const written = Object.fromEntries(
    evidence.map(({ path, own }) => [
      path.template,
      Object.fromEntries(own.map((each) => [each.method.toLowerCase(), operations.of(each)])),
    ]),
  )
  const schemes = new Map(
    all.flatMap(({ schemes: own }) =>
      [...own].map(([name, { scheme }]) => [name, scheme.scheme] as const),
    ),
  )
  const title = wishes.title ?? new URL(origin).host
  return {
    title,
    description: {
      // That an element has attributes and text, no earlier version can say.
      openapi: writer.saysText ? '3.2.0' : '3.1.0',
      info: { title, version: 'draft' },
      servers: [{ url: `${origin}${base}` }],
      paths: written,
      components: {
        schemas: writer.all,
        ...(schemes.size === 0 ? {} : { securitySchemes: Object.fromEntries(schemes) }),
      },
    },
    operations: operations.written,
    schemas: Object.keys(writer.all).length,
    exchanges: kept.length,
    leftOut,
    doubts: writer.doubts,
    troubles: all.flatMap(({ troubles }) => troubles),
  }
}

/** The path of an address that everything begins with, which belongs to the service's own. */
function pathIn(address: string): string {
  return URL.canParse(address) ? new URL(address).pathname.replace(/\/$/, '') : ''
}

function filesOf(recordings: readonly Recording[]): string {
  return [
    ...new Set(recordings.map(({ from }) => from.replace(/, (?:exchange|line) \d+$/, ''))),
  ].join(', ')
}

function whyNone(leftOut: ReadonlyMap<string, number>): string {
  const [most] = [...leftOut].sort(([, one], [, other]) => other - one)
  return most === undefined ? 'nothing was recorded' : `${String(most[1])} exchanges ${most[0]}`
}

/** The places of whole bodies. */
function rootsOf({ bodies, answers }: OperationEvidence): NonNullable<SeenBody['seen']>[] {
  return [...bodies.values(), ...[...answers.values()].flatMap((each) => [...each.bodies.values()])]
    .flatMap(({ seen }) => seen ?? [])
    .filter(({ count }) => count > 0)
}

/** Writes operations as OpenAPI 3.1 has them. */
class OperationWriter {
  readonly written: { name: string; count: number }[] = []
  private readonly schemas: SchemaWriter
  private readonly names: Different

  constructor(schemas: SchemaWriter, names: Different) {
    this.schemas = schemas
    this.names = names
  }

  of(evidence: OperationEvidence): unknown {
    const { method, path, count, isList } = evidence
    const name = this.names.of(operationName(method, path, isList))
    this.written.push({ name, count })
    const parameters = this.parameters(evidence)
    const security = securityOf(evidence)
    const operation = {
      operationId: name,
      ...(parameters.length === 0 ? {} : { parameters }),
      ...(evidence.bodies.size === 0 ? {} : { requestBody: this.requestBody(evidence) }),
      responses: Object.fromEntries(
        [...evidence.answers]
          .sort(([one], [other]) => one - other)
          .map(([status, answer]) => [
            String(status),
            { description: seenTimes(answer.count), ...this.content(answer.bodies, name) },
          ]),
      ),
      ...(security === undefined ? {} : { security }),
    }
    return count === 1 ? new Remarked(operation, 'seen once') : operation
  }

  private parameters(evidence: OperationEvidence): unknown[] {
    const { path, pathValues, query, headers, count } = evidence
    return [
      ...path.parameters.map((name, at) => pathParameter(name, pathValues[at])),
      ...[...query].map(([name, seen]) => parameter(name, 'query', seen, count)),
      ...[...headers].map(([name, seen]) => parameter(name, 'header', seen, count)),
    ]
  }

  private requestBody({ bodies, without, count }: OperationEvidence): unknown {
    return {
      ...(without === 0 ? { required: true } : {}),
      ...this.content(bodies, `${String(count)} requests`),
    }
  }

  private content(bodies: ReadonlyMap<string, SeenBody>, where: string): object {
    if (bodies.size === 0) return {}
    return {
      content: Object.fromEntries(
        [...bodies].map(([type, { seen }]) => [
          type === '' ? 'application/octet-stream' : type,
          this.media(type, seen, where),
        ]),
      ),
    }
  }

  private media(type: string, seen: SeenBody['seen'], where: string): object {
    if (seen !== undefined && seen.now.count > 0) return { schema: this.schemas.body(seen, where) }
    return type.startsWith('text/') ? { schema: { type: 'string' } } : {}
  }
}

function seenTimes(count: number): string {
  return count === 1 ? 'Seen once.' : `Seen ${String(count)} times.`
}

/** In which ways somebody has to prove who calls: all that every request had. */
function securityOf({ schemes, count }: OperationEvidence): object[] | undefined {
  if (schemes.size === 0) return undefined
  const always = [...schemes].filter(([, each]) => each.count === count).map(([name]) => name)
  const together = Object.fromEntries(always.map((name) => [name, []]))
  const sometimes = [...schemes].filter(([, each]) => each.count < count)
  const alternatives = sometimes.map(([name]) => ({ ...together, [name]: [] }))
  return sometimes.length === 0 ? [together] : [together, ...alternatives]
}

function pathParameter(name: string, values: SeenTexts | undefined): object {
  const { keywords, because } =
    values === undefined || values.count === 0
      ? { keywords: { type: 'string' }, because: '' }
      : wireTextSchema(values, name)
  return {
    name,
    in: 'path',
    required: true,
    schema: new Remarked(withExample(keywords, values, name), because),
  }
}

function parameter(
  name: string,
  place: 'query' | 'header',
  seen: SeenParameter,
  total: number,
): object {
  const { texts, count, repeated, listed } = seen
  const isAlways = count === total
  const often = isAlways ? '' : `in ${String(count)} of ${String(total)}; `
  const { keywords, because } =
    texts.count === 0
      ? { keywords: { type: 'string' }, because: 'masked where it was recorded' }
      : wireTextSchema(texts, name)
  const isRepeated = repeated > 0
  // Several values with commas between, every time: a list that is written so.
  const isListed = !isRepeated && count > 1 && listed === count
  const reasons = [
    because,
    ...(isRepeated ? ['several at once'] : []),
    ...(isListed ? ['a list with commas'] : []),
  ]
  return {
    name,
    in: place,
    ...(isAlways ? { required: true } : {}),
    ...(isListed ? { explode: false } : {}),
    schema: new Remarked(
      parameterSchema(withExample(keywords, texts, name), isRepeated, isListed),
      `${often}${reasons.join(', ')}`,
    ),
  }
}

/** With a value that was seen, where it tells nothing of anybody: a first call can begin with it. */
export function withExample(
  keywords: Readonly<Record<string, unknown>>,
  seen: SeenTexts | undefined,
  name: string,
): Readonly<Record<string, unknown>> {
  const text = exampleText(name, seen?.first[0] ?? '')
  if (text === undefined || text === '' || 'enum' in keywords) return keywords
  const { type, format } = keywords
  const isNumber = type === 'integer' || type === 'number'
  const example = isNumber ? Number(text) : text
  const isKept = !isNumber || (format === undefined && String(example) === text)
  return isKept && type !== 'boolean' ? { ...keywords, examples: [example] } : keywords
}

function parameterSchema(
  keywords: Readonly<Record<string, unknown>>,
  isRepeated: boolean,
  isListed: boolean,
): object {
  if (isRepeated) return { type: 'array', items: keywords }
  return isListed ? { type: 'array', items: { type: 'string' } } : keywords
}
