/** Bodies of several parts (MIME multipart, RFC 2046, section 5.1). */

/** A part: its headers by name in lower case, and its content as it stands there. */
export interface Part {
  readonly headers: Readonly<Record<string, string>>
  readonly content: Uint8Array
}

/** A parameter of a header (RFC 2045, section 5.1). */
export function parameterOf(header: string, name: string): string | undefined {
  const [, quoted, plain] =
    new RegExp(`;\\s*${name}\\s*=\\s*(?:"([^"]*)"|([^;\\s]*))`, 'i').exec(header) ?? []
  return quoted ?? plain
}

/** The parts between the lines of a boundary. */
export function splitParts(body: Uint8Array, boundary: string): Part[] {
  const mark = new TextEncoder().encode(`--${boundary}`)
  const marks: number[] = []
  for (let at = indexOf(body, mark, 0); at !== -1; at = indexOf(body, mark, at + mark.length))
    if (at === 0 || body[at - 1] === 10) marks.push(at)
  return marks.slice(0, -1).flatMap((at, index) => {
    // What ends the line before the next boundary belongs to that; so does what stands behind the
    // boundary itself.
    const part = body.subarray(
      indexOf(body, new Uint8Array([10]), at + mark.length) + 1,
      (marks[index + 1] ?? body.length) - 1,
    )
    const split = headAndRest(part.at(-1) === 13 ? part.subarray(0, -1) : part)
    return split === undefined ? [] : [split]
  })
}

/**
 * Header lines, and what follows the empty line behind them; undefined when there is no such line.
 */
export function headAndRest(part: Uint8Array): Part | undefined {
  const [gap, size] = headEnd(part)
  if (gap === -1) return undefined
  const lines = new TextDecoder()
    .decode(part.subarray(0, gap))
    .replace(/\r?\n[ \t]+/g, ' ')
    .split(/\r?\n/)
  const headers: Record<string, string> = {}
  for (const line of lines) {
    const [, name, value = ''] = /^([^:\s]+):\s*(.*?)\s*$/.exec(line) ?? []
    if (name !== undefined) headers[name.toLowerCase()] = value
  }
  return { headers, content: part.subarray(gap + size) }
}

/**
 * Where the headers of a part end, and how long the empty line is. A part may begin with it: then
 * it has no headers.
 */
function headEnd(part: Uint8Array): [at: number, size: number] {
  if (part[0] === 10) return [0, 1]
  if (part[0] === 13 && part[1] === 10) return [0, 2]
  const at = indexOf(part, new Uint8Array([13, 10, 13, 10]), 0)
  return at === -1 ? [indexOf(part, new Uint8Array([10, 10]), 0), 2] : [at, 4]
}

function indexOf(body: Uint8Array, wanted: Uint8Array, from: number): number {
  const [first = 0] = wanted
  for (let at = body.indexOf(first, from); at !== -1; at = body.indexOf(first, at + 1)) {
    let matched = 1
    while (matched < wanted.length && body[at + matched] === wanted[matched]) matched += 1
    if (matched === wanted.length) return at
  }
  return -1
}
