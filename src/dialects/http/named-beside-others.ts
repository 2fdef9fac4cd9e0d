import type { Field, NamedType, Type, TypeId } from '../../contract/contract.js'
import type { Notes } from '../notes.js'
import { typeLayout, type TypeLayout } from './layout.js'

type Types = Record<TypeId, NamedType>

/**
 * `additionalProperties` holds for whatever its own schema does not name, also for what another part
 * of the same object names (JSON Schema 2020-12, section 10.3.2.3). Where the two can't both be, the
 * name is what was meant, and stands apart, with a note; others that TypeScript could not tell from
 * it are anything.
 */
export function mendNamedBesideOthers(types: Types, notes: Notes): void {
  for (const [id, type] of Object.entries(types)) {
    if (type.kind !== 'intersection') continue
    let apart = false
    const parts = type.parts.map((part): Type => {
      const others = othersOf(types, part)
      const beside = type.parts.filter((each) => each !== part)
      const odd =
        others === undefined
          ? undefined
          : beside
              .flatMap((each) => namedIn(types, each))
              .find((field) => !isAlike(types, field, others))
      if (odd === undefined) return part
      notes.add(
        'approximated',
        'TM-2315',
        {
          what: `\`additionalProperties\` of ${type.name}`,
          as: 'the type of members that nothing names',
          reason: `its member ${odd.name} is of another one`,
        },
        part.origin,
      )
      apart = true
      return part.kind === 'map'
        ? { ...part, value: { kind: 'anything', origin: part.origin } }
        : part
    })
    if (!apart) continue
    const layout: TypeLayout = { ...typeLayout(type), apart }
    types[id] = { ...type, parts, layout }
  }
}

function settled(types: Types, type: Type): Type {
  let found = type
  for (let steps = 0; found.kind === 'reference' && steps < 100; steps += 1)
    found = types[found.to] ?? { kind: 'anything', origin: found.origin }
  return found
}

/** What the members are that a part does not name, where it says so. */
function othersOf(types: Types, part: Type): Type | undefined {
  const found = settled(types, part)
  const others = found.kind === 'record' ? found.rest : undefined
  const said = found.kind === 'map' ? found.value : others
  return said?.kind === 'anything' ? undefined : said
}

function namedIn(types: Types, part: Type, seen = new Set<Type>()): readonly Field[] {
  const found = settled(types, part)
  if (seen.has(found)) return []
  seen.add(found)
  if (found.kind === 'record') return found.fields
  const inside = found.kind === 'intersection' ? found.parts : undefined
  const all = found.kind === 'union' ? found.alternatives : inside
  return (all ?? []).flatMap((each) => namedIn(types, each, seen))
}

/** May a value of the field's type be one of the other's, as far as their kinds say? */
function isAlike(types: Types, field: Field, others: Type): boolean {
  const [a, b] = [settled(types, field.type), settled(types, others)]
  if ([a.kind, b.kind].some((kind) => kind === 'anything' || kind === 'union')) return true
  if (a.kind === 'scalar' && b.kind === 'scalar') return a.base === b.base
  return kindOf(a) === kindOf(b)
}

function kindOf({ kind }: Type): string {
  if (kind === 'record' || kind === 'map' || kind === 'intersection') return 'object'
  return kind === 'enumeration' || kind === 'literal' ? 'scalar' : kind
}
