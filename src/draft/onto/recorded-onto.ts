import { addTo } from '../../contract/lists.js'
import { messageOf } from '../../contract/system-error.js'
import { parseValues, type JsonValue } from '../json-values.js'
import { isJson, type Recording } from '../recording.js'
import { isSecretQuery } from '../security.js'
import { SeenTexts } from '../seen-texts.js'
import { Seen } from '../seen.js'
import { singular } from '../singular.js'
import { keyOf, type Description, type DescribedPlace } from './description.js'
import {
  DescribedOperations,
  type DescribedAnswer,
  type DescribedOperation,
} from './described-operations.js'
import { SchemaWalk } from './schema-walk.js'

/** Bodies in a place where nothing describes them. */
export interface NewBody {
  readonly type: string
  /** The values, where they are JSON. */
  readonly seen: Seen | undefined
  count: number
}

/** Answers of a status that nothing describes, or bodies of one that has another type. */
export interface NewAnswer {
  readonly operation: DescribedOperation
  readonly status: number
  /** The response, where it is there and lacks the body only. */
  readonly response: DescribedPlace | undefined
  /** The body, where it is there and lacks the schema only. */
  readonly media: DescribedPlace | undefined
  readonly bodies: Map<string, NewBody>
  count: number
}

/** A part of the query that nothing describes. */
export interface NewParameter {
  readonly operation: DescribedOperation
  readonly name: string
  readonly texts: SeenTexts
  readonly isRepeated: boolean
}

/** Holds recorded exchanges against a description, and keeps what that lacks. */
export class RecordedOnto {
  readonly walk: SchemaWalk
  readonly operations: DescribedOperations
  readonly answers = new Map<string, NewAnswer>()
  readonly parameters = new Map<string, NewParameter>()
  /** Parameters that are said to be required, and that requests came without. */
  readonly needless = new Map<string, { readonly place: DescribedPlace; readonly name: string }>()
  /** Exchanges of operations that the description does not have. */
  readonly unknown: Recording[] = []
  readonly troubles: string[] = []
  /** How many were left out, by why. */
  readonly leftOut = new Map<string, number>()
  /** How many exchanges were of operations that it has. */
  count = 0

  constructor(description: Description) {
    this.walk = new SchemaWalk(description)
    this.operations = new DescribedOperations(description)
  }

  private leave(why: string): void {
    this.leftOut.set(why, (this.leftOut.get(why) ?? 0) + 1)
  }

  hold(recording: Recording): void {
    const operation = this.operations.find(recording)
    if (operation === undefined || operation === 'several') {
      if (operation === 'several') this.leave('that several operations may be meant by')
      else if (recording.status < 400) this.unknown.push(recording)
      else this.leave('that failed, of operations that nothing describes')
      return
    }
    this.count += 1
    // What was refused shows nothing of what may be asked.
    if (recording.status < 400) this.request(operation, recording)
    this.answer(operation, recording)
  }

  private request(operation: DescribedOperation, recording: Recording): void {
    this.query(operation, recording)
    const names = new Set([...recording.url.searchParams.keys()].map(withoutMember))
    const headers = new Set(recording.headers.map(([name]) => name.toLowerCase()))
    for (const { place, where, name, isRequired, isSpread } of this.operations.parameters(
      operation,
    )) {
      const isThere = where === 'query' ? names.has(name) : headers.has(name.toLowerCase())
      // Some recorders keep no headers at all.
      const isUnknown = where === 'header' ? headers.size === 0 : isSpread
      if (isRequired && !isThere && !isUnknown) this.needless.set(keyOf(place), { place, name })
    }
    this.body(operation, recording)
  }

  private body(operation: DescribedOperation, recording: Recording): void {
    const { body, from } = recording
    if (body?.text === undefined || !isJson(body.type)) return
    const media = this.operations.body(operation, recording)
    const schema = media === undefined ? undefined : this.schemaIn(media)
    if (schema === undefined) return
    const value = this.valueIn(body.text, `${from}: the request`)
    if (value === undefined) return
    const name = nameOf(operation, recording)
    this.walk.look(schema, { value, name, where: `${from}, request#`, way: 'sent' })
  }

