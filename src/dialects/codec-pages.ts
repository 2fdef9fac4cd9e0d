import type { Contract, NamedType, TypeId } from '../contract/contract.js'
import type { Names } from '../naming/names.js'

/**
 * So many codecs go on one page. Compilers take a time that grows with the square of a page's
 * constants, because each of them may have narrowed what comes after it: a client of thousands of
 * types has several pages.
 */
const most = 250

const kept = new WeakMap<
  Names,
  { readonly contract: Contract; readonly modules: ReadonlyMap<TypeId, string> }
>()

/**
 * The module that a type's codec is on: codecs.ts, or in large clients one of several, in the order
 * of the names.
 */
export function codecModule(contract: Contract, names: Names, id: TypeId): string {
  let known = kept.get(names)
  if (known?.contract !== contract)
    kept.set(
      names,
      (known = {
        contract,
        modules: new Map(
          codecPages(contract, names).flatMap(({ module, types }) =>
            types.map((type) => [type.id, module] as const),
          ),
        ),
      }),
    )
  return known.modules.get(id) ?? 'codecs'
}

/** The pages of codecs, each with its types in the order of their codecs' names. */
export function codecPages(
  contract: Contract,
  names: Names,
): { readonly module: string; readonly types: readonly NamedType[] }[] {
  const name = (type: NamedType): string => names.codecs[type.id] ?? ''
  const types = Object.values(contract.types).sort((a, b) => (name(a) < name(b) ? -1 : 1))
  if (types.length <= most) return types.length === 0 ? [] : [{ module: 'codecs', types }]
  return Array.from({ length: Math.ceil(types.length / most) }, (_, at) => ({
    module: `codecs/part${at + 1}`,
    types: types.slice(at * most, (at + 1) * most),
  }))
}
