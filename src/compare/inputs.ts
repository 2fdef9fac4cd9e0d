import type { InputField, Operation } from '../contract/contract.js'
import { operationExports } from '../naming/names.js'
import { breaks, fine, mayBreak } from './change.js'
import { compareFacts, draft, inside, type At, type Draft } from './drafts.js'
import { RecordComparer } from './records.js'
import type { Side } from './side.js'
import type { TypeComparer } from './types.js'

const nothingInCode = fine('nothing of it is seen in TypeScript')

/** Compares what two operations take. */
export class InputComparer {
  private readonly records: RecordComparer
  private readonly before: Side
  private readonly after: Side

  constructor(types: TypeComparer) {
    this.records = new RecordComparer(types)
    this.before = types.sides.before
    this.after = types.sides.after
  }

  compare(was: Operation, is: Operation, at: At): Draft[] {
    const [, inputType = ''] = operationExports(at.names[0]?.name ?? '')
    const place: At = {
      ...at,
      words: `the input of ${at.words}`,
      directions: ['sent'],
      names: [{ name: inputType }],
    }
    const pairs = pairInputs(was.inputs, is.inputs)
    const [matched, others] = [
      new Set(pairs.map(([old]) => old)),
      new Set(pairs.map(([, now]) => now)),
    ]
    const gone = was.inputs.filter((each) => !matched.has(each))
    const come = is.inputs.filter((each) => !others.has(each))
    return [
      ...this.records
        .goneMembers(gone, come, false, place)
        .map((each, index) => goneInput(withoutSurroundings(each, place), gone[index])),
      ...come.map((each) => ({
        ...this.newInput(each, was, place),
        names: [...place.names, ...at.names],
      })),
      ...pairs
        .flatMap(([old, now]) => this.inputPair(old, now, place))
        .map((each) =>
          // Who leaves it out does not name it: the calls are what is meant.
          each.kind === 'presence' ? { ...each, names: [...each.names, ...at.names] } : each,
        ),
      ...exclusions(was, is, place),
    ]
  }

  private newInput(field: InputField, was: Operation, place: At): Draft {
    const made = withoutSurroundings(this.records.newMember(field, place), place)
    const isFirstHeader =
      field.place === 'messageHeader' && was.inputs.every((each) => each.place !== 'messageHeader')
    // Headers are given together or not at all.
    return field.place === 'messageHeader' && !field.optional
      ? {
          ...made,
          code: isFirstHeader
            ? fine('headers may be left out in TypeScript; the call is refused before it is sent')
            : mayBreak('code that gives headers has to give it too'),
        }
      : made
  }

  private inputPair(was: InputField, is: InputField, place: At): Draft[] {
    const own = {
      ...inside(place, was.name, was, is),
      words: `the input ${was.name} of ${place.subject.name}`,
      isText: this.before.wire.isText(was) && this.after.wire.isText(is),
    }
    const { before, after } = this
    const drafts = [
      ...this.records.field(was, is, own),
      ...compareFacts(own, before.wire.input(was), after.wire.input(is)),
    ]
    if (was.name !== is.name)
      drafts.push(
        draft(
          own,
          'renamed',
          `${own.words} is called ${is.name} now`,
          [
            {
              calls: fine('it has no name on the wire'),
              code: breaks('code that gives it does not compile'),
            },
          ],
          { was: was.name, is: is.name },
        ),
      )
    if (was.place !== is.place)
      drafts.push(
        draft(
          own,
          'wire',
          `${own.words} travelled in ${placeText(was)}, and does in ${placeText(is)}`,
          [
            {
              calls: was.optional
                ? mayBreak('running clients put it elsewhere, where nobody heeds it')
                : breaks('running clients put it elsewhere'),
              code:
                (was.place === 'messageHeader') === (is.place === 'messageHeader')
                  ? nothingInCode
                  : breaks('it is given in another place'),
            },
          ],
        ),
      )
    return drafts
  }
}

/** What travels beside the message is passed over by who does not know it. */
function goneInput(made: Draft, field: InputField | undefined): Draft {
  if (field?.place === 'messageHeader')
    return { ...made, calls: fine('headers that nobody knows are passed over'), hurts: [] }
  return field === undefined || ['body', 'path', 'attachment'].includes(field.place)
    ? made
    : { ...made, calls: mayBreak('it goes on being sent, and nobody heeds it') }
}

/** `Nights in the input of quoteDues` is `the input Nights of quoteDues`. */
function withoutSurroundings(each: Draft, place: At): Draft {
  const name = each.subject.part ?? ''
  const [long, short] = [`${name} in ${place.words}`, `the input ${name} of ${place.subject.name}`]
  return { ...each, text: each.text.replace(long, () => short) }
}

function exclusions(was: Operation, is: Operation, at: At): Draft[] {
  const text = ({ choices = [] }: Operation): string => JSON.stringify(choices)
  if (text(was) === text(is)) return []
  return [
    draft(at, 'structure', `${at.words}: which inputs exclude each other has changed`, [
      { calls: mayBreak('other inputs may be refused'), code: mayBreak('it is another union') },
    ]),
  ]
}

/** Inputs of one name; in an address those that stand in the same place. */
function pairInputs(
  was: readonly InputField[],
  is: readonly InputField[],
): (readonly [InputField, InputField])[] {
  const now = new Map(is.map((field) => [field.name, field]))
  const pairs = was.flatMap((field) => {
    const other = now.get(field.name)
    return other === undefined ? [] : [[field, other] as const]
  })
  const [named, others] = [
    new Set(pairs.map(([old]) => old)),
    new Set(pairs.map(([, each]) => each)),
  ]
  const inAddress = (fields: readonly InputField[]): InputField[] =>
    fields.filter(({ place }) => place === 'path')
  const rest = inAddress(is)
  const moved = inAddress(was).flatMap((field, at) => {
    const other = rest[at]
    return other === undefined || named.has(field) || others.has(other)
      ? []
      : [[field, other] as const]
  })
  return [...pairs, ...moved]
}

function placeText({ place }: InputField): string {
  return place === 'messageHeader' ? 'a header of the message' : `the ${place}`
}
