import { present } from '../../contract/present.js'
import type { NamedType, Type, TypeId } from '../../contract/contract.js'
import { withoutName } from '../../contract/queries.js'
import type { Notes } from '../notes.js'

/**
 * Mends named types that reach themselves without an object between: as aliases TypeScript could
 * not write them down.
 *
 * - A list of itself becomes a union of one, which keeps its name.
 * - What is made of itself by `allOf`, `oneOf` or a reference alone says nothing there, and
 *   becomes any value, with a note.
 */
export function mendEndlessTypes(types: Record<TypeId, NamedType>, notes: Notes): void {
  for (const id of Object.keys(types)) breakCircle(id, types, notes)
  const reaches = (type: Type, goal: TypeId, seen: Set<TypeId>): boolean => {
    if (type.kind === 'list') return reaches(type.item, goal, seen)
    if (type.kind === 'union') return type.alternatives.some((each) => reaches(each, goal, seen))
    if (type.kind !== 'reference' || seen.has(type.to))
      return type.kind === 'reference' && type.to === goal
    seen.add(type.to)
    const next = types[type.to]
    return type.to === goal || (next !== undefined && reaches(next, goal, seen))
  }
  for (const [id, type] of Object.entries(types)) {
    if (type.kind !== 'list' || !reaches(type.item, id, new Set())) continue
    const { name } = type
    types[id] = {
      kind: 'union',
      alternatives: [withoutName(type)],
      id,
      name,
      origin: type.origin,
      ...present({ documentation: type.documentation }),
    }
  }
}

function breakCircle(start: TypeId, types: Record<TypeId, NamedType>, notes: Notes): void {
  const seen = new Set<TypeId>()
  const leadsBack = (type: Type): boolean => {
    if (type.kind === 'union') return type.alternatives.some(leadsBack)
    if (type.kind === 'intersection') return type.parts.some(leadsBack)
    if (type.kind !== 'reference') return false
    if (type.to === start) return true
    if (seen.has(type.to)) return false
    seen.add(type.to)
    const next = types[type.to]
    return next !== undefined && leadsBack(next)
  }
  const type = types[start]
  if (
    type === undefined ||
    (type.kind !== 'union' && type.kind !== 'intersection' && type.kind !== 'reference') ||
    !leadsBack(type)
  )
    return
  notes.add('approximated', 'TM-2313', { name: type.name }, type.origin)
  const without = (each: Type): Type => {
    seen.clear()
    return leadsBack(each) ? { kind: 'anything' } : each
  }
  const { id, name } = type
  const rest =
    type.kind === 'union' ? type.alternatives.filter((each) => without(each) === each) : []
  if (type.kind === 'union' && rest.length > 0) types[start] = { ...type, alternatives: rest }
  else if (type.kind === 'intersection') {
    const parts = type.parts.filter((each) => without(each) === each)
    types[start] =
      parts.length === 0 ? { kind: 'anything', id, name, origin: type.origin } : { ...type, parts }
  } else types[start] = { kind: 'anything', id, name, origin: type.origin }
}
