import type { NamedType, TypeId } from '../../contract/contract.js'
import { isIdentifier, pascalCase } from '../../naming/identifiers.js'
import { builtinTypes } from './builtin-types.js'

/**
 * Readable names for types whose names servers work out: those of generic types, with their
 * arguments and a hash of where these come from (`PageOfShipq4z7XyzP`), and those of items without
 * a name inside of lists (`ArrayOfKeyValueOfstringintKeyValueOfstringint`).
 */

/** Eight characters that a hash may end in; `/` and `+` of base64 are written `_S` and `_P`. */
const hash = /(?:_[PS]|[A-Za-z0-9]){8}$/

/**
 * The types with readable names. Where two would get the same one, both keep theirs.
 *
 * @param types by their ids
 */
export function withReadableNames(
  types: Readonly<Record<TypeId, NamedType>>,
): Record<TypeId, NamedType> {
  const known = new Set(Object.values(types).map(({ name }) => name))
  for (const name of Object.keys(builtinTypes)) known.add(name)
  const wanted = new Map<TypeId, string>()
  const counts = new Map<string, number>()
  for (const type of Object.values(types)) {
    const name = readableName(itemName(type, types) ?? type.name, known)
    wanted.set(type.id, name)
    const key = name.toLowerCase()
    counts.set(key, (counts.get(key) ?? 0) + 1)
  }
  return Object.fromEntries(
    Object.entries(types).map(([id, type]) => {
      const name = wanted.get(id) ?? type.name
      return [id, counts.get(name.toLowerCase()) === 1 ? { ...type, name } : type]
    }),
  )
}

/** The own name of an item without a type's name, where what it is inside of is only a list. */
function itemName(
  { id }: NamedType,
  types: Readonly<Record<TypeId, NamedType>>,
): string | undefined {
  const slash = id.lastIndexOf('/')
  const list = Object.hasOwn(types, id.slice(0, slash)) ? types[id.slice(0, slash)] : undefined
  return list?.kind === 'list' ? id.slice(slash + 1) : undefined
}

/** A name without its hash and escapes, and with its arguments as words. */
function readableName(written: string, known: ReadonlySet<string>): string {
  // Characters that names of XML can't have are escaped by some (`_x0020_`).
  const name = /_x[0-9A-Fa-f]{4}_/.test(written) ? pascalCase(written) : written
  const end = hash.exec(name)
  // A word of eight letters is none that was worked out.
  const isHash = end !== null && /[\d_]|[a-z][A-Z]/.test(end[0])
  const bare = isHash ? wordsOfGeneric(name.slice(0, end.index), known) : undefined
  return (bare ?? wordsOfGeneric(name, known) ?? [name]).join('')
}

/**
 * A member's name without escapes of characters that names of XML can't have: `Berth_x0020_No` as
 * `BerthNo`. Where that is no name in code it stays as it is.
 */
export function readableMember(written: string): string {
  if (!/_x[0-9A-Fa-f]{4}_/.test(written)) return written
  const decoded = written.replace(/_x([0-9A-Fa-f]{4})_/g, (_, code: string) =>
    String.fromCharCode(parseInt(code, 16)),
  )
  const [first = '', ...others] = decoded.split(/[^\p{ID_Continue}$]+/u)
  const name = first + others.map((word) => word.replace(/^./u, (it) => it.toUpperCase())).join('')
  return isIdentifier(name) ? name : written
}

/** Names beyond this are nobody's words. */
const longest = 200

/**
 * `KeyValueOfstringShip` as `KeyValueOf`, `String` and `Ship`, where all behind the first `Of` are
 * names of types, or generic ones themselves.
 */
function wordsOfGeneric(name: string, known: ReadonlySet<string>): string[] | undefined {
  if (name.length > longest) return undefined
  const behindOf = [...name.matchAll(/Of(?=.)/g)].map(({ index }) => index + 2)
  /** From each place on: the words to the end, where there are such. */
  const words = new Map<number, string[]>([[name.length, []]])
  for (let at = name.length - 1; at >= 0; at -= 1) {
    const ends = Array.from({ length: name.length - at }, (_, back) => name.length - back)
    const end =
      (at === 0
        ? undefined
        : ends.find((each) => words.has(each) && known.has(name.slice(at, each)))) ??
      behindOf.find((each) => each > at + 2 && words.has(each))
    const rest = end === undefined ? undefined : words.get(end)
    if (end === undefined || rest === undefined) continue
    const word = name.slice(at, end)
    words.set(at, [at === 0 ? word : `${word.charAt(0).toUpperCase()}${word.slice(1)}`, ...rest])
  }
  const all = words.get(0)
  return all !== undefined && all.length > 1 && all[0]?.endsWith('Of') === true ? all : undefined
}
