import type { Field, Operation } from '../contract/contract.js'
import { addAll, alone } from '../contract/lists.js'
import { present } from '../contract/present.js'
import { endpointsOffering, fieldsOfOutcome, operationsOf, pathOf } from '../contract/queries.js'
import { typeText } from '../contract/type-text.js'
import { groupOf } from '../contract/choice.js'
import { methodName } from '../naming/methods.js'
import { operationExports } from '../naming/names.js'
import { breaks, fine, mayBreak, type Effect } from './change.js'
import { compareFacts, draft, type At, type Draft } from './drafts.js'
import { incomingDrafts } from './incoming.js'
import { InputComparer } from './inputs.js'
import { OutcomeComparer } from './outcomes.js'
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
  private readonly inputs: InputComparer
  private readonly outcomes: OutcomeComparer
  private readonly before: Side
  private readonly after: Side

  constructor(types: TypeComparer) {
    this.types = types
    this.inputs = new InputComparer(types)
    this.outcomes = new OutcomeComparer(types)
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
      ...this.inputs.compare(was, is, at),
      ...this.outcomes.compare(was, is, at),
      ...this.faults(was, is, at),
      ...incomingDrafts(this.types, was.incoming, is.incoming, at),
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
