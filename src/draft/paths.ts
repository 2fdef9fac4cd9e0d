import { addTo } from '../contract/lists.js'
import { wordsOf, camelCase } from '../naming/identifiers.js'
import { singular } from './singular.js'
import { isJson, type Recording } from './recording.js'
import { hasForm } from './seen-texts.js'

/** A path with parameters, and what was recorded of it. */
export interface DraftedPath {
  /** `/vessels/{vesselNumber}/moves` */
  readonly template: string
  /** What stands last in it that is no parameter; empty for the root. */
  readonly resource: string
  /** Does it end in a parameter? */
  readonly isOne: boolean
  /** The literal steps, for names. */
  readonly literals: readonly string[]
  readonly parameters: readonly string[]
  readonly recordings: readonly PathRecording[]
}

/** A recording with the values that the parameters of its path have in it. */
export interface PathRecording {
  readonly recording: Recording
  /** In the order of the parameters. */
  readonly values: readonly string[]
}

/** A step of the addresses, with the steps behind it. */
interface Step {
  readonly behind: Map<string, Step>
  /** What was recorded of addresses that end here. */
  readonly here: PathRecording[]
}

/**
 * Puts addresses together that are the same but for keys in them.
 *
 * @param base the path that all of them begin with, which belongs to the service's address
 */
export function draftedPaths(recordings: readonly Recording[], base: string): DraftedPath[] {
  const root: Step = { behind: new Map(), here: [] }
  for (const recording of recordings) {
    let at = root
    for (const step of stepsOf(recording.url, base)) at = behind(at, step)
    at.here.push({ recording, values: [] })
  }
  return pathsBelow(root, { template: '', literals: [], parameters: [], isOne: false })
}

function stepsOf(url: URL, base: string): string[] {
  const path = url.pathname.slice(base.length)
  return path
    .split('/')
    .filter((step) => step !== '')
    .map((step) => decoded(step))
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}

function behind(at: Step, name: string): Step {
  const found = at.behind.get(name)
  if (found !== undefined) return found
  const made: Step = { behind: new Map(), here: [] }
  at.behind.set(name, made)
  return made
}

type Way = Omit<DraftedPath, 'recordings' | 'resource'>

function pathsBelow(at: Step, way: Way): DraftedPath[] {
  const own: DraftedPath[] =
    at.here.length === 0
      ? []
      : [
          {
            ...way,
            template: way.template === '' ? '/' : way.template,
            resource: way.literals.at(-1) ?? '',
            recordings: at.here,
          },
        ]
  const { literals, keys } = keysApart(at)
  const below = [...literals].flatMap(([name, step]) =>
    pathsBelow(step, {
      template: `${way.template}/${encodeURI(name)}`,
      literals: [...way.literals, name],
      parameters: way.parameters,
      isOne: false,
    }),
  )
  if (keys === undefined) return [...own, ...below]
  const parameter = parameterName([...keys.values], way)
  return [
    ...own,
    ...below,
    ...pathsBelow(keys.step, {
      template: `${way.template}/{${parameter}}`,
      literals: way.literals,
      parameters: [...way.parameters, parameter],
      isOne: true,
    }),
  ]
}

interface Apart {
  readonly literals: ReadonlyMap<string, Step>
  readonly keys: { readonly values: ReadonlySet<string>; readonly step: Step } | undefined
}

/** Steps that are names of things, and those that are keys, put together. */
function keysApart(at: Step): Apart {
  const names = [...at.behind.keys()]
  const sure = names.filter(looksLikeKey)
  const others = names.filter((name) => !looksLikeKey(name))
  const values = new Set([...sure, ...keysByAnswers(others, at)])
  if (values.size === 0) return { literals: at.behind, keys: undefined }
  const step: Step = { behind: new Map(), here: [] }
  for (const value of values) putTogether(step, at.behind.get(value), [value])
  return {
    literals: new Map([...at.behind].filter(([name]) => !values.has(name))),
    keys: { values, step },
  }
}

/** Adds what was recorded under a key. */
function putTogether(all: Step, one: Step | undefined, values: readonly string[]): void {
  if (one === undefined) return
  for (const { recording, values: own } of one.here)
    all.here.push({ recording, values: [...own, ...values] })
  for (const [name, step] of one.behind) putTogether(behind(all, name), step, values)
}

/** Numbers, UUIDs, dates, long hexadecimal ones, codes such as `BKM-114`; versions are none. */
function looksLikeKey(step: string): boolean {
  return (
    /^\d+$/.test(step) ||
    hasForm(step, 'uuid') ||
    hasForm(step, 'date') ||
    /^[\da-f]{16,}$/i.test(step) ||
    /^[A-Z]{1,5}(?:-\d+|_\d+|\d{2,})$/.test(step)
  )
}

