import type { Field, Operation, RecordType } from '../contract/contract.js'
import { fieldsOfOutcome } from '../contract/queries.js'
import { typeText } from '../contract/type-text.js'
import { operationExports } from '../naming/names.js'
import { breaks, fine, mayBreak, type Effect } from './change.js'
import { draft, type At, type Draft } from './drafts.js'
import { RecordComparer } from './records.js'
import type { Side } from './side.js'
import type { TypeComparer } from './types.js'

/** Compares what two operations answer. */
export class OutcomeComparer {
  private readonly records: RecordComparer
  private readonly before: Side
  private readonly after: Side

  constructor(types: TypeComparer) {
    this.records = new RecordComparer(types)
    this.before = types.sides.before
    this.after = types.sides.after
  }

  compare(was: Operation, is: Operation, at: At): Draft[] {
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
}

/** Whether an answer comes at once, in pages, or one by one. */
function howItComes({ outcome }: Operation): string {
  if (outcome.kind !== 'value') return outcome.kind
  if (outcome.stream === true) return 'stream'
  return outcome.iterable === true ? 'pages' : 'value'
}

function outcomeText(operation: Operation, text: (field: Field) => string): string {
  const { outcome } = operation
  if (outcome.kind === 'nothing') return 'nothing'
  if (outcome.kind === 'record')
    return `{ ${outcome.fields.map((field) => `${field.name}: ${text(field)}`).join(', ')} }`
  const how = howItComes(operation)
  return how === 'value' ? text(outcome.field) : `${text(outcome.field)} (${how})`
}

function stillOrNot(isStill: boolean): Effect['calls'] {
  return isStill
    ? fine('what there was is still among what comes')
    : breaks('running clients expect the answer that there was')
}
