import type { Field, InputField, Operation, RecordType } from '../contract/contract.js'
import { addAll } from '../contract/lists.js'
import { present } from '../contract/present.js'
import { endpointsOffering, fieldsOfOutcome, operationsOf, pathOf } from '../contract/queries.js'
import { typeText } from '../contract/type-text.js'
import { groupOf } from '../contract/choice.js'
import { methodName } from '../naming/methods.js'
import { operationExports } from '../naming/names.js'
import { breaks, fine, mayBreak, type Effect } from './change.js'
import { compareFacts, draft, inside, type At, type Draft } from './drafts.js'
import { alone } from './reach.js'
import { RecordComparer } from './records.js'
import type { Side } from './side.js'
import type { TypeComparer } from './types.js'

/** A change of an operation, with the path of the one that it happened to. */
export interface OperationDraft {
  readonly operation: string
  readonly draft: Draft
}

const nothingInCode = fine('nothing of it is seen in TypeScript')

/** Compares the operations of two contracts, matched by what they are on the wire. */
export class OperationComparer {
  private readonly types: TypeComparer
  private readonly records: RecordComparer
  private readonly before: Side
  private readonly after: Side

  constructor(types: TypeComparer) {
    this.types = types
    this.records = new RecordComparer(types)
    this.before = types.sides.before
    this.after = types.sides.after
  }

  compare(): OperationDraft[] {
    const [old, now] = [this.before, this.after].map(({ contract }) => operationsOf(contract)) as [
      readonly Operation[],
      readonly Operation[],
    ]
    const byKey = new Map(now.map((operation) => [identityOf(operation), operation]))
    const known = new Set(old.map(identityOf))
    const unmatched = old.filter((operation) => !byKey.has(identityOf(operation)))
    const others = now.filter((operation) => !known.has(identityOf(operation)))
    const same = this.sameOnTheWire(unmatched, others)
    const gone = unmatched.filter((operation) => !same.has(operation))
    const found = new Set(same.values())
    const come = others.filter((operation) => !found.has(operation))
    const renamed = this.probablyRenamed(gone, come)
    return [
      ...gone.map((operation) => this.gone(operation, renamed.get(operation))),
      ...old.flatMap((operation) => {
        const other = same.get(operation) ?? byKey.get(identityOf(operation))
        if (other === undefined) return []
        return this.pair(operation, other).map((each) => ({
          operation: pathOf(operation),
          draft: each,
        }))
      }),
      ...come.map((operation) => this.come(operation)),
    ]
  }

  private at(before: Operation | undefined, after: Operation | undefined): At {
    const [operation, side] =
      before === undefined ? [after as Operation, this.after] : [before, this.before]
    const path = pathOf(operation)
    const name = side.names.operations[path] ?? path
    const group = groupOf(operation)
    const holder = group === undefined ? side.names.class : side.names.groups[group]
    return {
      subject: { kind: 'operation', name: path },
      words: path,
      directions: ['received'],
      names: [
        { name },
        ...(holder === undefined ? [] : [{ name: holder, member: methodName(operation) }]),
      ],
      ...present({ before: before?.origin, after: after?.origin }),
    }
  }

  /** Operations that are called otherwise now, and are the same on the wire. */
  private sameOnTheWire(
    gone: readonly Operation[],
    come: readonly Operation[],
  ): Map<Operation, Operation> {
    const { identity } = this.before.wire
    if (identity === undefined) return new Map()
    const candidates = alone(come, identity)
    return new Map(
      [...alone(gone, identity)].flatMap(([key, operation]) => {
        const other = candidates.get(key)
        return other === undefined ? [] : [[operation, other] as const]
      }),
    )
  }

