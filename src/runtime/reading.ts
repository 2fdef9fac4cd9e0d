import { ContractBreach } from './failures.js'
import { joinBytes } from './plain.js'

/**
 * Reads an answer's body.
 *
 * @param most so many bytes at most, as they are unpacked
 * @param read gets them as they come, for whoever wants them when the answer breaks off
 * @throws ContractBreach when there are more
 */
export async function readUpTo(
  answer: globalThis.Response,
  most: number,
  read: Uint8Array[] = [],
): Promise<Uint8Array> {
  const tooLarge = (): ContractBreach =>
    new ContractBreach(
      '',
      `an answer of at most ${String(most)} bytes (mostBytes in the settings)`,
      'a larger one',
    )
  // A transport may read faster than its stream does.
  const pieces =
    (answer as { readonly pieces?: AsyncIterable<Uint8Array> }).pieces ?? piecesOf(answer)
  let size = 0
  for await (const piece of pieces) {
    size += piece.length
    if (size > most) throw tooLarge()
    read.push(piece)
  }
  return joinBytes(read)
}

async function* piecesOf({
  body,
}: globalThis.Response): AsyncGenerator<Uint8Array, void, undefined> {
  const reader = body?.getReader()
  if (reader === undefined) return
  try {
    for (let step = await reader.read(); !step.done; step = await reader.read())
      yield step.value as Uint8Array
  } finally {
    // Where there is more than is wanted, the rest is not fetched.
    reader.cancel().catch(() => undefined)
  }
}

/**
 * Leaves an answer that nobody needs: read where it is short, so that its connection serves again,
 * else broken off.
 */
export async function discard(answer: globalThis.Response): Promise<void> {
  await readUpTo(answer, 65_536).catch(() => undefined)
}
