import { addTo } from '../../contract/lists.js'
import { messageOf } from '../../contract/system-error.js'
import { parseValues } from '../json-values.js'
import { isJson, type Recording } from '../recording.js'
import { isSecretQuery } from '../security.js'
import { SeenTexts } from '../seen-texts.js'
import { Seen } from '../seen.js'
import { singular } from '../singular.js'
import { keyOf, type Description, type DescribedPlace } from './description.js'
import { DescribedOperations, type DescribedOperation } from './described-operations.js'
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
    if (recording.status < 400) this.query(operation, recording)
    this.answer(operation, recording)
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
      if (own.has(name) || own.has(name.replace(/\[.*$/, ''))) continue
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
    const { response, media } = this.operations.answer(operation, recording)
    const text = answer !== undefined && isJson(answer.type) ? answer.text : undefined
    let value
    try {
      value = text === undefined ? undefined : parseValues(text)
    } catch (error) {
      this.troubles.push(`${from}: the answer is left out: ${messageOf(error)}`)
      return
    }
    const schema = media === undefined ? undefined : this.schemaIn(media)
    if (schema !== undefined && value !== undefined) {
      this.walk.look(schema, { value, name: nameOf(operation, recording), where: `${from}#` })
      return
    }
    const isDescribed = media !== undefined && (value ?? null) === null
    if (isDescribed || (response !== undefined && answer === undefined)) return
    const key = JSON.stringify([keyOf(media ?? response ?? operation.place), recording.status])
    const made: NewAnswer = this.answers.get(key) ?? {
      operation,
      status: recording.status,
      response,
      media,
      bodies: new Map(),
      count: 0,
    }
    this.answers.set(key, made)
    made.count += 1
    if (answer === undefined) return
    const name = nameOf(operation, recording)
    const body = made.bodies.get(answer.type) ?? {
      type: answer.type,
      seen: isJson(answer.type) ? new Seen('received', [name]) : undefined,
      count: 0,
    }
    made.bodies.set(answer.type, body)
    body.count += 1
    if (value !== undefined) body.seen?.see(value)
  }

  private schemaIn(media: DescribedPlace): DescribedPlace | undefined {
    const schema = { document: media.document, path: [...media.path, 'schema'] }
    return this.operations.has(schema) ? schema : undefined
  }
}

/** What that is called which is answered. */
function nameOf({ template }: DescribedOperation, { status }: Recording): string {
  if (status >= 400) return 'failure'
  const steps = template.split('/').filter((step) => step !== '')
  const last = steps.findLast((step) => !step.includes('{')) ?? 'answer'
  return steps.at(-1)?.includes('{') === true ? singular(last) : last
}
