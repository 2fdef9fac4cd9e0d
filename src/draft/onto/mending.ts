import { isPlainObject } from '../../contract/plain.js'
import { withExample } from '../draft.js'
import type { Schema } from '../join-schemas.js'
import { putAt, valueAt } from '../places.js'
import { plainOf } from '../remarked.js'
import { wireTextSchema } from '../scalar-schema.js'
import { SchemaWriter } from '../schemas.js'
import type { Seen } from '../seen.js'
import { structuresOf } from '../structures.js'
import {
  inside,
  listIn,
  schemasPath,
  type Description,
  type DescribedPlace,
  type Version,
} from './description.js'
import type { Finding } from './findings.js'
import { mendedSchema, times } from './mended-schema.js'
import { overlayActions, type OverlayAction } from './overlay-actions.js'
import { Reasons } from './reasons.js'
import type { NewAnswer, NewParameter, RecordedOnto } from './recorded-onto.js'
import { inWordsOf } from './version-words.js'

/** An action of an overlay, with its reason. */
export interface ProposedAction {
  readonly target: string
  readonly description: string
  readonly update?: unknown
  readonly remove?: true
}

const replacedBelow = 'replaced below: '

/** Does an action only take out what another one writes anew? */
export function isReplacement({ remove, description }: ProposedAction): boolean {
  return remove === true && description.startsWith(replacedBelow)
}

/** Mends copies of the documents; what was changed and why becomes actions. */
export class Mending {
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
      const own = listIn(this.at(inside(place, 'parameters')))
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
      const actions = overlayActions(before, after)
      const written = new Set(
        actions.flatMap(({ remove, touched }) =>
          remove ? [] : touched.map((path) => textOf(path)),
        ),
      )
      return [document, actions.map((action) => reasoned(action, reasons, written))] as const
    })
    return new Map(changed.filter(([, actions]) => actions.length > 0))
  }
}

/** @param written what actions write, so that what is removed before is told apart */
function reasoned(
  { target, update, remove, touched }: OverlayAction,
  reasons: Reasons,
  written: ReadonlySet<string>,
): ProposedAction {
  const description = reasons.of(touched)
  if (remove === undefined) return { target, description, update }
  const isReplaced = touched.some((path) => written.has(textOf(path)))
  return { target, description: `${isReplaced ? replacedBelow : ''}${description}`, remove }
}

function textOf(path: readonly string[]): string {
  return JSON.stringify(path)
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
