import type { Choice, Field, RecordType, Type } from '../contract/contract.js'
import { addAll, alone } from '../contract/lists.js'
import { fieldsOf } from '../contract/queries.js'
import { typeText } from '../contract/type-text.js'
import { breaks, fine, mayBreak } from './change.js'
import { compareFacts, draft, each, inside, type At, type Draft } from './drafts.js'
import { goneEffect, newEffect, nullEffect, presenceEffect } from './effects.js'
import type { TypeComparer } from './types.js'

/** Compares records member by member: those of their own, where they extend the same. */
export class RecordComparer {
  private readonly types: TypeComparer

  constructor(types: TypeComparer) {
    this.types = types
  }

  compare(was: RecordType, is: RecordType, at: At): Draft[] {
    const { before, after } = this.types
    const [allBefore, allAfter] = [fieldsOf(before, was), fieldsOf(after, is)]
    const isSameBase = was.base?.to === is.base?.to && was.restricts === is.restricts
    const [own, ownAfter] = isSameBase ? [was.fields, is.fields] : [allBefore, allAfter]
    const [had, has] = [byName(allBefore), byName(allAfter)]
    const gone = own.filter(({ name }) => !has.has(name))
    const come = ownAfter.filter(({ name }) => !had.has(name))
    const kept = own.flatMap((field) => {
      const other = has.get(field.name)
      return other === undefined ? [] : [[field, other] as const]
    })
    return [
      ...this.goneMembers(gone, come, is.open === true, at),
      ...come.map((field) => this.newMember(field, at, choicesWith(is, field))),
      ...kept.flatMap(([field, other]) =>
        this.field(field, other, inside(at, field.name, field, other)),
      ),
      ...this.order(
        was,
        is,
        kept.map(([field]) => field.name),
        at,
      ),
      ...this.choices(was, is, new Set(kept.map(([{ name }]) => name)), at),
      ...this.nature(was, is, isSameBase, at),
    ]
  }

  /** Compares what is said of a field, and its type. */
  field(was: Field, is: Field, place: At): Draft[] {
    const { before, after } = this.types.sides
    return [
      ...presence(was, is, place),
      ...(was.nullable === is.nullable
        ? []
        : [
            draft(
              place,
              'null',
              `${place.words} ${is.nullable ? 'may be null' : 'is never null'} now`,
              each(place, (way) => nullEffect(is.nullable, way)),
            ),
          ]),
      ...this.types.compare(was.type, is.type, place),
      ...fixed(was, is, place),
      ...compareFacts(place, before.wire.member(was), after.wire.member(is)),
      ...words(was, is, place),
    ]
  }

  /** Members that are gone; of one that is new with the same shape it is told that it may be it. */
  goneMembers(gone: readonly Field[], come: readonly Field[], isOpen: boolean, at: At): Draft[] {
    const { before, after } = this.types
    const { wire } = this.types.sides.before
    const renamed = alone(come, (field) => typeText(after, field.type))
    const twins = alone(gone, (field) => typeText(before, field.type))
    return gone.map((field) => {
      const text = typeText(before, field.type)
      const candidate = twins.has(text) ? renamed.get(text) : undefined
      const probably =
        candidate !== undefined && this.types.isSameMember(field, candidate)
          ? candidate.name
          : undefined
      const place = inside(at, field.name, field)
      return draft(
        place,
        'gone',
        `${place.words} is gone`,
        each(place, (way) => goneEffect(field, isOpen, wire.isAlwaysThere(field), way)),
        { probably, was: text },
      )
    })
  }

  newMember(field: Field, at: At, choices: readonly Choice[] = []): Draft {
    const place = inside(at, field.name, undefined, field)
    const isChosen = choices.length > 0
    const isRequired = !field.optional
    const how = isRequired && at.directions.includes('sent') ? 'is new, and required' : 'is new'
    const text = typeText(this.types.after, field.type)
    return draft(
      { ...place, names: at.names },
      'new',
      `${place.words} ${how}: ${text}`,
      each(place, (way) => newEffect(isRequired, isChosen, way)),
      { is: text },
    )
  }

