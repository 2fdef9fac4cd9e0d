import type { Contract, Field, NamedType, Type, TypeId } from '../../contract/contract.js'
import { membersOf, resolve } from '../../contract/queries.js'
import type { Notes } from '../notes.js'
import { typeSpecifics, type TypeSpecifics } from './specifics.js'

/**
 * `additionalProperties` holds for whatever its own schema does not name, also for what another
 * part of the same object names (JSON Schema 2020-12, section 10.3.2.3). Where the two can't both
 * be, the name is what was meant, and stands apart, with a note; others that TypeScript could not
 * tell from it are anything.
 *
 * @returns the types that this changes
 */
export function namesBesideOthers(contract: Contract, notes: Notes): Record<TypeId, NamedType> {
  const mended: Record<TypeId, NamedType> = {}
  for (const [id, type] of Object.entries(contract.types)) {
    if (type.kind !== 'intersection') continue
    let apart = false
    const parts = type.parts.map((part): Type => {
      const others = othersOf(contract, part)
      if (others === undefined) return part
      const odd = type.parts
        .filter((each) => each !== part)
        .flatMap((each) => membersOf(contract, each))
        .find((field) => !isAlike(contract, field, others))
      if (odd === undefined) return part
      notes.add(
        'approximated',
        'TM-2315',
        {
          what: `\`additionalProperties\` of ${type.name}`,
          as: 'the type of members that nothing names',
          reason: `its member ${odd.name} is of another one`,
        },
        type.origin,
      )
      apart = true
      return part.kind === 'map' ? { ...part, value: { kind: 'anything' } } : part
    })
    if (!apart) continue
    const specifics: TypeSpecifics = { ...typeSpecifics(type), apart }
    mended[id] = { ...type, parts, specifics }
  }
  return mended
}

/** What the members are that a part does not name, where it says so. */
function othersOf(contract: Contract, part: Type): Type | undefined {
  const found = resolve(contract, part)
  const others = found.kind === 'record' ? found.rest : undefined
  const said = found.kind === 'map' ? found.value : others
  return said?.kind === 'anything' ? undefined : said
}

/** May a value of the field's type be one of the other's, as far as their kinds say? */
function isAlike(contract: Contract, field: Field, others: Type): boolean {
  const [a, b] = [resolve(contract, field.type), resolve(contract, others)]
  if ([a.kind, b.kind].some((kind) => kind === 'anything' || kind === 'union')) return true
  if (a.kind === 'scalar' && b.kind === 'scalar') return a.base === b.base
  return kindOf(a) === kindOf(b)
}

function kindOf({ kind }: Type): string {
  if (kind === 'record' || kind === 'map' || kind === 'intersection') return 'object'
  return kind === 'enumeration' || kind === 'literal' ? 'scalar' : kind
}