  /** A value of JSON; undefined where it is none, which is told. */
  private valueIn(text: string, what: string): JsonValue | undefined {
    try {
      return parseValues(text)
    } catch (error) {
      this.troubles.push(`${what} is left out: ${messageOf(error)}`)
      return undefined
    }
  }

  private query(operation: DescribedOperation, { url }: Recording): void {
    const values = new Map<string, string[]>()
    for (const [name, value] of url.searchParams)
      if (!isSecretQuery(name)) addTo(values, name, value)
    if (values.size === 0) return
    const known = this.operations.parameters(operation).filter(({ where }) => where === 'query')
    // The members of an object may be called anything.
    if (known.some(({ isSpread }) => isSpread)) return
    const own = new Set(known.map(({ name }) => name))
    for (const [name, texts] of values) {
      if (own.has(name) || own.has(withoutMember(name))) continue
      const key = JSON.stringify([keyOf(operation.place), name])
      const before = this.parameters.get(key)
      const seen = before?.texts ?? new SeenTexts()
      for (const text of texts) seen.see(text)
      const isRepeated = before?.isRepeated === true || texts.length > 1
      this.parameters.set(key, { operation, name, texts: seen, isRepeated })
    }
  }

  private answer(operation: DescribedOperation, recording: Recording): void {
    const { answer, from } = recording
    const described = this.answerDescribed(operation, recording)
    const { response, media } = described
    const text = answer !== undefined && isJson(answer.type) ? answer.text : undefined
    const value = text === undefined ? undefined : this.valueIn(text, `${from}: the answer`)
    if (text !== undefined && value === undefined) return
    const schema = media === undefined ? undefined : this.schemaIn(media)
    if (schema !== undefined && value !== undefined) {
      const name = nameOf(operation, recording)
      this.walk.look(schema, { value, name, where: `${from}#`, way: 'received' })
      return
    }
    const isDescribed = media !== undefined && (value ?? null) === null
    if (isDescribed || (response !== undefined && answer === undefined)) return
    this.seeNew(operation, recording, described, value)
  }

  /** Sees an answer that nothing describes, or whose body nothing describes. */
  private seeNew(
    operation: DescribedOperation,
    recording: Recording,
    { response, media }: DescribedAnswer,
    value: JsonValue | undefined,
  ): void {
    const { status, answer } = recording
    const key = JSON.stringify([keyOf(media ?? response ?? operation.place), status])
    const bodies = new Map<string, NewBody>()
    const known = this.answers.get(key)
    const made = known ?? { operation, status, response, media, bodies, count: 0 }
    this.answers.set(key, made)
    made.count += 1
    if (answer === undefined) return
    const seen = isJson(answer.type)
      ? new Seen('received', [nameOf(operation, recording)])
      : undefined
    const body = made.bodies.get(answer.type) ?? { type: answer.type, seen, count: 0 }
    made.bodies.set(answer.type, body)
    body.count += 1
    if (value !== undefined) body.seen?.see(value)
  }

  private answerDescribed(operation: DescribedOperation, recording: Recording): DescribedAnswer {
    const found = this.operations.answer(operation, recording)
    // What never has a body is not what is said of all other statuses.
    const isBare = /^(?:204|205)$/.test(String(recording.status)) && !found.isExact
    return isBare ? { ...found, response: undefined, media: undefined } : found
  }

  private schemaIn(media: DescribedPlace): DescribedPlace | undefined {
    const schema = { document: media.document, path: [...media.path, 'schema'] }
    return this.operations.has(schema) ? schema : undefined
  }
}

/** `room[cars]` is of the parameter `room`. */
function withoutMember(name: string): string {
  return name.replace(/\[.*$/, '')
}

/** What that is called which is answered. */
function nameOf({ template }: DescribedOperation, { status }: Recording): string {
  if (status >= 400) return 'failure'
  const steps = template.split('/').filter((step) => step !== '')
  const last = steps.findLast((step) => !step.includes('{')) ?? 'answer'
  return steps.at(-1)?.includes('{') === true ? singular(last) : last
}