  /** Where order counts, what both have must have it in common. */
  private order(was: RecordType, is: RecordType, common: readonly string[], at: At): Draft[] {
    const { before, after } = this.types.sides
    if (!before.wire.isOrdered(was) || !after.wire.isOrdered(is)) return []
    const kept = new Set(common)
    const now = fieldsOf(this.types.after, is).filter(({ name }) => kept.has(name))
    if (common.every((name, index) => name === now[index]?.name)) return []
    const text = `${at.words}: its members come in another order`
    return [
      draft(at, 'wire', text, [
        { calls: breaks('the order counts on the wire'), code: fine('TypeScript has no order') },
      ]),
    ]
  }

  private choices(was: RecordType, is: RecordType, kept: ReadonlySet<string>, at: At): Draft[] {
    const [old, now] = [was, is].map(({ choices }) => choiceTexts(amongKept(choices, kept)))
    if (old === now) return []
    const text = `${at.words}: which members exclude each other has changed`
    return [
      draft(
        at,
        'structure',
        text,
        each(at, () => ({
          calls: mayBreak('what may stand beside what is another rule'),
          code: mayBreak('it is another union in TypeScript'),
        })),
        { was: old, is: now },
      ),
    ]
  }

  /** What a record is beyond its members: what it extends, whether others may be it, if it is open. */
  private nature(was: RecordType, is: RecordType, isSameBase: boolean, at: At): Draft[] {
    const drafts: Draft[] = []
    if (!isSameBase) drafts.push(this.base(was, is, at))
    if ((was.abstract === true) !== (is.abstract === true)) drafts.push(abstractness(is, at))
    if ((was.open === true) !== (is.open === true)) drafts.push(openness(is, at))
    const [old, now] = [was, is].map(({ keys = [] }) => keys.join(', '))
    if (old !== now && was.keys !== undefined)
      drafts.push(
        draft(at, 'structure', `${at.words}: its key was ${old ?? ''}, is ${now ?? ''}`, [
          {
            calls: fine('what operations ask for is told at them'),
            code: fine('what operations ask for is told at them'),
          },
        ]),
      )
    for (const [index, { type }] of (was.patterned ?? []).entries()) {
      const other = is.patterned?.[index]
      if (other !== undefined)
        addAll(drafts, this.types.compare(type, other.type, inside(at, '[name]')))
    }
    const patterns = [was, is].map(({ patterned = [] }) => patterned.map(({ pattern }) => pattern))
    if (JSON.stringify(patterns[0]) !== JSON.stringify(patterns[1])) drafts.push(otherPatterns(at))
    // What nobody says may be anything.
    if (was.open === true && is.open === true)
      addAll(
        drafts,
        this.types.compare(was.rest ?? anything, is.rest ?? anything, inside(at, '[name]')),
      )
    return drafts
  }

  private base(was: RecordType, is: RecordType, at: At): Draft {
    const name = (record: RecordType, isBefore: boolean): string =>
      record.base === undefined
        ? 'nothing'
        : typeText(isBefore ? this.types.before : this.types.after, record.base)
    const text = `${at.words} extended ${name(was, true)}, and extends ${name(is, false)}`
    return draft(at, 'structure', text, [
      {
        calls: mayBreak('where the kind is told on the wire, it is another one'),
        code: mayBreak('where the one stood for the other, it does not any more'),
      },
    ])
  }
}

const anything: Type = { kind: 'anything' }

function otherPatterns(at: At): Draft {
  const text = `${at.words}: by which patterns members are told has changed`
  return draft(at, 'structure', text, [
    {
      calls: mayBreak('other members are meant'),
      code: mayBreak('what such a member is, is another type'),
    },
  ])
}

function byName(fields: readonly Field[]): Map<string, Field> {
  return new Map(fields.map((field) => [field.name, field]))
}

function choicesWith({ choices = [] }: RecordType, { name }: Field): Choice[] {
  return choices.filter(({ alternatives }) =>
    alternatives.some(({ fields }) => fields.includes(name)),
  )
}

function presence(was: Field, is: Field, at: At): Draft[] {
  if (was.optional === is.optional) return []
  const text = `${at.words} ${is.optional ? 'may be left out now' : 'is required now'}`
  return [
    draft(
      at,
      'presence',
      text,
      each(at, (way) => presenceEffect(is.optional, way)),
    ),
  ]
}

