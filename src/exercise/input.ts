import { setOwn } from '../runtime/plain.js'
import { special } from '../contract/special-members.js'
import type { Contract, Field, InputField, Operation, Type } from '../contract/contract.js'
import {
  ExactNumber,
  fieldsFromPlain,
  fromPlain,
  fromText,
  isPlainObject,
  recordNamed,
} from '../contract/plain.js'
import { problem } from '../contract/problem.js'
import { membersOf, resolve } from '../contract/queries.js'
import { isHeldExactly } from '../runtime/json/values.js'

/**
 * Parses the text of an input: JSON, or YAML 1.2. Numbers keep their digits.
 *
 * @param what names the input in messages: a file, `standard input`
 * @throws Problem TM-1009 with the place of what is wrong
 */
export async function parseInput(text: string, what: string): Promise<unknown> {
  const { LineCounter, parseDocument } = await import('yaml')
  const lines = new LineCounter()
  const document = parseDocument(text, { lineCounter: lines, prettyErrors: false })
  const [broken] = document.errors
  if (broken !== undefined) {
    const { line, col } = lines.linePos(broken.pos[0])
    throw problem(
      'TM-1009',
      { what, reason: broken.message.replace(/\.$/, '') },
      { place: { document: what, line, column: col } },
    )
  }
  return plainOfYaml(document.contents, what)
}

/**
 * What a parsed document says, in plain form: numbers keep their digits.
 *
 * @param what names the document in messages
 * @throws Problem TM-1009 when it has aliases
 */
export async function plainOfYaml(node: unknown, what: string): Promise<unknown> {
  const { isMap, isPair, isScalar, isSeq } = await import('yaml')
  const plain = (inner: unknown): unknown => {
    if (isScalar(inner))
      return (typeof inner.value === 'number' || typeof inner.value === 'bigint') &&
        inner.source !== undefined
        ? new ExactNumber(inner.source)
        : inner.value
    if (isSeq(inner)) return inner.items.map(plain)
    if (isMap(inner)) {
      return Object.fromEntries(
        inner.items
          .filter(isPair)
          .map(({ key, value }) => [String(isScalar(key) ? key.value : key), plain(value)]),
      )
    }
    if (inner === null || inner === undefined) return null
    throw problem('TM-1009', { what, reason: 'aliases are not read in inputs' })
  }
  return plain(node)
}

/** A change on top of an input: `Lines[0].Text=x`. */
export type Assignment = {
  /** The path as it was written. */
  readonly written: string
  readonly path: readonly (string | number)[]
} & (
  | { /** Read by the type at the path. */ readonly text: string }
  | { /** In plain form. */ readonly plain: unknown }
)

/**
 * Parses what follows `--with`.
 *
 * @throws Problem TM-1010 when it is not `path=value`
 */
export function parseAssignment(written: string): Assignment {
  const equals = written.indexOf('=')
  if (equals < 1)
    throw problem('TM-1010', {
      option: '--with',
      reason: `"${written}" is not <path>=<value>`,
      remedy: 'Write it like --with Vessel=BKM-114 or --with Lines[0].Text=x.',
    })
  return {
    written: written.slice(0, equals),
    path: parsePath(written.slice(0, equals)),
    text: written.slice(equals + 1),
  }
}

/** `Lines[0].Text` as its steps: `['Lines', 0, 'Text']`. */
export function parsePath(written: string): (string | number)[] {
  const steps: (string | number)[] = []
  for (const [, index, name] of written.matchAll(/\[(\d+)\]|([^.[\]]+)/g))
    steps.push(index === undefined ? (name ?? '') : Number(index))
  return steps
}

/** Steps as {@link parsePath} reads them: `Lines[0].Text`. */
function pathText(path: readonly (string | number)[]): string {
  return path
    .map((step) => (typeof step === 'number' ? `[${String(step)}]` : `.${step}`))
    .join('')
    .replace(/^\./, '')
}

/**
 * An operation's input as the client takes it, from what a person wrote.
 *
 * @param plain what came from a file, or undefined
 * @param assignments changes on top of it, in order
 * @param readFile reads the file of `{"$file": …}`
 * @throws Problem TM-1009 when the input is not an object, TM-1007 when a file can't be read
 */
