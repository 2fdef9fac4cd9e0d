/** A step of a path that leads up or nowhere, in any of its spellings (WHATWG URL, section 4.1). */
const dotStep = /^(?:\.|%2e){1,2}$/i

/**
 * Has a path a step `.` or `..`? A parser of addresses takes it away, with what stands before it:
 * another resource would be called.
 */
export function climbs(path: string): boolean {
  const [steps = ''] = path.split(/[?#]/)
  return steps.split(/[/\\]/).some((step) => dotStep.test(step))
}

/**
 * An address as it goes over the wire: written as the platform's parser writes it, without a
 * fragment. What is shown, observed and printed is this.
 *
 * @returns the address as it is, where it is none that can be parsed
 */
export function wireAddress(address: string): string {
  try {
    const url = new URL(address)
    url.hash = ''
    return url.href
  } catch {
    return address
  }
}