function fixed(was: Field, is: Field, at: At): Draft[] {
  const drafts: Draft[] = []
  if (JSON.stringify(was.fixed) !== JSON.stringify(is.fixed)) {
    const text = `${at.words}: was ${fixedText(was)}, is ${fixedText(is)}`
    const isFreer = is.fixed === undefined
    drafts.push(
      draft(
        at,
        'limits',
        text,
        each(at, (way) => ({
          calls:
            (way === 'sent') === isFreer || (way === 'received' && was.fixed === undefined)
              ? fine('it is as it was allowed to be')
              : mayBreak('another value is meant'),
          code: fine('TypeScript does not know the value'),
        })),
      ),
    )
  }
  if (JSON.stringify(was.default) !== JSON.stringify(is.default))
    drafts.push(
      draft(
        at,
        'default',
        `${at.words}: the value when it is left out was ${plain(was.default)}, is ${plain(is.default)}`,
        [
          {
            calls: fine('the message is the same; what it means is not'),
            code: fine('TypeScript does not know it'),
          },
        ],
      ),
    )
  return drafts
}

function fixedText({ fixed: value }: Field): string {
  return value === undefined ? 'free' : `always ${plain(value)}`
}

function plain(value: unknown): string {
  return value === undefined ? 'not said' : JSON.stringify(value)
}

function words(was: Field, is: Field, at: At): Draft[] {
  const untouched = fine('nothing changes but words')
  const effect = [{ calls: untouched, code: untouched }]
  return [
    ...(was.deprecated === true || is.deprecated !== true
      ? []
      : [draft(at, 'deprecated', `${at.words} is deprecated now`, effect)]),
    ...(was.documentation === is.documentation
      ? []
      : [
          draft(at, 'words', `${at.words}: what is said of it has changed`, effect, {
            quiet: true,
          }),
        ]),
  ]
}

function abstractness(is: RecordType, at: At): Draft {
  const isAbstract = is.abstract === true
  const text = `${at.words} ${isAbstract ? 'is abstract now: only its kinds can be sent' : 'can be sent itself now'}`
  return draft(
    at,
    'structure',
    text,
    each(at, (way) =>
      (way === 'sent') === isAbstract
        ? {
            calls: mayBreak(isAbstract ? 'who sends it is refused' : 'it was not promised'),
            code: isAbstract
              ? breaks('it does not compile any more')
              : mayBreak('code that covers all kinds stops compiling'),
          }
        : { calls: fine('there is less to think of'), code: fine('there is less to think of') },
    ),
  )
}

function openness(is: RecordType, at: At): Draft {
  const isOpen = is.open === true
  const text = `${at.words} ${isOpen ? 'may have other members now' : 'has no other members any more'}`
  return draft(
    at,
    'structure',
    text,
    each(at, (way) => {
      if (isOpen)
        return {
          calls: fine('running clients hand on what they do not know'),
          code: fine('nobody has to look'),
        }
      return {
        calls: way === 'sent' ? mayBreak('other members are refused') : fine('fewer come'),
        code: mayBreak('code that uses other members does not compile'),
      }
    }),
  )
}

function choiceTexts(choices: readonly Choice[] = []): string {
  return choices
    .map(
      ({ alternatives, optional }) =>
        alternatives
          .map(({ fields, required }) => `${fields.join('+')}(${required.join('+')})`)
          .join(' or ') + (optional === true ? ' or none' : ''),
    )
    .join('; ')
}

/** Choices among members that both have: those that are gone or new are told by themselves. */
function amongKept(choices: readonly Choice[] = [], kept: ReadonlySet<string>): Choice[] {
  return choices.flatMap((choice) => {
    const alternatives = choice.alternatives
      .map(({ fields, required }) => ({
        fields: fields.filter((name) => kept.has(name)),
        required: required.filter((name) => kept.has(name)),
      }))
      .filter(({ fields }) => fields.length > 0)
    return alternatives.length === 0 ? [] : [{ ...choice, alternatives }]
  })
}