  private gone(operation: Operation, candidate: Operation | undefined): OperationDraft {
    const path = pathOf(operation)
    const effect = {
      calls: breaks('every call of it fails'),
      code: breaks('code that calls it does not compile'),
    }
    const probably = candidate === undefined ? undefined : pathOf(candidate)
    const whole = this.at(operation, undefined)
    const [, ...exported] = operationExports(whole.names[0]?.name ?? '')
    const at = { ...whole, names: [...whole.names, ...exported.map((name) => ({ name }))] }
    return {
      operation: path,
      draft: draft(at, 'gone', `${path} is gone`, [effect], { probably }),
    }
  }

  private come(operation: Operation): OperationDraft {
    const path = pathOf(operation)
    const effect = { calls: fine('nobody calls it yet'), code: fine('nobody calls it yet') }
    const at = { ...this.at(undefined, operation), names: [] }
    return { operation: path, draft: draft(at, 'new', `${path} is new`, [effect]) }
  }

  /** Of operations that are gone, those that one new one alone takes and answers the same as. */
  private probablyRenamed(
    gone: readonly Operation[],
    come: readonly Operation[],
  ): Map<Operation, Operation> {
    const twins = alone(gone, (each) => this.signature(this.before, each))
    const candidates = alone(come, (each) => this.signature(this.after, each))
    return new Map(
      [...twins].flatMap(([signature, operation]) => {
        const candidate = candidates.get(signature)
        return candidate === undefined ? [] : [[operation, candidate] as const]
      }),
    )
  }

  private signature({ contract }: Side, { inputs, outcome, path }: Operation): string {
    const ofField = ({ name, optional, type }: Field): string =>
      `${name}${optional ? '?' : ''}: ${typeText(contract, type)}`
    const answers = fieldsOfOutcome(outcome).map(ofField)
    return JSON.stringify([path.slice(0, -1), inputs.map(ofField), outcome.kind, answers])
  }

  /** Everything that differs of an operation that both contracts have. */
  private pair(was: Operation, is: Operation): Draft[] {
    const at = this.at(was, is)
    return [
      ...this.renaming(was, is, at),
      ...this.inputs(was, is, at),
      ...this.outcome(was, is, at),
      ...this.faults(was, is, at),
      ...this.wire(was, is, at),
      ...this.login(was, is, at),
      ...said(was, is, at),
    ]
  }

  private renaming(was: Operation, is: Operation, at: At): Draft[] {
    if (pathOf(was) !== pathOf(is)) return [renamedInCode(was, is, at)]
    if (is.calledNow === undefined || is.calledNow === was.calledNow) return []
    const text = `${at.words} is called ${is.calledNow} in the metadata now; the client goes on with its name`
    const effect = { calls: fine('on the wire it is the same'), code: fine('its name is kept') }
    return [draft(at, 'renamed', text, [effect], { was: at.words, is: is.calledNow })]
  }

