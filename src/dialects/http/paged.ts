import type {
  Contract,
  Field,
  InputField,
  ListType,
  Operation,
  Type,
} from '../../contract/contract.js'
import { filled, present } from '../../contract/present.js'
import { membersOf, resolve, withoutName } from '../../contract/queries.js'
import { pointerNames, pointerStep } from '../../documents/json-pointer.js'
import type { Paging } from '../../runtime/http/pages.js'
import type { PagesWish } from '../dialect.js'
import type { Answers } from './answers.js'
import { isChoice } from './json-trees.js'
import {
  operationSpecifics,
  parameterSpecifics,
  typeOfAnswer,
  type OperationSpecifics,
  type PagesSpecifics,
} from './specifics.js'

/** Lists in pages: what the description or the project says of them, as facts of the operation. */

/**
 * An operation whose rows are had page by page.
 *
 * @returns the operation, or the reason in words why that can't be
 */
export function paged(
  contract: Contract,
  operation: Operation,
  wish: PagesWish,
): Operation | string {
  const { outcome } = operation
  const specifics = operationSpecifics(operation)
  if (outcome.kind !== 'value' || outcome.stream === true || specifics.byStatus === true)
    return 'it does not answer one thing'
  if (operation.inputs.some((input) => isChoice(input) && input.name === 'accept'))
    return 'it answers in several media types'
  if (wish.into === undefined && specifics.method !== 'GET')
    return `an address is followed with GET, and this is ${specifics.method}: "into" is missing`
  const type = typeOfAnswer(operation, outcome.field)
  const rows = rowsIn(contract, type, wish.rows)
  if (typeof rows === 'string') return rows
  const into = wish.into === undefined ? undefined : inputAt(contract, operation, wish.into)
  if (typeof into === 'string') return into
  const places = placesOf(contract, type, wish)
  if (typeof places === 'string') return places
  const pages: PagesSpecifics = {
    ...(type.kind === 'reference' ? { answer: type.to } : {}),
    rows: rows.steps,
    ...places,
    ...present({ into }),
  }
  const { leadsTo: _, ...rest } = operation
  const others = (operation.leadsTo ?? []).filter((each) => each !== wish.link)
  return {
    ...rest,
    ...filled({ leadsTo: others }),
    ...(type.kind === 'reference' ? { needs: [...(operation.needs ?? []), type.to] } : {}),
    outcome: {
      ...outcome,
      field: { ...outcome.field, type: { ...rows.list }, nullable: false, optional: false },
      iterable: true,
    },
    specifics: { ...specifics, pages } satisfies OperationSpecifics,
  }
}

/**
 * How a list comes in pages as its description says it: by a link that leads back to the same
 * operation, with something of the answer in an input that may be left out; or with a header
 * `Link`, where the whole answer is a list.
 */
