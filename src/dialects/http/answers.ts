import type { Fault, Field, InputField, Outcome, Type } from '../../contract/contract.js'
import { addAll } from '../../contract/lists.js'
import { filled, marked, present } from '../../contract/present.js'
import type { DataNode } from '../../documents/data-node.js'
import type { Notes } from '../notes.js'
import { documented } from './annotations.js'
import { readAnswerHeaders } from './answer-headers.js'
import { readAnswerLinks, type AnswerLink } from './answer-links.js'
import { choice, type ContentReader, type Contents } from './contents.js'
import type { ContentSpecifics, FaultSpecifics, OutcomeSpecifics } from './specifics.js'
import { readMedia, type Media } from './media-types.js'
import type { References } from './references.js'
import { placeOf } from './schema-facts.js'
import type { SchemaReader } from './schemas.js'

/** What an operation answers, read. */
export interface Answers {
  readonly outcome: Outcome
  readonly faults: readonly Fault[]
  readonly specifics: Readonly<Record<string, readonly ContentSpecifics[]>>
  readonly byStatus: boolean
  /** The choice between media types, where there is one. */
  readonly inputs: readonly InputField[]
  readonly links: readonly AnswerLink[]
}

/** A good answer. */
interface Good {
  readonly status: string
  readonly contents: Contents
  readonly node: DataNode
}

/** The part of the answers that the good ones make. */
type Outcomes = Pick<Answers, 'outcome' | 'specifics' | 'byStatus' | 'inputs'>

/** Reads what operations answer (OpenAPI 3.1, sections 4.8.16 and 4.8.17). */
export class AnswerReader {
  private readonly references: References
  private readonly schemas: SchemaReader
  private readonly contents: ContentReader
  private readonly notes: Notes

  constructor(
    references: References,
    schemas: SchemaReader,
    contents: ContentReader,
    notes: Notes,
  ) {
    this.references = references
    this.schemas = schemas
    this.contents = contents
    this.notes = notes
  }

  /**
   * The answers of an operation: what is good makes its outcome, the others are its faults.
   *
   * @param operation what the operation is called
   */
  read(node: DataNode, operation: string, method: string): Answers {
    const good: Good[] = []
    const faults: Fault[] = []
    const links: AnswerLink[] = []
    const responses = responsesOf(node)
    const successes = responses.filter(([status]) => isSuccess(status)).length
    const roleOf = (status: string): string => {
      if (!isSuccess(status) && successes > 0) return `Fault${status}`
      return successes > 1 ? `Answer${status}` : 'Answer'
    }
    for (const [status, each] of responses) {
      const response = this.references.settle(each)
      for (const key of ['description', 'summary']) response.get(key)
      addAll(links, readAnswerLinks(response, node, this.references))
      // What HEAD would have in its body never comes (RFC 9110, section 9.3.2).
      const media = method === 'head' ? this.unread(response) : this.readSettled(response)
      const place = placeOf(response, [operation, roleOf(status)])
      const contents = this.contents.readContents(media, place, 'out')
      if (isSuccess(status) || (status === 'default' && successes === 0))
        good.push({ status, contents, node: response })
      else faults.push(this.fault(status, response, contents))
    }
    const isUndeclared = method !== 'head' && good.length === 1 && this.isUndeclared(good[0])
    const nodes = good.map((each) => each.node)
    const headers = readAnswerHeaders(nodes, operation, this.references, this.schemas)
    const { outcome, ...outcomes } = this.outcomes(good, node, isUndeclared)
    return {
      outcome: { ...outcome, ...filled({ headers }) },
      ...outcomes,
      faults,
      links: [...new Map(links.map((each) => [each.words, each])).values()],
    }
  }

  private fault(name: string, response: DataNode, contents: Contents): Fault {
    const undecoded = response.get('headers')
    undecoded?.readWhole()
    if (undecoded !== undefined) this.notes.add('approximated', 'TM-2321', {}, undecoded.origin)
    if (contents.types.length > 1) this.noteChoice(contents, response)
    const [content] = contents.variants
    return {
      name,
      type: contents.types[0]?.type ?? { kind: 'nothing' },
      ...documented(response),
      origin: response.origin,
      specifics: { ...present({ content }) } satisfies FaultSpecifics,
    }
  }

  /**
   * A good answer without a word of content: before OpenAPI 3.0 that meant that there is none (2.0,
   * "Response Object"), since then nobody knows.
   */
  private isUndeclared(answer: { status: string; node: DataNode } | undefined): boolean {
    if (answer === undefined || this.references.version.startsWith('2')) return false
    const { status, node } = answer
    // What a reference that leads nowhere stands for describes nothing.
    const isDescribed = node.members.has('description')
    if (!isDescribed || node.members.has('content') || !/^(?:200|2XX|default)$/.test(status))
      return false
    this.notes.add('approximated', 'TM-2318', { status }, node.origin)
    return true
  }

  private unread(response: DataNode): Media[] {
    response.get('content')?.readWhole()
    return []
  }

