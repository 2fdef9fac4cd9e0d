import type { Choice, Contract, Field, Operation, Type } from '../../contract/contract.js'
import { matchName } from '../../contract/nearest.js'
import { ExactNumber, fromText } from '../../contract/plain.js'
import { present } from '../../contract/present.js'
import { membersOf, resolve } from '../../contract/queries.js'
import { parsePath, type Assignment } from '../../exercise/input.js'
import { at } from '../../exercise/tabulate.js'
import { toPlain } from '../../runtime/plain.js'
import { describeField } from '../describe/fields.js'

/** One input that a person is asked for. */
export interface Question {
  /** Its path in the input: `Reservation.Berth`. */
  readonly path: string
  readonly type: string
  readonly required: boolean
  /** What else holds: allowed values, default, lengths, patterns. */
  readonly rules: string
  readonly documentation: string | undefined
  /** What was given last time, which stays when nothing else is given. */
  readonly before: string | undefined
  /** It has fields, for which can be asked one by one. */
  readonly opens: boolean
  /** What was wrong with the reply before. */
  readonly complaint?: string
}

/**
 * `keep` what was there before, `omit` it, `open` it to be asked for its fields, `end` all asking,
 * or a text.
 */
export type Reply =
  | { readonly kind: 'keep' }
  | { readonly kind: 'omit' }
  | { readonly kind: 'open' }
  | { readonly kind: 'end' }
  | { readonly kind: 'text'; readonly text: string }

/**
 * Replies of one round, by path, for the next one to start from; `undefined` is what was left out.
 */
export type Replies = Map<string, string | undefined>

/** Deeper than this records are asked for as a whole. */
const deepest = 5

/**
 * Asks for an operation's inputs, one by one.
 *
 * @param plain what the input has already, in plain form
 * @param last replies of the round before; what is replied now is kept in it
 * @returns what to put on top of the input, or undefined when nobody wants to go on
 */
export async function askInputs(
  contract: Contract,
  operation: Operation,
  plain: unknown,
  last: Replies,
  ask: (question: Question) => Promise<Reply>,
): Promise<Assignment[] | undefined> {
  const assignments: Assignment[] = []
  const round = new Round(contract, plain, last, ask, assignments)
  const inputs = [...operation.inputs].sort((a, b) => Number(a.optional) - Number(b.optional))
  for (const field of inputs) {
    const path = field.place === 'messageHeader' ? `headers.${field.name}` : field.name
    if (!(await round.field(field, path, operation.choices ?? [], 0))) return undefined
  }
  return assignments
}

class Round {
  private readonly contract: Contract
  private readonly plain: unknown
  private readonly last: Replies
  private readonly ask: (question: Question) => Promise<Reply>
  private readonly assignments: Assignment[]

  constructor(
    contract: Contract,
    plain: unknown,
    last: Replies,
    ask: (question: Question) => Promise<Reply>,
    assignments: Assignment[],
  ) {
    this.contract = contract
    this.plain = plain
    this.last = last
    this.ask = ask
    this.assignments = assignments
  }

  /** Asks for a field, and what is inside of it. @returns whether to go on */
  async field(
    field: Field,
    path: string,
    choices: readonly Choice[],
    depth: number,
  ): Promise<boolean> {
    const actual = resolve(this.contract, field.type)
    const inner = depth < deepest ? this.innerFields(actual) : []
    if (inner.length > 0 && this.needsNoQuestion(field, path))
      return this.fields(actual, inner, path, depth)
    const { type, rules, documentation } = describeField(this.contract, field, 0, choices)
    let complaint: string | undefined
    for (;;) {
      const before = this.before(path)
      const reply = await this.ask({
        path,
        type,
        required: !field.optional,
        rules,
        documentation,
        before,
        opens: inner.length > 0,
        ...present({ complaint }),
      })
      if (reply.kind === 'end') return false
      if (reply.kind === 'open') {
        this.last.delete(path)
        return this.fields(actual, inner, path, depth)
      }
      complaint = this.take(reply, field, actual, path, before)
      if (complaint === undefined) return true
    }
  }

  private innerFields(type: Type): Field[] {
    if (type.kind !== 'record') return []
    return membersOf(this.contract, type).filter(
      ({ readOnly, name }) => readOnly !== true && !name.startsWith('$'),
    )
  }

  /**
   * What must be there and has fields needs no question of its own; nor does what was opened
   * before.
   */
  private needsNoQuestion(field: Field, path: string): boolean {
    const isNew = !this.last.has(path) && this.given(path) === undefined
    const isOpen = [...this.last].some(
      ([name, text]) => name.startsWith(`${path}.`) && text !== undefined,
    )
    return isOpen || (!field.optional && isNew)
  }

  /** Takes what was said of a field. @returns what is wrong with it */
  private take(
    reply: Exclude<Reply, { kind: 'end' | 'open' }>,
    field: Field,
    actual: Type,
    path: string,
    before: string | undefined,
  ): string | undefined {
    if (reply.kind === 'omit') {
      this.last.set(path, undefined)
      this.assignments.push({ written: path, path: parsePath(path), plain: undefined })
      return undefined
    }
    if (reply.kind === 'keep') {
      if (before === undefined && !field.optional) return 'it must be there'
      if (before !== undefined) this.assign(path, before)
      return undefined
    }
    // Null is null where it may stand, as with --with.
    const isNull = field.nullable && reply.text === 'null'
    const read = isNull ? { text: reply.text } : readable(this.contract, actual, reply.text)
    if ('complaint' in read) return read.complaint
    this.last.set(path, read.text)
    this.assign(path, read.text)
    return undefined
  }

  private async fields(
    record: Type,
    inner: readonly Field[],
    path: string,
    depth: number,
  ): Promise<boolean> {
    const choices = record.kind === 'record' ? (record.choices ?? []) : []
    for (const each of inner)
      if (!(await this.field(each, `${path}.${each.name}`, choices, depth + 1))) return false
    return true
  }

  private assign(path: string, text: string): void {
    this.assignments.push({ written: path, path: parsePath(path), text })
  }

  private before(path: string): string | undefined {
    return this.last.has(path) ? this.last.get(path) : this.given(path)
  }

  /** What the input has already at a path, as a text. */
  private given(path: string): string | undefined {
    const value = at(this.plain, parsePath(path))
    if (value === undefined || value === null) return undefined
    if (value instanceof ExactNumber) return value.source
    if (typeof value === 'object') return JSON.stringify(toPlain(value))
    return String(value as string | number | boolean)
  }
}

/** A reply that can be read by the type at its place; enumerations also by another case. */
function readable(
  contract: Contract,
  type: Type,
  text: string,
): { text: string } | { complaint: string } {
  if (type.kind === 'enumeration') {
    const values = type.members.map(({ value }) => value)
    const meant = matchName(text, values)
    return meant === undefined
      ? { complaint: `it must be one of ${values.join(', ')}` }
      : { text: meant }
  }
  if (type.kind === 'scalar' && type.base !== 'text' && type.base !== 'bytes') {
    const isText = typeof fromText(contract, type, text) === 'string'
    if (type.base === 'boolean' && isText) return { complaint: 'it must be true or false' }
    if (
      isText &&
      (/^u?int\d+$|^integer$/.test(type.base) || ['float', 'double'].includes(type.base))
    )
      return { complaint: 'it must be a number' }
  }
  // Lists of single values are written with commas, or as JSON.
  if (type.kind === 'list' && !/^\s*\[/.test(text)) return { text: `[${text}]` }
  return { text }
}