  private inputs(was: Operation, is: Operation, at: At): Draft[] {
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

  private outcome(was: Operation, is: Operation, at: At): Draft[] {
    const place: At = { ...at, words: `what ${at.words} returns`, directions: ['received'] }
    const [old, now] = [was.outcome, is.outcome]
    if (old.kind !== now.kind || howItComes(was) !== howItComes(is))
      return [this.otherOutcome(was, is, place)]
    const headers = (operation: Operation): readonly Field[] =>
      operation.outcome.kind === 'record' ? [] : (operation.outcome.headers ?? [])
    return [
      ...(old.kind === 'value' && now.kind === 'value'
        ? this.records.field(old.field, now.field, place)
        : []),
      ...(old.kind === 'record' && now.kind === 'record'
        ? this.records.compare(
            { kind: 'record', fields: old.fields },
            { kind: 'record', fields: now.fields },
            {
              ...place,
              names: [{ name: operationExports(at.names[0]?.name ?? '')[2] }],
            },
          )
        : []),
      ...this.headers(headers(was), headers(is), at),
    ]
  }

  private headers(was: readonly Field[], is: readonly Field[], at: At): Draft[] {
    const place = {
      ...at,
      words: `the answer headers of ${at.words}`,
      directions: ['received'] as const,
      names: [{ name: operationExports(at.names[0]?.name ?? '')[5] }],
    }
    return this.records
      .compare({ kind: 'record', fields: was }, { kind: 'record', fields: is }, place)
      .map((made) =>
        made.calls.verdict === 'break'
          ? { ...made, calls: mayBreak(`${made.calls.because}, where they ask for headers`) }
          : made,
      )
  }

  private otherOutcome(was: Operation, is: Operation, place: At): Draft {
    const text = (operation: Operation, side: Side): string =>
      outcomeText(operation, (field) => typeText(side.contract, field.type))
    const [old, now] = [text(was, this.before), text(is, this.after)]
    const isMore = was.outcome.kind === 'nothing'
    const isStill = this.isStillThere(was, is, place)
    return draft(
      place,
      'type',
      `${place.words} was ${old}, is ${now}`,
      [
        {
          calls: isMore ? mayBreak('running clients expect no answer') : stillOrNot(isStill),
          code: isMore
            ? fine('nobody looks at what there was not')
            : breaks('code that uses the answer does not compile'),
        },
      ],
      { was: old, is: now },
    )
  }

  /** Is what was answered still answered, though alone or among others? */
  private isStillThere(was: Operation, is: Operation, place: At): boolean {
    const isOne = [was, is].every(({ outcome }) => /^(?:value|record)$/.test(outcome.kind))
    if (!isOne || [was, is].some((each) => /pages|stream/.test(howItComes(each)))) return false
    const [old, now] = [was, is].map(({ outcome }) => ({
      kind: 'record' as const,
      fields: fieldsOfOutcome(outcome),
    })) as [RecordType, RecordType]
    return this.records.compare(old, now, place).every(({ calls }) => calls.verdict === 'fine')
  }

  private faults(was: Operation, is: Operation, at: At): Draft[] {
    const [old, now] = [was, is].map(
      ({ faults }) => new Map(faults.map((fault) => [fault.name, fault])),
    ) as [Map<string, Operation['faults'][number]>, Map<string, Operation['faults'][number]>]
    const drafts: Draft[] = []
    for (const [name, fault] of old) {
      const other = now.get(name)
      const place: At = {
        ...at,
        words: `the fault ${name} of ${at.words}`,
        names: faultNames(at),
        before: fault.origin,
        ...present({ after: other?.origin }),
      }
      if (other !== undefined) addAll(drafts, this.types.compare(fault.type, other.type, place))
      else
        drafts.push(
          draft(place, 'gone', `${place.words} is gone`, [
            {
              calls: fine('a fault that does not come hurts nobody'),
              code: breaks('code that asks for it does not compile'),
            },
          ]),
        )
    }
    for (const [name, fault] of now)
      if (!old.has(name))
        drafts.push(
          draft({ ...at, after: fault.origin }, 'new', `${at.words} has a new fault, ${name}`, [
            {
              calls: fine('running clients report it as a fault that is not declared'),
              code: fine('nobody has to ask for it'),
            },
          ]),
        )
    return drafts
  }

  /** What the dialect says of the operation at the endpoints that both contracts have. */
  private wire(was: Operation, is: Operation, at: At): Draft[] {
    const offering = endpointsOffering(this.after.contract, is)
    const told = new Map<string, Draft>()
    for (const endpoint of endpointsOffering(this.before.contract, was)) {
      const other = offering.find(({ name }) => name === endpoint.name) ?? offering[0]
      if (other === undefined) continue
      const facts = compareFacts(
        at,
        this.before.wire.operation(was, endpoint),
        this.after.wire.operation(is, other),
      )
      for (const each of facts) told.set(each.text, each)
    }
    return [...told.values(), ...this.offers(was, is, at)]
  }

  private offers(was: Operation, is: Operation, at: At): Draft[] {
    const still = new Set(endpointsOffering(this.after.contract, is).map(({ name }) => name))
    const there = new Set(
      this.after.contract.services.flatMap(({ endpoints }) => endpoints.map(({ name }) => name)),
    )
    return endpointsOffering(this.before.contract, was)
      .filter(({ name }) => there.has(name) && !still.has(name))
      .map(({ name }) =>
        draft(at, 'wire', `${at.words} is not offered at ${name} any more`, [
          { calls: mayBreak('who calls it there is refused'), code: nothingInCode },
        ]),
      )
  }

  private login(was: Operation, is: Operation, at: At): Draft[] {
    const [old, now] = [waysIn(was), waysIn(is)]
    if (old.join() === now.join()) return []
    const left = old.filter((way) => now.includes(way) || now.includes(open))
    const reason = 'running clients prove who they are as before'
    const some = left.length === 0 ? breaks(reason) : mayBreak(reason)
    const calls =
      left.length === old.length ? fine('every way to prove who calls is still there') : some
    const text = `${at.words} wanted ${old.join(', or ')}, and wants ${now.join(', or ')}`
    return [
      draft(at, 'login', text, [{ calls, code: nothingInCode }], {
        was: old.join(' or '),
        is: now.join(' or '),
      }),
    ]
  }
}

/** It is called otherwise, and the client calls it so. */
function renamedInCode(was: Operation, is: Operation, at: At): Draft {
  const [old, now] = [pathOf(was), pathOf(is)]
  const [, ...exported] = operationExports(at.names[0]?.name ?? '')
  const effect = {
    calls: fine('on the wire it is the same'),
    code: breaks('code that calls it by its old name does not compile'),
  }
  const names = [...at.names, ...exported.map((name) => ({ name }))]
  return draft({ ...at, names }, 'renamed', `${old} is called ${now} now`, [effect], {
    was: old,
    is: now,
  })
}

/** The type of an operation's faults, and what tells them. */
function faultNames(at: At): At['names'] {
  const [, , , type, guard] = operationExports(at.names[0]?.name ?? '')
  return [{ name: type }, { name: guard }]
}

/** What an operation is on the wire; names of parameters in its address are no part of that. */
export function identityOf(operation: Operation): string {
  return operation.key?.replace(/\{[^}]*\}/g, '{}') ?? pathOf(operation)
}

