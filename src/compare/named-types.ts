import type { Contract, NamedType, TypeId } from '../contract/contract.js'
import { alone } from '../contract/lists.js'
import { present } from '../contract/present.js'
import {
  directSubtypes,
  kindOf,
  namedType,
  operationsOf,
  pathOf,
  someType,
} from '../contract/queries.js'
import { scalarTypes } from '../naming/scalar-types.js'
import { typeText } from '../contract/type-text.js'
import {
  breaks,
  fine,
  mayBreak,
  together,
  type Change,
  type Direction,
  type Effect,
} from './change.js'
import { draft, each, settled, type At, type Draft } from './drafts.js'
import { shapeOf } from './fit.js'
import { bitsIn, Reach } from './reach.js'
import type { Side, Sides } from './side.js'
import type { TypeComparer } from './types.js'

/** What differs of the types that have a name, each told once with the operations that it reaches. */
export function typeChanges(sides: Sides, types: TypeComparer): Change[] {
  const { before, after } = sides
  const reach = { before: new Reach(before.contract), after: new Reach(after.contract) }
  const paths = {
    before: operationsOf(before.contract).map(pathOf),
    after: operationsOf(after.contract).map(pathOf),
  }
  const old = Object.keys(before.contract.types)
  const has = after.contract.types
  const found = new Merged()
  const reached = (id: TypeId, ways: readonly Direction[]): string[] =>
    bitsIn(reach.before.operations(id, ways), paths.before)
  const candidates = renamedTypes(sides)
  const renamed = new Set(candidates.values())
  for (const id of old) {
    const at = typeAt(sides, id, reach)
    const drafts = Object.hasOwn(has, id)
      ? [...types.named(id, at), ...kindChanges(sides, id, at), ...wordChanges(sides, id, at)]
      : goneType(sides, id, at, candidates.get(id))
    for (const each of drafts)
      found.add(
        settled(each, reached(id, ['sent', 'received']), (ways) => reached(id, ways)),
        kindId(before.contract, id),
      )
  }
  for (const id of Object.keys(has))
    if (!Object.hasOwn(before.contract.types, id) && !renamed.has(id))
      found.add(
        settled(
          newType(sides, id, typeAt(sides, id, reach)),
          bitsIn(reach.after.operations(id, ['sent', 'received']), paths.after),
          () => [],
        ),
        id,
      )
  return found.changes()
}

/** Shapes for sending are no types of their own to whoever reads what has changed. */
function kindId(contract: Contract, id: TypeId): TypeId {
  const type = namedType(contract, id)
  return type.kind === 'record' ? kindOf(contract, type).id : id
}

/** Changes of which one that is found in several shapes of a type is told once. */
class Merged {
  private readonly found = new Map<string, Change>()

  add(made: Change, id: TypeId): void {
    const { kind, subject, was = '', is = '', text } = made
    const what = kind === 'gone' ? '' : text.replace(subject.name, '')
    const key = JSON.stringify([kind, id, subject.part ?? '', was, is, what])
    const before = this.found.get(key)
    const merged = before === undefined ? made : withTwin(before, made)
    this.found.set(key, merged)
  }

  changes(): Change[] {
    return [...this.found.values()]
  }
}

function withTwin(before: Change, made: Change): Change {
  return {
    ...before,
    ...together(before, made),
    ...present({ travels: before.travels === made.travels ? made.travels : ('both' as const) }),
    operations: [...new Set([...before.operations, ...made.operations])],
    callers: [...new Set([...before.callers, ...made.callers])],
    names: [...before.names, ...made.names],
  }
}

function typeAt(
  { before, after }: Sides,
  id: TypeId,
  reach: { readonly before: Reach; readonly after: Reach },
): At {
  const [old, now] = [before, after].map(({ contract }) =>
    Object.hasOwn(contract.types, id) ? namedType(contract, id) : undefined,
  )
  const side = old === undefined ? after : before
  const type = (old ?? now) as NamedType
  const name = side.names.types[id] ?? type.name
  // Shapes for sending go by the name of what they are shapes of.
  const shown =
    type.kind === 'record' && type.variantOf !== undefined
      ? (side.names.types[type.variantOf] ?? name)
      : name
  return {
    subject: { kind: 'type', name: shown },
    words: shown,
    directions: old === undefined ? reach.after.directions(id) : reach.before.directions(id),
    names: [{ name }],
    ...present({ before: old?.origin, after: now?.origin }),
  }
}

