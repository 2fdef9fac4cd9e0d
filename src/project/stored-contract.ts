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
  let rest: Omit<Contract, 'types'> | undefined
  try {
    await readCachedLines(name, (line) => {
      if (rest === undefined) rest = JSON.parse(line) as Omit<Contract, 'types'>
      else keepType(types, line)
    })
  } catch {
    return undefined
  }
  return rest === undefined ? undefined : { ...rest, types }
}

/** Puts a type into the table, to be read when somebody asks. */
function keepType(types: Record<TypeId, NamedType>, line: string): void {
  const end = line.indexOf('\t')
  if (!line.endsWith('}')) throw new SyntaxError('the line breaks off')
  const id = JSON.parse(line.slice(0, end)) as TypeId
  let written: string | undefined = line.slice(end + 1)
  let read: NamedType | undefined
  // A property that changed into a value would have the engine copy the table each time.
  Object.defineProperty(types, id, {
    enumerable: true,
    get() {
      read ??= JSON.parse(written ?? '') as NamedType
      written = undefined
      return read
    },
  })
}