  /**
   * The media types of an answer. Sequences can't be had beside something else: they end, or not,
   * in their own way.
   */
  private readSettled(response: DataNode): Media[] {
    const all = readMedia(response, this.references, this.notes)
    const whole = all.filter((each) => each.kind !== 'events' && each.kind !== 'lines')
    const [first] = all
    if (whole.length === 0) return first === undefined ? [] : [first]
    const others = all.filter((each) => !whole.includes(each))
    if (others.length > 0)
      this.notes.add(
        'ignored',
        'TM-2308',
        {
          chosen: whole.map((each) => each.mediaType).join(', '),
          others: others.map((each) => each.mediaType).join(', '),
        },
        response.origin,
      )
    for (const each of others) each.node.readWhole()
    return whole
  }

  /** Of several media types only the first is read. */
  private noteChoice({ variants: [chosen, ...others] }: Contents, { origin }: DataNode): void {
    const left = others.map(({ mediaType }) => mediaType).join(', ')
    const values = { chosen: chosen?.mediaType ?? '', others: left }
    this.notes.add('ignored', 'TM-2308', values, origin)
  }

  private outcomes(good: readonly Good[], node: DataNode, isUndeclared: boolean): Outcomes {
    const shapes = good.map(({ contents }) =>
      contents.types.map(({ type }) => this.contents.shapeText(type)).join('\n'),
    )
    const [first] = good
    const areAlike = new Set(shapes).size === 1
    if (first !== undefined && !areAlike) return this.byStatus(good, first, node)
    const specifics = Object.fromEntries(
      good.map(({ status, contents }) => [status, contents.variants]),
    )
    const alike = { specifics, byStatus: false, inputs: [] }
    if (first === undefined || first.contents.types.length === 0)
      return {
        ...alike,
        outcome: { kind: 'nothing', ...marked({ undeclared: isUndeclared }) },
      }
    if (first.contents.types.length === 1) return { ...alike, outcome: sameOutcome(first) }
    const [asked] = first.contents.variants
    const documentation = `What is asked for: ${asked?.mediaType ?? ''} when left out.`
    return {
      ...alike,
      outcome: severalOutcome(first),
      inputs: [choice('accept', documentation, first.contents.variants, node)],
    }
  }

  /** Answers that differ come with their status. */
  private byStatus(good: readonly Good[], first: Good, { origin }: DataNode): Outcomes {
    for (const { contents, node } of good)
      if (contents.types.length > 1) this.noteChoice(contents, node)
    const alternatives = good.map(({ status, contents }): Type => {
      const body = contents.types[0] ?? { type: { kind: 'nothing' }, nullable: false }
      return {
        kind: 'record',
        fields: [
          {
            name: 'status',
            type: statusType(status),
            optional: false,
            nullable: false,
            origin,
          },
          {
            name: 'body',
            type: body.type,
            optional: false,
            nullable: body.nullable && body.type.kind !== 'anything',
            origin,
          },
        ],
      }
    })
    const specifics = Object.fromEntries(
      good.map(({ status, contents }) => [status, contents.variants.filter(({ at }) => at === 0)]),
    )
    const field = bodyField(first, { kind: 'union', alternatives }, false)
    return { outcome: { kind: 'value', field }, specifics, byStatus: true, inputs: [] }
  }
}

/** Responses by their status; classes of them in capitals. */
function responsesOf(node: DataNode): (readonly [string, DataNode])[] {
  return node
    .entries('responses')
    .filter(([status]) => !status.startsWith('x-'))
    .map(([status, each]) => [/^\dxx$/.test(status) ? status.toUpperCase() : status, each])
}

function isSuccess(status: string): boolean {
  return /^[123]/.test(status)
}

function statusType(status: string): Type {
  return /^\d+$/.test(status)
    ? { kind: 'literal', value: Number(status) }
    : { kind: 'scalar', base: 'double', format: 'integer' }
}

function bodyField({ node }: Good, type: Type, nullable: boolean): Field {
  return {
    name: 'body',
    type,
    optional: false,
    nullable: nullable && type.kind !== 'anything',
    ...documented(node),
    origin: node.origin,
  }
}

/** All good answers have one type: a sequence is one of many values of it. */
function sameOutcome(good: Good): Outcome {
  const [{ type, nullable } = { type: nothing, nullable: false }] = good.contents.types
  const kind = good.contents.variants[0]?.kind
  if (kind !== 'events' && kind !== 'lines')
    return { kind: 'value', field: bodyField(good, type, nullable) }
  const list: Type = { kind: 'list', item: type, ...marked({ itemNullable: nullable }) }
  return { kind: 'value', field: bodyField(good, list, false), stream: true }
}

/** All good answers have the same choice of types. */
function severalOutcome(good: Good): Outcome {
  const { types } = good.contents
  const union: Type = { kind: 'union', alternatives: types.map(({ type }) => type) }
  const isNullable = types.some(({ nullable }) => nullable)
  const specifics: OutcomeSpecifics = { several: true }
  return { kind: 'value', field: { ...bodyField(good, union, isNullable), specifics } }
}

const nothing: Type = { kind: 'nothing' }