/** Types that are gone, by ids, with the one new type that is made of the same. */
function renamedTypes({ before, after }: Sides): Map<TypeId, TypeId> {
  const gone = Object.keys(before.contract.types).filter(
    (id) => !Object.hasOwn(after.contract.types, id),
  )
  const come = Object.keys(after.contract.types).filter(
    (id) => !Object.hasOwn(before.contract.types, id),
  )
  const shapes = (contract: Contract, ids: readonly TypeId[]): Map<string, TypeId> =>
    alone(ids, (id) => shapeOf(contract, { kind: 'reference', to: id }))
  const now = shapes(after.contract, come)
  return new Map(
    [...shapes(before.contract, gone)].flatMap(([shape, id]) => {
      const other = now.get(shape)
      return other === undefined ? [] : [[id, other] as const]
    }),
  )
}

/** Names for texts with a meaning, which a client has as long as something is of that kind. */
export function aliasChanges({ before, after }: Sides): Change[] {
  const aliases = ({ contract }: Side): Set<string> => {
    const found = new Set<string>()
    someType(contract, (type) => {
      if (type.kind === 'scalar') found.add(scalarTypes[type.base])
      return false
    })
    return found
  }
  const now = aliases(after)
  return [...aliases(before)]
    .filter((name) => name.endsWith('Text') && !now.has(name))
    .map((name) => {
      const at: At = {
        subject: { kind: 'type', name },
        words: name,
        directions: [],
        names: [{ name }],
      }
      const effect = {
        calls: fine('it is only a name for a text'),
        code: breaks('code that imports it does not compile'),
      }
      const text = `${name} is gone: nothing in the contract is of that kind any more`
      return settled(draft(at, 'gone', text, [effect]), [], () => [])
    })
}

/** Lists have no name in the client. */
function goneType(sides: Sides, id: TypeId, at: At, candidate: TypeId | undefined): Draft[] {
  const { before, after } = sides
  if (namedType(before.contract, id).kind === 'list') return []
  const probably = candidate === undefined ? undefined : after.names.types[candidate]
  const [own] = at.names
  const isUnion = directSubtypes(before.contract).has(id) && own !== undefined
  return [
    draft(
      isUnion ? { ...at, names: [own, { name: `Any${own.name}` }] } : at,
      'gone',
      `the type ${at.words} is gone`,
      [
        {
          calls: fine('what it means to calls is told where it was used'),
          code: breaks('code that names it does not compile'),
        },
      ],
      { probably },
    ),
  ]
}

function newType({ after }: Sides, id: TypeId, at: At): Draft {
  const effect = { calls: fine('nobody uses it yet'), code: fine('nobody uses it yet') }
  return draft({ ...at, names: [] }, 'new', `the type ${at.words} is new`, [effect], {
    is: typeText(after.contract, namedType(after.contract, id)),
    quiet: true,
  })
}

/** Kinds that a record may be: those that extend it. */
function kindChanges({ before, after }: Sides, id: TypeId, place: At): Draft[] {
  const kinds = (side: Side): Set<TypeId> => new Set(directSubtypes(side.contract).get(id) ?? [])
  const [old, now] = [kinds(before), kinds(after)]
  // Where there are kinds, values are of the union of them.
  const [own] = place.names
  const at = { ...place, names: own === undefined ? [] : [own, { name: `Any${own.name}` }] }
  const nameOf = ({ names, contract }: Side, kind: TypeId): string =>
    names.types[kindId(contract, kind)] ?? namedType(contract, kind).name
  return [
    ...[...old]
      .filter((kind) => !now.has(kind))
      .map((kind) => {
        const name = nameOf(before, kind)
        return draft(
          at,
          'structure',
          `${at.words} has no kind ${name} any more`,
          each(at, (way) => ({
            calls:
              way === 'sent'
                ? mayBreak('who sends it is refused')
                : fine('it does not come any more'),
            code: breaks('code that asks for this kind does not compile'),
          })),
          { was: name },
        )
      }),
    ...[...now]
      .filter((kind) => !old.has(kind))
      .map((kind) => {
        const name = nameOf(after, kind)
        return draft(
          at,
          'structure',
          `${at.words} has a new kind, ${name}`,
          each(at, (way): Effect =>
            way === 'sent'
              ? { calls: fine('nobody has to send it'), code: fine('nobody has to send it') }
              : {
                  calls: mayBreak('running clients do not know it'),
                  code: mayBreak('code that covers all kinds stops compiling'),
                },
          ),
          { is: name },
        )
      }),
  ]
}

function wordChanges({ before, after }: Sides, id: TypeId, at: At): Draft[] {
  const [old, now] = [namedType(before.contract, id), namedType(after.contract, id)]
  if (old.documentation === now.documentation) return []
  const effect = {
    calls: fine('nothing changes but words'),
    code: fine('nothing changes but words'),
  }
  return [
    draft(at, 'words', `${at.words}: what is said of it has changed`, [effect], { quiet: true }),
  ]
}
