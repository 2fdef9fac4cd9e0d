import type { Contract, NamedType, TypeId } from '../contract/contract.js'
import { readCachedLines, writeCached } from './cache.js'

/**
 * Contracts as they are kept in the cache: a table of types, a line of JSON each behind its id, and
 * the rest. Most commands need a few types out of thousands: each is read when it is asked for.
 */

/** Keeps a contract under a name that tells its contents apart. */
export async function writeContract(name: string, contract: Contract): Promise<void> {
  await writeCached(name, contractLines(contract))
}

function* contractLines({ types, ...rest }: Contract): Generator<string, void, undefined> {
  yield JSON.stringify(rest)
  for (const id of Object.keys(types)) yield `${JSON.stringify(id)}\t${JSON.stringify(types[id])}`
}

/** A contract that was kept; undefined where there is none, or it is not whole. */
export async function readContract(name: string): Promise<Contract | undefined> {
  const types: Record<TypeId, NamedType> = {}
  const once = new Shared()
  let rest: Omit<Contract, 'types'> | undefined
  try {
    await readCachedLines(name, (line) => {
      if (rest === undefined) rest = JSON.parse(line) as Omit<Contract, 'types'>
      else keepType(types, line, once)
    })
  } catch {
    return undefined
  }
  return rest === undefined ? undefined : { ...rest, types }
}

/** Puts a type into the table, to be read when somebody asks. */
function keepType(types: Record<TypeId, NamedType>, line: string, once: Shared): void {
  const end = line.indexOf('\t')
  if (!line.endsWith('}')) throw new SyntaxError('the line breaks off')
  const id = JSON.parse(line.slice(0, end)) as TypeId
  let written: string | undefined = line.slice(end + 1)
  let read: NamedType | undefined
  // A property that changed into a value would have the engine copy the table each time.
  Object.defineProperty(types, id, {
    enumerable: true,
    get() {
      read ??= once.of(JSON.parse(written ?? '') as NamedType)
      written = undefined
      return read
    },
  })
}

/**
 * Texts, and types that are nothing but a reference or a scalar, are there once however often they
 * are named: half of a contract's objects are such types.
 */
class Shared {
  private readonly texts = new Map<string, string>()
  private readonly types = new Map<string, object>()

  /** The same value, with what it shares with others in the place of its own. */
  of<T extends object>(value: T): T {
    const members = value as Record<string, unknown>
    for (const name of Object.keys(members)) {
      const member = members[name]
      if (typeof member === 'string') members[name] = this.text(member)
      else if (typeof member === 'object' && member !== null)
        members[name] = this.type(this.of(member))
    }
    return value
  }

  private text(text: string): string {
    const known = this.texts.get(text)
    if (known === undefined) this.texts.set(text, text)
    return known ?? text
  }

  private type(node: object): object {
    const key = keyOf(node)
    if (key === undefined) return node
    const known = this.types.get(key)
    if (known === undefined) this.types.set(key, node)
    return known ?? node
  }
}

/** What a type is that says nothing but a reference, or a scalar and its format. */
function keyOf(node: object): string | undefined {
  const { kind, to, base, format } = node as Readonly<Record<string, unknown>>
  const count = Object.keys(node).length
  if (kind === 'reference' && count === 2) return `> ${String(to)}`
  return kind === 'scalar' && count === 3 ? `${String(base)} ${String(format)}` : undefined
}
