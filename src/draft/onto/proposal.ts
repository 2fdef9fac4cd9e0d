import { isPlainObject } from '../../contract/plain.js'
import type { Schema } from '../join-schemas.js'
import { putAt, valueAt } from '../places.js'
import { recordedApart } from '../recorded-apart.js'
import type { Recording } from '../recording.js'
import { plainOf } from '../remarked.js'
import { wireTextSchema } from '../scalar-schema.js'
import { SchemaWriter } from '../schemas.js'
import { Seen } from '../seen.js'
import { structuresOf } from '../structures.js'
import { withExample } from '../draft.js'
import {
  Description,
  inside,
  schemasPath,
  type DescribedDocuments,
  type DescribedPlace,
  type Version,
} from './description.js'
import type { Finding } from './findings.js'
import { mendedSchema } from './mended-schema.js'
import { addOperations, noneAdded } from './new-operations.js'
import { overlayActions, type OverlayAction } from './overlay-actions.js'
import { RecordedOnto, type NewAnswer, type NewParameter } from './recorded-onto.js'
import { inWordsOf } from './version-words.js'

/** What would make a description allow what was recorded. */
export interface Proposal {
  /** By the label of the document that they mend. */
  readonly actions: ReadonlyMap<string, readonly ProposedAction[]>
  /** How many exchanges were held against the description. */
  readonly exchanges: number
  /** How many were left out, by why. */
  readonly leftOut: ReadonlyMap<string, number>
  /** What can't be proposed, and why. */
  readonly troubles: readonly string[]
}

/** An action of an overlay, with its reason. */
export interface ProposedAction {
  readonly target: string
  readonly description: string
  readonly update?: unknown
  readonly remove?: true
}

/** What was drafted may show more when it is looked at again, but not for ever. */
const mostRounds = 12

/**
 * Proposes what to change in a description so that it allows the answers that were recorded, and
 * says what they hold.
 *
 * @param only the address that everything meant begins with
 */
export function proposalOnto(
  described: DescribedDocuments,
  recordings: readonly Recording[],
  only?: string,
): Proposal {
  const actions = new Map<string, ProposedAction[]>()
  let documents = described.documents
  let first: Round | undefined
  for (let round = 0; round < mostRounds; round += 1) {
    const last = proposeOnce({ ...described, documents }, recordings, only, round === 0)
    first ??= last
    if (last.actions.size === 0) break
    for (const [document, own] of last.actions)
      actions.set(document, [...(actions.get(document) ?? []), ...own])
    documents = last.mended
  }
  const { exchanges = 0, leftOut = new Map<string, number>(), troubles = [] } = first ?? {}
  return { actions, exchanges, leftOut, troubles }
}

interface Round extends Proposal {
  readonly mended: DescribedDocuments['documents']
}

function proposeOnce(
  described: DescribedDocuments,
  recordings: readonly Recording[],
  only: string | undefined,
  isFirst: boolean,
): Round {
  const description = new Description(described)
  const { kept, leftOut } = recordedApart(recordings, only ?? addressOf(description, recordings))
  const held = new RecordedOnto(description)
  held.operations.paths.learn(
    kept.map(({ url }) => url),
    only,
  )
  for (const recording of kept) held.hold(recording)
  const work = new Mending(description, held)
  work.schemas()
  work.answers()
  work.parameters()
  work.needless()
  work.named()
  // What they are drafted from they allow.
  const added = isFirst ? addOperations(description, held, work) : noneAdded
  return {
    actions: work.actions(),
    mended: work.documents,
    exchanges: held.count + added.exchanges,
    leftOut: new Map([...leftOut, ...held.leftOut, ...added.leftOut]),
    troubles: [...held.troubles, ...held.walk.troubles, ...added.troubles],
  }
}

/** The address of the service, where the description says it and something was recorded of it. */
function addressOf(description: Description, recordings: readonly Recording[]): string | undefined {
  const origins = new Set(recordings.map(({ url }) => url.origin))
  const { servers, host, schemes } = description.objectAt({ document: description.root, path: [] })
  const addresses = (Array.isArray(servers) ? (servers as unknown[]) : []).map((each) =>
    isPlainObject(each) ? String(each['url']) : '',
  )
  const old = (Array.isArray(schemes) ? schemes : ['https', 'http']).map(
    (scheme) => `${String(scheme)}://${String(host)}`,
  )
  return [...addresses, ...(host === undefined ? [] : old)]
    .flatMap((each) => (URL.canParse(each) ? [new URL(each).origin] : []))
    .find((origin) => origins.has(origin))
}

