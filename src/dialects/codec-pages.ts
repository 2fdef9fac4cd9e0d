import { compareTexts } from '../contract/ordering.js'
import type { Contract, NamedType, TypeId } from '../contract/contract.js'
import { addTo } from '../contract/lists.js'
import type { Names } from '../naming/names.js'
import { typeParts } from '../naming/type-parts.js'

/** The module that a type's codec is on: codecs.ts, or in large clients one for each part. */
export function codecModule(contract: Contract, names: Names, id: TypeId): string {
  const part = typeParts(contract, names).get(id)
  return part === undefined ? 'codecs' : `codecs/${part}`
}

/** The pages of codecs, each with its types in the order of their codecs' names. */
export function codecPages(
  contract: Contract,
  names: Names,
): { readonly module: string; readonly types: readonly NamedType[] }[] {
  const name = (type: NamedType): string => names.codecs[type.id] ?? ''
  const types = Object.values(contract.types).sort((a, b) => compareTexts(name(a), name(b)))
  const pages = new Map<string, NamedType[]>()
  for (const type of types) addTo(pages, codecModule(contract, names, type.id), type)
  return [...pages].map(([module, own]) => ({ module, types: own }))
}
