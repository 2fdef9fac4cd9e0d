/** What happens when signals abort: each has one listener, however many calls wait for it. */
const waiting = /* @__PURE__ */ new WeakMap<AbortSignal, Set<() => void>>()

/** Calls `then` when a signal aborts. @returns what ends that */
export function whenAborted(signal: AbortSignal, then: () => void): () => void {
  let all = waiting.get(signal)
  if (all === undefined) {
    const made = new Set<() => void>()
    signal.addEventListener('abort', () => made.forEach((each) => each()))
    waiting.set(signal, (all = made))
  }
  const calls = all
  calls.add(then)
  return () => void calls.delete(then)
}