/** Mends copies of the documents; what was changed and why becomes actions. */
class Mending {
  private readonly description: Description
  private readonly held: RecordedOnto
  private readonly mended = new Map<string, object>()
  private readonly reasons: { readonly place: DescribedPlace; readonly reason: string }[] = []
  private readonly writers = new Map<string, SchemaWriter>()

  constructor(description: Description, held: RecordedOnto) {
    this.description = description
    this.held = held
    for (const [document, seens] of this.seenByDocument())
      this.writers.set(
        document,
        new SchemaWriter(structuresOf(seens), { taken: this.namesIn(document) }),
      )
  }

  /** Everything that is to be drafted, by the document that it is for. */
  private seenByDocument(): Map<string, Seen[]> {
    const all = new Map<string, Seen[]>()
    const add = (document: string, seens: Iterable<Seen | undefined>): void => {
      const list = all.get(document) ?? []
      all.set(document, list)
      for (const seen of seens) if (seen !== undefined && seen.count > 0) list.push(seen)
    }
    for (const finding of this.held.walk.findings.all.values())
      add(finding.place.document, [
        ...finding.undescribed.values(),
        finding.otherKinds,
        finding.otherThings,
      ])
    for (const answer of this.held.answers.values())
      add(
        placeOf(answer).document,
        [...answer.bodies.values()].map(({ seen }) => seen),
      )
    return all
  }

  private namesIn(document: string): string[] {
    const place = { document, path: schemasPath(this.description.version) }
    return Object.keys(this.description.objectAt(place))
  }

  /** Mends the schemas, those first that lie deepest: what is around them may be replaced. */
  schemas(): void {
    const findings = [...this.held.walk.findings.all.values()].sort(
      (one, other) => other.place.path.length - one.place.path.length,
    )
    for (const finding of findings) this.schema(finding)
  }

  private schema(finding: Finding): void {
    const { place, first } = finding
    const before = this.at(place)
    if (!isPlainObject(before)) return
    const { schema, reasons } = mendedSchema(before, finding, {
      version: this.description.version,
      ofKind: this.held.walk.findings.fits(place).ofKind,
      draft: (seen, name) => this.draft(place.document, seen, name),
    })
    if (reasons.length === 0) return
    putAt(this.copyOf(place.document), place.path, schema)
    for (const { at, text } of reasons)
      this.reasons.push({ place: inside(place, ...at), reason: `${text} (${first})` })
  }

  private draft(document: string, seen: Seen, name: string): Schema {
    const writer = this.writers.get(document)
    const drafted = writer === undefined || seen.count === 0 ? {} : writer.of(seen, name, name)
    return inWordsOf(this.description.version, plainOf(drafted)) as Schema
  }

  answers(): void {
    for (const answer of this.held.answers.values()) this.answer(answer)
  }

  private answer(answer: NewAnswer): void {
    const { response, media, count, status } = answer
    const place = placeOf(answer)
    const reason = `${String(status)} was answered ${times(count)}`
    if (response === undefined)
      return this.put(
        place,
        { description: `Seen ${times(count)}.`, ...this.bodiesOf(answer, place) },
        reason,
      )
    for (const [type, { seen }] of answer.bodies)
      if (media !== undefined && seen !== undefined)
        this.put(inside(media, 'schema'), this.draft(media.document, seen, ''), reason)
      else if (media === undefined)
        this.put(inside(place, 'content', type), this.media(place, seen), `${reason}, as ${type}`)
  }

  private bodiesOf({ bodies }: NewAnswer, place: DescribedPlace): object {
    const [first] = [...bodies.values()].flatMap(({ seen }) => seen ?? [])
    if (this.description.version === '2.0')
      return first === undefined ? {} : { schema: this.draft(place.document, first, '') }
    if (bodies.size === 0) return {}
    return {
      content: Object.fromEntries(
        [...bodies].map(([type, { seen }]) => [
          type === '' ? 'application/octet-stream' : type,
          this.media(place, seen),
        ]),
      ),
    }
  }

  private media({ document }: DescribedPlace, seen: Seen | undefined): object {
    return seen === undefined ? {} : { schema: this.draft(document, seen, '') }
  }

