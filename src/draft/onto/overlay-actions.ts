import { addAll } from '../../contract/lists.js'
import { isPlainObject } from '../../contract/plain.js'
import { isSame } from '../join-schemas.js'
import { setOwn } from '../../runtime/plain.js'

/** An action of an overlay (Overlay Specification 1.0, section 4.5). */
export interface OverlayAction {
  /** JSONPath (RFC 9535). */
  readonly target: string
  readonly update?: unknown
  readonly remove?: true
  /** The steps to everything that it changes, for its reasons. */
  readonly touched: readonly (readonly string[])[]
}

type Steps = readonly (string | number)[]

/**
 * The actions that make one document of another. Only objects and lists can be targets: where a
 * plain value goes, what holds it is replaced.
 *
 * @param before an object
 * @param after another one that is like it
 */
export function overlayActions(before: object, after: object): OverlayAction[] {
  const actions = changesOf(before as Members, after as Members, [])
  if (actions === undefined) throw new Error('a plain value of the document itself is gone')
  return actions
}

type Members = Readonly<Record<string, unknown>>

/** @returns undefined where an object has to be replaced as a whole */
function changesOf(before: Members, after: Members, at: Steps): OverlayAction[] | undefined {
  const actions: OverlayAction[] = []
  const update: Record<string, unknown> = {}
  for (const [key, value] of Object.entries(before)) {
    if (Object.hasOwn(after, key)) continue
    if (!isContainer(value)) return undefined
    actions.push(removal([...at, key]))
  }
  for (const [key, value] of Object.entries(after)) {
    const own = Object.hasOwn(before, key) ? before[key] : undefined
    if (!Object.hasOwn(before, key) || !isContainer(own)) {
      if (!isSame(own, value) || !Object.hasOwn(before, key)) setOwn(update, key, value)
      continue
    }
    const changes = changesWithin(own, value, [...at, key])
    if (changes !== undefined) addAll(actions, changes)
    else {
      actions.push(removal([...at, key]))
      setOwn(update, key, value)
    }
  }
  if (Object.keys(update).length > 0)
    actions.push({
      target: pathText(at),
      update,
      touched: Object.keys(update).map((key) => textSteps([...at, key])),
    })
  return actions
}

/** @returns undefined where what is there has to be replaced */
function changesWithin(before: unknown, after: unknown, at: Steps): OverlayAction[] | undefined {
  if (isPlainObject(before) && isPlainObject(after)) return changesOf(before, after, at)
  if (!Array.isArray(before) || !Array.isArray(after)) return undefined
  return changesOfList(before as unknown[], after as unknown[], at)
}

/** Items that changed inside, and items behind those that were there. */
function changesOfList(
  before: readonly unknown[],
  after: readonly unknown[],
  at: Steps,
): OverlayAction[] | undefined {
  const actions: OverlayAction[] = []
  for (const [position, item] of before.entries()) {
    if (isSame(item, after[position]) && position < after.length) continue
    const changes = changesWithin(item, after[position], [...at, position])
    if (changes === undefined) return undefined
    addAll(actions, changes)
  }
  const added = after.slice(before.length).map((item) => ({
    target: pathText(at),
    update: item,
    touched: [textSteps(at)],
  }))
  return [...actions, ...added]
}

function isContainer(value: unknown): boolean {
  return typeof value === 'object' && value !== null
}

function removal(at: Steps): OverlayAction {
  return { target: pathText(at), remove: true, touched: [textSteps(at)] }
}

function textSteps(at: Steps): string[] {
  return at.map(String)
}

/** A JSONPath that finds one place (RFC 9535, sections 2.3 and 2.5). */
function pathText(steps: Steps): string {
  return `$${steps.map(stepText).join('')}`
}

function stepText(step: string | number): string {
  if (typeof step === 'number') return `[${String(step)}]`
  return /^[A-Za-z_]\w*$/.test(step) ? `.${step}` : `[${quoted(step)}]`
}

function quoted(name: string): string {
  const escaped = JSON.stringify(name).slice(1, -1).replaceAll('\\"', '"').replaceAll("'", "\\'")
  return `'${escaped}'`
}
