/** Work that is done piece by piece, so that others get their turn between. */
export type Pieces<Result> = Generator<undefined, Result, undefined>

/** So many letters of a document are read at a stretch. */
export const pieceLength = 65_536

/** For so many milliseconds nobody else gets a turn. */
const stretch = 30

/** Does all pieces, one right after the other. */
export function atOnce<Result>(work: Pieces<Result>): Result {
  for (;;) {
    const step = work.next()
    if (step.done === true) return step.value
  }
}

/**
 * Does all pieces, and lets others have their turn now and then: a large answer does not hold up a
 * whole server.
 *
 * @param check is asked between; what it throws ends the work
 */
export async function byAndBy<Result>(
  work: Pieces<Result>,
  check: () => void = () => undefined,
): Promise<Result> {
  for (let since = performance.now(); ;) {
    const step = work.next()
    if (step.done === true) return step.value
    check()
    if (performance.now() - since < stretch) continue
    await new Promise((resolve) => setTimeout(resolve))
    since = performance.now()
  }
}
