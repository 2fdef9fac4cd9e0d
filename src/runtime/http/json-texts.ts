/**
 * JSON texts that follow each other in one body, with nothing or white space between them. Each is
 * given as soon as it is whole; what is broken is given as it is.
 */
export async function* jsonTextsOf(
  pieces: AsyncIterable<string>,
): AsyncGenerator<string, void, undefined> {
  const scanner = new Scanner()
  for await (const piece of pieces) yield* scanner.take(piece)
  const rest = scanner.rest()
  if (rest.trim() !== '') yield rest
}

class Scanner {
  private readonly held: string[] = []
  private depth = 0
  private isString = false
  private isEscaped = false

  /** The texts that are whole with this piece. */
  take(piece: string): string[] {
    const texts: string[] = []
    let start = 0
    for (let at = 0; at < piece.length; at += 1) {
      if (!this.step(piece.charAt(at))) continue
      this.held.push(piece.slice(start, at + 1))
      start = at + 1
      texts.push(this.rest())
    }
    this.held.push(piece.slice(start))
    return texts.filter((text) => text.trim() !== '')
  }

  /** What came of a text that is not whole yet. */
  rest(): string {
    return this.held.splice(0).join('')
  }

  /** Goes on by one character; does a text end with it? */
  private step(char: string): boolean {
    if (this.isString) {
      const ends = char === '"' && !this.isEscaped
      this.isEscaped = char === '\\' && !this.isEscaped
      this.isString = !ends
      return ends && this.depth === 0
    }
    if (char === '"') this.isString = true
    else if (char === '{' || char === '[') this.depth += 1
    else if (char === '}' || char === ']') return (this.depth -= 1) <= 0
    // Numbers and words end where white space begins.
    else return this.depth === 0 && /\s/.test(char)
    return false
  }
}