  parameters(): void {
    for (const parameter of this.held.parameters.values()) {
      const { place } = parameter.operation
      const list = this.at(inside(place, 'parameters'))
      const own = Array.isArray(list) ? (list as unknown[]) : []
      this.put(
        inside(place, 'parameters'),
        [...own, parameterOf(parameter, this.description.version)],
        `${parameter.name} was asked for`,
      )
    }
  }

  /** Parameters that need not be there. */
  needless(): void {
    for (const { place, name } of this.held.needless.values())
      this.put(inside(place, 'required'), false, `a request came without ${name}`)
  }

  /** Puts schemas with names to those that the documents have. */
  named(): void {
    for (const [document, writer] of this.writers)
      for (const [name, schema] of Object.entries(writer.all))
        this.put(
          { document, path: [...schemasPath(this.description.version), name] },
          inWordsOf(this.description.version, plainOf(schema)),
          'what nothing described',
        )
  }

  put(place: DescribedPlace, value: unknown, reason: string): void {
    putAt(this.copyOf(place.document), place.path, value)
    this.reasons.push({ place, reason })
  }

  at({ document, path }: DescribedPlace): unknown {
    return valueAt(this.mended.get(document) ?? this.description.documents.get(document), path)
  }

  private copyOf(document: string): object {
    const known = this.mended.get(document)
    if (known !== undefined) return known
    const copy = structuredClone(this.description.documents.get(document)) as object
    this.mended.set(document, copy)
    return copy
  }

  /** All documents, mended or not. */
  get documents(): Map<string, unknown> {
    return new Map([...this.description.documents, ...this.mended])
  }

  /** Of the documents that were changed, in what. */
  actions(): Map<string, ProposedAction[]> {
    const changed = [...this.mended].map(([document, after]) => {
      const before = this.description.documents.get(document) as object
      const reasons = new Reasons(this.reasons.filter(({ place }) => place.document === document))
      const actions = overlayActions(before, after).map((action) => reasoned(action, reasons))
      return [document, actions] as const
    })
    return new Map(changed.filter(([, actions]) => actions.length > 0))
  }
}

function reasoned(
  { target, update, remove, touched }: OverlayAction,
  reasons: Reasons,
): ProposedAction {
  const description = reasons.of(touched)
  return remove === undefined
    ? { target, description, update }
    : { target, description: `replaced below: ${description}`, remove }
}

/** Reasons by the places that they are for. */
class Reasons {
  private readonly byPlace = new Map<string, string[]>()
  /** The places in which some of them lie. */
  private readonly around = new Map<string, string[]>()

  constructor(all: readonly { readonly place: DescribedPlace; readonly reason: string }[]) {
    for (const { place, reason } of all) {
      push(this.byPlace, place.path, reason)
      for (const [at] of place.path.entries()) push(this.around, place.path.slice(0, at), reason)
    }
  }

  /** The reasons of changes: those of the nearest place around them, else of what lies in them. */
  of(touched: readonly (readonly string[])[]): string {
    const found = touched.flatMap((path) => this.ofPlace(path))
    return [...new Set(found)].join('; ')
  }

  private ofPlace(path: readonly string[]): readonly string[] {
    for (let length = path.length; length > 0; length -= 1) {
      const own = this.byPlace.get(JSON.stringify(path.slice(0, length)))
      if (own !== undefined) return own
      if (length === path.length) {
        const within = this.around.get(JSON.stringify(path))
        if (within !== undefined) return within
      }
    }
    return []
  }
}

function push(all: Map<string, string[]>, path: readonly string[], reason: string): void {
  const key = JSON.stringify(path)
  const known = all.get(key)
  if (known === undefined) all.set(key, [reason])
  else known.push(reason)
}

function placeOf({ operation, response, status }: NewAnswer): DescribedPlace {
  return response ?? inside(operation.place, 'responses', String(status))
}

function parameterOf({ name, texts, isRepeated }: NewParameter, version: Version): object {
  const { keywords } = wireTextSchema(texts, name)
  const schema = inWordsOf(version, withExample(keywords, texts, name)) as object
  if (version !== '2.0')
    return { name, in: 'query', schema: isRepeated ? { type: 'array', items: schema } : schema }
  const plain = inWordsOf(version, keywords) as object
  return isRepeated
    ? { name, in: 'query', type: 'array', collectionFormat: 'multi', items: plain }
    : { name, in: 'query', ...plain }
}

function times(count: number): string {
  return count === 1 ? 'once' : `${String(count)} times`
}
