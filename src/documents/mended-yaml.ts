import { parseDocument, type Document, type ParsedNode } from 'yaml'

/** A document of YAML as it was read, and what had to be mended before it could be. */
export interface MendedYaml {
  readonly document: Document.Parsed<ParsedNode>
  /** The text that was read, line for line that of the document. */
  readonly text: string
  readonly repair?: { readonly what: string; readonly offset: number }
}

/** So many texts in quotes are mended, each with another reading of the whole. */
const mostQuotes = 20

/**
 * Reads YAML 1.2, and what other parsers take besides, where it can mean one thing only: lines that
 * are blank but for tabs, and lines of a text in quotes that are indented less than what is around
 * them (YAML 1.2.2, sections 5.5 and 7.3: neither kind of blanks is content). Where that does not
 * help the document is what it is, with its errors.
 */
export function mendedYaml(text: string): MendedYaml {
  const document = read(text)
  const [broken] = document.errors
  if (broken === undefined) return { document, text }
  // A line of blanks stays as long as it is: places keep their columns.
  let mended = withoutBlankTabs(text)
  let what = 'There are tabs in lines that are blank'
  for (let count = 0; count <= mostQuotes; count += 1) {
    const again = read(mended)
    const [error] = again.errors
    if (error === undefined)
      return { document: again, text: mended, repair: { what, offset: broken.pos[0] } }
    const deeper = withDeeperQuotes(mended, error.message, error.pos[0])
    if (deeper === undefined) break
    mended = deeper
    what = 'Lines of a text in quotes are indented less than what is around them'
  }
  return { document, text }
}

function read(text: string): Document.Parsed<ParsedNode> {
  // Keys that are there twice are judged when their values are known.
  return parseDocument(text, { prettyErrors: false, strict: false, uniqueKeys: false })
}

function withoutBlankTabs(text: string): string {
  return text.replace(/^[ \t]+$/gm, (line) => ' '.repeat(line.length))
}

/**
 * The text with the lines indented that a text in quotes goes on in: where the parser misses its
 * end behind its first line. Undefined where that is not what is wrong.
 */
function withDeeperQuotes(text: string, message: string, missed: number): string | undefined {
  const [, quote] = /^Missing closing (["'])quote/.exec(message) ?? []
  if (quote === undefined || text[missed] !== '\n') return undefined
  const end = text.slice(0, missed).trimEnd().length
  const [blanks = ''] = /^[ -]*/.exec(text.slice(text.lastIndexOf('\n', end - 1) + 1, end)) ?? []
  const indent = ' '.repeat(blanks.length + 1)
  const closing = quote === '"' ? /^(?:[^"\\]|\\[^])*?"/ : /^(?:[^']|'')*?'(?!')/
  const [inside] = closing.exec(text.slice(end)) ?? []
  if (inside === undefined) return undefined
  const deeper = inside.replace(/\n[ \t]*(?=\S)/g, `\n${indent}`)
  return deeper === inside
    ? undefined
    : text.slice(0, end) + deeper + text.slice(end + inside.length)
}