export async function readInput(
  contract: Contract,
  operation: Operation,
  plain: unknown,
  assignments: readonly Assignment[],
  readFile: (path: string) => Promise<Uint8Array>,
): Promise<Record<string, unknown>> {
  const start = plain ?? {}
  if (!isPlainObject(start)) {
    const members = operation.inputs.map((input) => input.name).join(', ')
    throw problem('TM-1009', {
      what: 'The input',
      reason: `an object is wanted${members === '' ? '' : `, with the members ${members},`} and not ${Array.isArray(start) ? 'a list' : 'a single value'}`,
    })
  }
  const withBytes = (await loadFiles(start, readFile)) as Record<string, unknown>
  for (const assignment of assignments)
    await assign(contract, operation, withBytes, assignment, readFile)
  refuseLosses(contract, operation, start, [])
  const body = operation.inputs.filter((input) => input.place !== 'messageHeader')
  const { headers, ...others } = withBytes
  const converted = fieldsFromPlain(contract, body, others)
  if (headers === undefined) return converted
  return {
    ...converted,
    headers: isPlainObject(headers)
      ? fieldsFromPlain(contract, headersOf(operation), headers)
      : headers,
  }
}

/**
 * Refuses numbers that would lose digits where the contract does not say what they are: elsewhere
 * the type decides how they are carried.
 */
function refuseLosses(
  contract: Contract,
  operation: Operation,
  plain: unknown,
  path: readonly (string | number)[],
): void {
  if (plain instanceof ExactNumber) {
    const { source } = plain
    if (/^-?\d+$/.test(source) || (Number.isFinite(Number(source)) && isHeldExactly(source))) return
    if (isUntyped(contract, operation, path))
      throw problem('TM-1035', { path: pathText(path), digits: source.slice(0, 60) })
  } else if (Array.isArray(plain))
    plain.forEach((each, at) => refuseLosses(contract, operation, each, [...path, at]))
  else if (isPlainObject(plain))
    for (const [name, each] of Object.entries(plain))
      refuseLosses(contract, operation, each, [...path, name])
}

/** Anything may stand there, or the member is one that an open record does not name. */
function isUntyped(
  contract: Contract,
  operation: Operation,
  path: readonly (string | number)[],
): boolean {
  const { type } = placeAt(contract, operation, path)
  if (type !== undefined) return resolve(contract, type).kind === 'anything'
  const around = placeAt(contract, operation, path.slice(0, -1)).type
  const holder = around === undefined ? undefined : resolve(contract, around)
  return holder?.kind === 'record' && holder.open === true && holder.rest === undefined
}

function headersOf(operation: Operation): InputField[] {
  return operation.inputs.filter((input) => input.place === 'messageHeader')
}

async function loadFiles(
  plain: unknown,
  readFile: (path: string) => Promise<Uint8Array>,
): Promise<unknown> {
  if (Array.isArray(plain)) return Promise.all(plain.map((each) => loadFiles(each, readFile)))
  if (!isPlainObject(plain)) return plain
  if (typeof plain['$file'] === 'string') return readFile(plain['$file'])
  const members = await Promise.all(
    Object.entries(plain).map(
      async ([key, value]) => [key, await loadFiles(value, readFile)] as const,
    ),
  )
  return Object.fromEntries(members)
}

async function assign(
  contract: Contract,
  operation: Operation,
  input: Record<string, unknown>,
  assignment: Assignment,
  readFile: (path: string) => Promise<Uint8Array>,
): Promise<void> {
  const path = pathIn(operation, assignment)
  const place = placeAt(contract, operation, path, input)
  const { type } = place
  const given =
    'plain' in assignment
      ? { plain: await loadFiles(assignment.plain, readFile) }
      : await readText(contract, place, assignment.text, path, readFile)
  if ('plain' in given) refuseLosses(contract, operation, given.plain, path)
  const typed = (plain: unknown): unknown =>
    type === undefined ? plain : fromPlain(contract, type, plain)
  const value = 'value' in given ? given.value : typed(given.plain)
  let target: Record<string | number, unknown> = input
  path.forEach((step, at) => {
    if (at === path.length - 1) {
      setOwn(target, String(step), value)
      return
    }
    const next = Object.hasOwn(target, step) ? target[step] : undefined
    if (typeof next !== 'object' || next === null) {
      const made: unknown = typeof path[at + 1] === 'number' ? [] : {}
      setOwn(target, String(step), made)
    }
    target = target[step] as Record<string | number, unknown>
  })
}