/** Addresses that are else equal, and what they answer: so many of them show that a step varies. */
const leastVarying = 3

/**
 * Steps that stand for things of one kind, by what is answered there or behind them. Where nothing
 * but failures came, nothing speaks against it either.
 */
function keysByAnswers(names: readonly string[], at: Step): string[] {
  if (names.length < leastVarying) return []
  const shapes = new Map(names.map((name) => [name, shapesBelow(at.behind.get(name))]))
  const alike = new Set<string>()
  for (const place of new Set([...shapes.values()].flatMap((each) => [...each.keys()]))) {
    const having = names.filter((name) => (shapes.get(name)?.get(place) ?? '') !== '')
    const [first] = having.map((name) => shapes.get(name)?.get(place))
    const isOne = having.every((name) => shapes.get(name)?.get(place) === first)
    if (having.length >= leastVarying && isOne) for (const name of having) alike.add(name)
  }
  if (alike.size === 0) return []
  const known = new Set([...alike].flatMap((name) => [...(shapes.get(name)?.keys() ?? [])]))
  const failed = names.filter((name) => {
    const own = [...(shapes.get(name) ?? [])]
    return own.length > 0 && own.every(([place, shape]) => shape === '' && known.has(place))
  })
  return [...new Set([...alike, ...failed])]
}

/**
 * What is answered at a step and behind it, by the way from it, in a text that is equal for what is
 * alike; empty where only failures came.
 */
function shapesBelow(step: Step | undefined, way = ''): Map<string, string> {
  const shapes = new Map<string, string>()
  if (step === undefined) return shapes
  const [good] = step.here.filter(({ recording }) => recording.status < 300)
  const { answer } = good?.recording ?? {}
  const members =
    answer?.text !== undefined && isJson(answer.type) ? membersIn(answer.text) : undefined
  if (step.here.length > 0) shapes.set(way, members === undefined ? '' : JSON.stringify(members))
  for (const [name, next] of step.behind)
    for (const [place, shape] of shapesBelow(next, `${way}/${name}`)) shapes.set(place, shape)
  return shapes
}

/** The names in a record; undefined for what is none. */
function membersIn(text: string): string[] | undefined {
  if (!/^\s*\{/.test(text)) return undefined
  try {
    return Object.keys(JSON.parse(text) as object).sort()
  } catch {
    return undefined
  }
}

/** What a key is called: after what stands before it, and what it looks like. */
function parameterName(values: readonly string[], { literals, parameters }: Way): string {
  const thing = singular(literals.at(-1) ?? 'item')
  const name = camelCase([...wordsOf(thing), endingFor(values)].join(' '))
  if (!parameters.includes(name)) return name
  return camelCase([...wordsOf(name), String(parameters.length + 1)].join(' '))
}

function endingFor(values: readonly string[]): string {
  if (values.every((value) => /^\d+$/.test(value))) return 'number'
  if (values.every((value) => hasForm(value, 'date'))) return 'date'
  if (values.every((value) => hasForm(value, 'uuid') || /^[\da-f]{16,}$/i.test(value))) return 'id'
  const areCodes = values.every((value) => looksLikeKey(value) || /^[A-Z\d]{2,8}$/.test(value))
  return areCodes ? 'code' : 'name'
}

/** Words of addresses that say nothing of what is there. */
const general = /^(?:api|apis|rest|services?|public|v\d+(?:\.\d+)*|\d+\.\d+)$/i

/** The path that all addresses begin with, as far as it says nothing of what is there. */
export function basePath(recordings: readonly Recording[]): string {
  const paths = recordings.map(({ url }) => url.pathname.split('/').slice(1))
  let count = 0
  for (;;) {
    const step = paths[0]?.[count]
    const isCommon =
      step !== undefined &&
      general.test(step) &&
      paths.every((steps) => steps[count] === step && steps.length > count + 1)
    if (!isCommon) break
    count += 1
  }
  return count === 0 ? '' : `/${paths[0]?.slice(0, count).join('/') ?? ''}`
}

/** Recordings by their method. */
export function byMethod(path: DraftedPath): Map<string, PathRecording[]> {
  const methods = new Map<string, PathRecording[]>()
  for (const each of path.recordings) addTo(methods, each.recording.method, each)
  return methods
}

/** A path with the names of its parameters left out: whatever they are called, it is the same. */
export function withoutNames(path: string): string {
  return path.replace(/\{[^}]*\}/g, '{}')
}
