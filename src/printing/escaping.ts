import { isIdentifier } from '../naming/identifiers.js'
import {
  code,
  type Code,
  type DotText,
  type Markdown,
  type Markup,
  type MermaidText,
  type VariablesText,
} from './safe-text.js'

/**
 * Text from metadata, made safe for where it lands. Nothing of a document reaches what is written
 * but through these.
 */

/**
 * What nobody sees, and what changes the order of what is seen: control characters, line
 * separators, bidirectional marks, halves of characters.
 */
const unseen =
  /[\u0000-\u001f\u007f-\u009f\u00ad\u061c\u200b\u200e\u200f\u2028-\u202e\u2060-\u2069\ufeff\ufff9-\ufffb]|\p{Surrogate}/gu

/** A text without what is not seen; of line breaks and tabs there are spaces. */
function seen(text: string): string {
  return text.replace(/[\t\n\r]/g, ' ').replace(unseen, '')
}

/** A string literal in single quotes. */
export function quoted(text: string): Code {
  const escapes: Readonly<Record<string, string>> = {
    '\\': '\\\\',
    "'": "\\'",
    '\n': '\\n',
    '\r': '\\r',
    '\t': '\\t',
  }
  const escaped = text.replace(
    /[\\'\u0000-\u001f\u007f-\u009f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069\ufeff\ufff9-\ufffb]|\p{Surrogate}/gu,
    (c) => escapes[c] ?? `\\u${c.charCodeAt(0).toString(16).padStart(4, '0')}`,
  )
  return `'${escaped}'` as Code
}

/** A name that naming decided on. Anything else is a defect: it never gets this far. */
export function identifier(name: string): Code {
  if (!isIdentifier(name)) throw new Error(`${JSON.stringify(name)} is no identifier`)
  return name as Code
}

/** The path of a module below a client's folder, or the name of a package. */
export function modulePath(path: string): Code {
  const steps = path.split('/')
  if (!steps.every((step) => /^[\p{ID_Start}$_][\p{ID_Continue}$-]*$/u.test(step)))
    throw new Error(`${JSON.stringify(path)} is no path of a module`)
  return path as Code
}

/**
 * The name of a property: as it is where it is an identifier, else as a string literal; `__proto__`
 * would set a prototype.
 */
export function propertyName(name: string): Code {
  if (name === '__proto__') return code`['__proto__']`
  return isIdentifier(name) && /^[\u0021-\u007e\u00a1-\uffff]+$/.test(name)
    ? (name as Code)
    : quoted(name)
}

/** What reads the property of something: `.name` or `['a name']`. */
export function memberAccess(name: string): Code {
  const written = propertyName(name)
  if (written.startsWith('[')) return written
  return written === name ? code`.${written}` : code`[${written}]`
}

/** A number, boolean or null as a literal. */
export function plainLiteral(value: number | bigint | boolean | null | undefined): Code {
  return (typeof value === 'bigint' ? `${value}n` : String(value)) as Code
}

/**
 * Prose that can't end the comment it stands in, nor tell a compiler or bundler anything. What is
 * not seen goes first, so that nothing joins behind the escaping.
 */
export function commentText(text: string): Code {
  const clean = text.split('\n').map(seen).join('\n')
  return clean.replace(/\*\//g, '*\\/').replace(/[@#](?=ts-|__|internal\b|jsx)/g, '$& ') as Code
}

/** How far lines are moved in. */
export type Indent = '' | '  ' | '    '

/** Lines, moved in. */
export function indented(lines: readonly Code[], indent: Indent): Code[] {
  return lines.map((line) => `${indent}${line}` as Code)
}

/** Prose as a documentation comment, or no lines when there is nothing to say. */
export function docComment(
  paragraphs: readonly (string | undefined)[],
  indent: Indent = '',
): Code[] {
  const lines = paragraphs
    .filter((paragraph) => paragraph !== undefined && paragraph.trim() !== '')
    .flatMap((paragraph, at) => [
      ...(at === 0 ? [] : ['']),
      ...wrappedProse(commentText(paragraph ?? '').split('\n'), 116 - indent.length),
    ]) as Code[]
  const [first = code``, ...rest] = lines
  const before = indent as Code
  if (lines.length === 0) return []
  if (rest.length === 0) return [code`${before}/** ${first} */`]
  return [
    code`${before}/**`,
    ...lines.map((line) => (line === '' ? code`${before} *` : code`${before} * ${line}`)),
    code`${before} */`,
  ]
}

/**
 * Lines of prose that are no longer than a width. What is moved in stays so beside the others
 * (lists in lists, code); what a line has too much begins the next one, where that goes on with it.
 */
function wrappedProse(lines: readonly string[], width: number): string[] {
  const margin = marginOf(lines)
  const made: string[] = []
  let rest = ''
  for (const [at, line] of lines.entries()) {
    const text = (at === 0 ? line.trimStart() : withoutMargin(line, margin))
      .trimEnd()
      .replace(/([.,:;!?]) {2,}(?=\S)/g, '$1 ')
    const isNext = rest !== '' && /^[\p{L}\p{N}(]/u.test(text) && !/^\d+[.)]\s/.test(text)
    if (rest !== '' && !isNext) made.push(rest)
    const whole = isNext ? `${rest} ${text}` : text
    const pieces = wrap(whole, width)
    const wasCut = pieces.length > 1
    rest = wasCut ? (pieces.pop() ?? '') : ''
    made.push(...pieces)
  }
  return rest === '' ? made : [...made, rest]
}

/** How far all lines but the first are moved in; empty ones do not count. */
function marginOf([, ...others]: readonly string[]): number {
  return others
    .filter((line) => line.trim() !== '')
    .reduce((least, line) => Math.min(least, line.length - line.trimStart().length), Infinity)
}

function withoutMargin(line: string, margin: number): string {
  const inner = line.trimStart()
  return line.slice(Math.min(margin, line.length - inner.length))
}

/** A line as several, as far in as it is itself. */
function wrap(text: string, width: number): string[] {
  if (text.length <= width) return [text]
  const before = text.slice(0, text.length - text.trimStart().length)
  const lines: string[] = []
  let line = ''
  for (const word of text.trimStart().split(/\s+/)) {
    if (line !== '' && before.length + line.length + 1 + word.length > width) {
      lines.push(before + line)
      line = word
    } else line = line === '' ? word : `${line} ${word}`
  }
  return [...lines, line === '' ? '' : before + line]
}

/** A text that a regular expression finds as it is. */
export function inRegExp(text: string): string {
  return text.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&')
}

/** Prose in Markdown, on one line, that can't become markup. */
export function inMarkdown(text: string): Markdown {
  return seen(text).replace(/[<>|`*_[\]\\&~]/g, (c) => `\\${c}`) as Markdown
}

/**
 * Prose that may be Markdown itself, on one line: code between backticks and links of the web are
 * what they are, and nothing else becomes markup.
 */
export function proseInMarkdown(text: string): Markdown {
  const pieces = seen(text).split(/(`[^`\n]+`|\[[^[\]\n]+\]\(https?:\/\/[\w./?=&%#~:@+,;-]+\))/)
  return pieces
    .map((piece, at) => {
      // An exclamation mark before a link would make a picture of it.
      if (at % 2 === 0) return inMarkdown(piece).replace(/!$/, '\\!')
      if (piece.startsWith('`')) return codeInMarkdown(piece.slice(1, -1))
      const [, words = '', address = ''] = /^\[(.*)\]\((.*)\)$/.exec(piece) ?? []
      return `[${inMarkdown(words)}](${address})`
    })
    .join('') as Markdown
}

/** A text in Markdown as code between backticks, on one line; in a cell of a table too. */
export function codeInMarkdown(text: string): Markdown {
  const clean = seen(text).replace(/\|/g, '\\|')
  const longest = Math.max(0, ...[...clean.matchAll(/`+/g)].map(([run]) => run.length))
  if (longest === 0) return `\`${clean}\`` as Markdown
  const fence = '`'.repeat(longest + 1)
  return `${fence} ${clean} ${fence}` as Markdown
}

/** Lines of a program in Markdown: the fence is longer than any in them. */
export function fenced(lines: readonly Code[]): Markdown[] {
  const longest = Math.max(
    2,
    ...lines.flatMap((line) => [...line.matchAll(/`+/g)].map(([run]) => run.length)),
  )
  const fence = '`'.repeat(longest + 1)
  return [`${fence}ts`, ...lines, fence] as Markdown[]
}

/**
 * Text in HTML, SVG or other XML, as content or in an attribute with quotes; what XML can't carry
 * is left out.
 */
export function inMarkup(text: string): Markup {
  return text
    .replace(/[^\t\n\r\u{20}-\u{d7ff}\u{e000}-\u{fffd}\u{10000}-\u{10ffff}]/gu, '')
    .replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`) as Markup
}

/** A string of the DOT language. */
export function inDot(text: string): DotText {
  return `"${text.split(/\r?\n/).map(seen).join('\n').replace(/\\/g, '\\\\').replace(/"/g, '\\"').replace(/\n/g, '\\n')}"` as DotText
}

/** A part of a record label of the DOT language, to stand between quotes. */
export function inDotRecord(text: string): DotText {
  return seen(text)
    .replace(/[\\{}|<>"]/g, (c) => `\\${c}`)
    .replace(/\s+/g, ' ') as DotText
}

/** A string of a Mermaid diagram; it has no escapes, so that quotes and brackets become others. */
export function inMermaid(text: string): MermaidText {
  return `"${seen(text).replace(/"/g, "'").replace(/[[\]]/g, ' ')}"` as MermaidText
}

/**
 * A word inside a Mermaid diagram, in a class or behind a link: what would end it, or be read as a
 * method or a type, is left out.
 */
export function memberInMermaid(text: string): MermaidText {
  return seen(text)
    .replace(/[{}()~<>":;]/g, ' ')
    .trim() as MermaidText
}

/** Prose for a comment in YAML, whose lines the package that writes YAML puts signs before. */
export function inYamlComment(text: string): string {
  return text.split('\n').map(seen).join('\n')
}

/** Text in a comment of a file of variables: one line. */
export function inVariables(text: string): VariablesText {
  return seen(text) as VariablesText
}

/**
 * A value in a file of variables, which means the same to programs that read such files and to a
 * shell: bare where it is plain or the name of a variable, else in single quotes.
 *
 * @returns undefined for what can't be said so: such files know no escapes
 */
export function valueInVariables(text: string): VariablesText | undefined {
  if (text !== seen(text) || text.includes("'")) return undefined
  const isBare = /^(?:[\w./:@%+,-]*|\$[A-Za-z_]\w*)$/.test(text)
  return (isBare ? text : `'${text}'`) as VariablesText
}

/** The value of an attribute with its quotes, line breaks kept. */
export function inAttribute(text: string): Markup {
  return `"${inMarkup(text).replace(/[\t\n\r]/g, (c) => `&#${c.charCodeAt(0)};`)}"` as Markup
}

/** A name that a link inside a page leads to. */
export function linkInMarkup(id: string): Markup {
  return `#${encodeURIComponent(id.replace(/\p{Surrogate}/gu, '\ufffd')).replace(/'/g, '%27')}` as Markup
}

/** A file that ships with the tool: a style or a script. */
export function ourOwnMarkup(text: string): Markup {
  return text as Markup
}

/**
 * Facts for the scripts of a page, between the tags of an element for data: nothing in them can end
 * it.
 */
export function jsonInMarkup(value: unknown): Markup {
  return JSON.stringify(value).replace(
    /[<>&\u2028\u2029]/g,
    (c) => `\\u${c.charCodeAt(0).toString(16).padStart(4, '0')}`,
  ) as Markup
}