/**
 * A text by the type at its place: JSON or YAML where that is no single value. `null` is null where
 * null may stand; there the text of that name is written `"null"`.
 */
async function readText(
  contract: Contract,
  { type, nullable }: PlaceInside,
  text: string,
  path: readonly (string | number)[],
  readFile: (path: string) => Promise<Uint8Array>,
): Promise<{ plain: unknown } | { value: unknown }> {
  if (nullable && text === 'null') return { plain: null }
  if (nullable && text === '"null"') return { value: 'null' }
  if (type === undefined) return { value: text }
  const actual = resolve(contract, type)
  const isOpen = ['union', 'anything'].includes(actual.kind)
  const structured = isOpen
    ? /^[[{"\d-]/.test(text)
    : ['record', 'list', 'fragment', 'map', 'intersection'].includes(actual.kind) ||
      (actual.kind === 'scalar' && actual.base === 'bytes' && text.startsWith('{'))
  return structured
    ? { plain: await loadFiles(await parseInput(text, `--with ${path.join('.')}`), readFile) }
    : { value: fromText(contract, type, text) }
}

/**
 * The path that is meant: an input's own name may have dots or brackets in it, like `filter[x]`.
 */
function pathIn(operation: Operation, { written, path }: Assignment): readonly (string | number)[] {
  const names = operation.inputs
    .map((input) => input.name)
    .filter(
      (name) =>
        /[.[\]]/.test(name) &&
        (written === name || written.startsWith(`${name}.`) || written.startsWith(`${name}[`)),
    )
  const [longest] = names.sort((a, b) => b.length - a.length)
  return longest === undefined ? path : [longest, ...parsePath(written.slice(longest.length))]
}

/** What may stand at a place of an input: of which type, where the contract has one, or null. */
interface PlaceInside {
  readonly type: Type | undefined
  readonly nullable: boolean
}

const unknownPlace: PlaceInside = { type: undefined, nullable: false }

/** The type at a path of an operation's input, or undefined where the contract has none. */
export function typeAt(
  contract: Contract,
  operation: Operation,
  path: readonly (string | number)[],
): Type | undefined {
  return placeAt(contract, operation, path).type
}

/** @param input what there is so far: where any record may stand, it says which one it is */
function placeAt(
  contract: Contract,
  operation: Operation,
  path: readonly (string | number)[],
  input?: unknown,
): PlaceInside {
  const [first, ...rest] = path
  const isHeader = first === 'headers' && headersOf(operation).length > 0
  let fields: readonly Field[] = isHeader
    ? headersOf(operation)
    : operation.inputs.filter((input) => input.place !== 'messageHeader')
  let type: Type | undefined
  let holder: Type | undefined
  let nullable = false
  let given: unknown = isHeader ? memberOf(input, 'headers') : input
  for (const step of isHeader ? rest : path) {
    // Inside of a map every name is right, and where anything may be, so may anything in it.
    if (holder?.kind === 'anything') type = holder
    else if (typeof step === 'number') {
      type = holder?.kind === 'list' ? holder.item : undefined
      nullable = holder?.kind === 'list' && holder.itemNullable === true
    } else {
      const field = fields.find(({ name }) => name === step)
      type = holder?.kind === 'map' ? holder.value : field?.type
      nullable = field?.nullable === true
    }
    if (type === undefined) return unknownPlace
    holder = resolve(contract, type)
    given = memberOf(given, step)
    if (holder.kind === 'fragment' && holder.mayBeRecord === true)
      holder = recordNamed(contract, memberOf(given, special.is)) ?? holder
    fields = membersOf(contract, holder)
  }
  if (holder !== undefined && allowsNull(contract, holder)) nullable = true
  return { type: holder?.kind === 'list' ? holder : type, nullable }
}

function memberOf(value: unknown, step: string | number): unknown {
  return typeof value === 'object' && value !== null && Object.hasOwn(value, step)
    ? (value as Readonly<Record<string | number, unknown>>)[step]
    : undefined
}

function allowsNull(contract: Contract, type: Type): boolean {
  if (type.kind === 'union')
    return type.alternatives.some((each) => allowsNull(contract, resolve(contract, each)))
  return type.kind === 'anything' || (type.kind === 'literal' && type.value === null)
}