const open = 'no login'

/** The ways in which an operation lets somebody in, each in words. */
function waysIn({ security = [] }: Operation): string[] {
  return security.length === 0
    ? [open]
    : security.map((names) => [...names].sort().join(' with ') || open)
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

function placeText({ place }: InputField): string {
  return place === 'messageHeader' ? 'a header of the message' : `the ${place}`
}

/** Whether an answer comes at once, in pages, or one by one. */
function howItComes({ outcome }: Operation): string {
  if (outcome.kind !== 'value') return outcome.kind
  if (outcome.stream === true) return 'stream'
  return outcome.iterable === true ? 'pages' : 'value'
}

function stillOrNot(isStill: boolean): Effect['calls'] {
  return isStill
    ? fine('what there was is still among what comes')
    : breaks('running clients expect the answer that there was')
}

function outcomeText(operation: Operation, text: (field: Field) => string): string {
  const { outcome } = operation
  if (outcome.kind === 'nothing') return 'nothing'
  if (outcome.kind === 'record')
    return `{ ${outcome.fields.map((field) => `${field.name}: ${text(field)}`).join(', ')} }`
  const how = howItComes(operation)
  return how === 'value' ? text(outcome.field) : `${text(outcome.field)} (${how})`
}

function said(was: Operation, is: Operation, at: At): Draft[] {
  const effect: Effect = {
    calls: fine('nothing changes but words'),
    code: fine('nothing changes but words'),
  }
  return [
    ...(was.deprecated === true || is.deprecated !== true
      ? []
      : [draft(at, 'deprecated', `${at.words} is deprecated now`, [effect])]),
    ...(was.documentation === is.documentation
      ? []
      : [
          draft(at, 'words', `${at.words}: what is said of it has changed`, [effect], {
            quiet: true,
          }),
        ]),
  ]
}
