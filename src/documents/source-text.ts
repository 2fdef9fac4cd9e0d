import type { Origin, PlaceInDocument } from '../contract/contract.js'
import { originAt } from '../contract/origin.js'

/** A document's text while it is read: what says where in it something stands. */
export class SourceText {
  readonly label: string
  readonly text: string
  private readonly index: number
  /** The text that was written, where another one is read that is like it line for line. */
  private readonly written: SourceText | undefined
  /** The label of the document that what stands here belongs to; its own where it is no overlay. */
  readonly home: string
  private lineStarts: Uint32Array | undefined

  /**
   * @param text the document's text; offsets count UTF-16 units in it
   * @param index the document's place among those of its contract
   */
  constructor(label: string, text: string, index = 0, written?: SourceText, home = label) {
    this.label = label
    this.text = text
    this.index = index
    this.written = written
    this.home = home
  }

  /** A text that was mended so that it can be read: line for line this one. */
  mended(text: string): SourceText {
    return new SourceText(this.label, text, this.index, this, this.home)
  }

  /** This text, where what stands in it is put into another document. */
  putInto(home: string): SourceText {
    return new SourceText(this.label, this.text, this.index, this.written, home)
  }

  originAt(offset: number): Origin {
    if (this.written === undefined) return originAt(this.index, offset)
    const { line, column } = this.placeAt(offset)
    const end = this.written.starts[line] ?? this.written.text.length
    const start = this.written.starts[line - 1] ?? end
    return originAt(this.index, Math.min(start + column - 1, end))
  }

  placeAt(offset: number): PlaceInDocument {
    const { starts } = this
    let [low, high] = [0, starts.length - 1]
    while (low < high) {
      const middle = (low + high + 1) >> 1
      if ((starts[middle] ?? 0) <= offset) low = middle
      else high = middle - 1
    }
    return { document: this.label, line: low + 1, column: offset - (starts[low] ?? 0) + 1 }
  }

  private get starts(): Uint32Array {
    return (this.lineStarts ??= startsOfLines(this.text))
  }
}

function startsOfLines(text: string): Uint32Array {
  const starts: number[] = [0]
  for (let at = text.indexOf('\n'); at !== -1; at = text.indexOf('\n', at + 1)) starts.push(at + 1)
  return Uint32Array.from(starts)
}