export function declaredPages(
  method: string,
  { links, outcome }: Pick<Answers, 'links' | 'outcome'>,
  inputs: readonly InputField[],
): PagesWish | undefined {
  for (const { leadsBack, parameters, words } of links) {
    const given = parameters.filter(([, expression]) => expression.startsWith('$response.'))
    const [only] = given
    if (!leadsBack || given.length !== 1 || only === undefined) continue
    const [name, expression] = only
    const [, pointer, header] = /^\$response\.(?:body#(\/.+)|header\.(.+))$/.exec(expression) ?? []
    const next = pointer ?? header
    const input = inputs.find(
      (each) => each.optional && isNamed(each, name) && ['query', 'header'].includes(each.place),
    )
    if (next !== undefined && input !== undefined) return { next, into: input.name, link: words }
  }
  const headers = outcome.kind === 'record' ? [] : (outcome.headers ?? [])
  const hasLinks = method === 'get' && headers.some(({ name }) => name.toLowerCase() === 'link')
  return hasLinks ? { rows: '' } : undefined
}

/** A parameter as links name it: also with the place that it has. */
function isNamed(input: InputField, name: string): boolean {
  const own = parameterSpecifics(input).name
  return name === own || name === `${input.place}.${own}`
}

/** The list in an answer, and the way to it; without a pointer the only one that there is. */
function rowsIn(
  contract: Contract,
  type: Type,
  pointer: string | undefined,
): { readonly list: ListType; readonly steps: readonly string[] } | string {
  const whole = resolve(contract, type)
  if (pointer === undefined) {
    if (whole.kind === 'list') return { list: withoutName(whole), steps: [] }
    const lists = membersOf(contract, type).filter((each) => isList(contract, each))
    const [only] = lists
    if (only === undefined) return 'there is no list in what it answers'
    if (lists.length > 1)
      return `what it answers has several lists (${lists.map(({ name }) => name).join(', ')}): "rows" is missing`
    return rowsIn(contract, type, pointerOf([only.name]))
  }
  const steps = pointerNames(pointer)
  const found = typeAt(contract, type, steps)
  const list = found === undefined ? undefined : resolve(contract, found)
  if (list?.kind !== 'list') return `there is no list at ${pointer} in what it answers`
  if (steps.length > 0 && type.kind !== 'reference') return 'what it answers has no name of its own'
  return { list: withoutName(list), steps }
}

function isList(contract: Contract, { type }: Field): boolean {
  return resolve(contract, type).kind === 'list'
}

/** Where it says what comes next, and how many there are; or what is wrong about that. */
function placesOf(
  contract: Contract,
  type: Type,
  { next, total }: PagesWish,
): Pick<Paging, 'next' | 'total'> | string {
  const wrong = [next, total].find(
    (each) =>
      each !== undefined &&
      each.startsWith('/') &&
      typeAt(contract, type, pointerNames(each)) === undefined,
  )
  if (wrong !== undefined) return `there is nothing at ${wrong} in what it answers`
  return {
    ...(total === undefined ? {} : { total: placeOf(total) }),
    ...(next === undefined ? {} : { next: placeOf(next) }),
  }
}

function placeOf(text: string): NonNullable<Paging['next']> {
  return text.startsWith('/') ? { members: pointerNames(text) } : { header: text }
}

/** The type behind members, one inside the other. */
function typeAt(contract: Contract, type: Type, steps: readonly string[]): Type | undefined {
  return steps.length === 0 ? type : fieldAt(contract, type, steps)?.type
}

/** The last of members that stand one inside the other. */
export function fieldAt(
  contract: Contract,
  type: Type,
  [step, ...steps]: readonly string[],
): Field | undefined {
  const field = membersOf(contract, type).find(({ name }) => name === step)
  return field === undefined || steps.length === 0 ? field : fieldAt(contract, field.type, steps)
}

/** The way to an input: `after`, `body.page.after`. */
function inputAt(
  contract: Contract,
  { inputs }: Operation,
  path: string,
): readonly string[] | string {
  const [first = '', ...further] = path.split('.')
  const whole = inputs.find(({ name }) => name === path)
  if (whole !== undefined) return [path]
  const input = inputs.find(({ name }) => name === first)
  return input === undefined || typeAt(contract, input.type, further) === undefined
    ? `it has no input ${path}`
    : [first, ...further]
}

/** Members one inside the other as a JSON Pointer. */
export function pointerOf(steps: readonly string[]): string {
  return steps.map(pointerStep).join('')
}

/** How the pages of a list are had: `next from /page/next into after`. */
export function pagesInWords(operation: Operation): (readonly [string, string])[] {
  const { pages } = operationSpecifics(operation)
  if (pages === undefined) return []
  const placed = (place: NonNullable<typeof pages.next>): string =>
    'header' in place ? `the header ${place.header}` : pointerOf(place.members)
  const next = pages.next === undefined ? 'the header Link' : placed(pages.next)
  const into = pages.into === undefined ? 'followed as an address' : `into ${pages.into.join('.')}`
  return [
    [
      'pages',
      `${pages.rows.length === 0 ? '' : `rows at ${pointerOf(pages.rows)}, `}next from ${next}, ${into}`,
    ],
    ...(pages.total === undefined ? [] : [['total', `from ${placed(pages.total)}`] as const]),
  ]
}
