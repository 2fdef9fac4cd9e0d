import type { Code } from './safe-text.js'

/** Lines of code are broken where they are longer than this. */
const widest = 100

/** Brackets with less in them are not worth a line. */
const narrowest = 20

const opening = '([{<'
const closing = ')]}>'

/** A piece of a line in brackets, and what separates the things in it. */
interface Group {
  readonly from: number
  readonly to: number
}

/**
 * A line of code as several where it is too long: the alternatives of a union each on a line of its
 * own, and the things in brackets. Only what stands in brackets, or behind `=` or `:`, is broken,
 * so that nothing means something else afterwards. Comments and texts stay whole.
 */
export function wrapped(line: Code): Code[] {
  if (line.length <= widest || isProse(line)) return [line]
  const indent = /^ */.exec(line)?.[0] ?? ''
  return broken(line.slice(indent.length), indent) as Code[]
}

/**
 * Comments are wrapped by those who write them; what has other texts than in single quotes is left.
 */
function isProse(line: string): boolean {
  if (/^\s*(?:\/?\*|\/\/)/.test(line)) return true
  return /["`/]/.test(line.replace(/'(?:[^'\\]|\\.)*'/g, ''))
}

/** @param isType whether the text is a type and nothing else, so that a bar may go before it */
function broken(text: string, indent: string, isType = false): string[] {
  const line = indent + text
  if (line.length <= widest) return [line]
  const { bars, groups } = outline(text)
  const head = headOf(text)
  const isUnion =
    bars.length > 0 &&
    (head !== '' || isType || text.startsWith('| ')) &&
    !bars.some((bar) => bar < head.length) &&
    !hasOutside(text.slice(head.length), '=')
  if (isUnion) return unionLines(text, head, bars, indent)
  const wide = groups.filter(({ from, to }) => to - from >= narrowest)
  // What a function takes is broken before what it returns.
  const group =
    wide.find(({ from }) => isCall(text, from)) ??
    wide.reduce<Group | undefined>(
      (most, each) => (most && each.to - each.from <= most.to - most.from ? most : each),
      undefined,
    )
  if (group === undefined) return [line]
  return groupLines(text, group, indent)
}

/** What stands before a type: `export type Quay =`, `name?:`. */
function headOf(text: string): string {
  return (
    /^(?:export type [^=]+ =|(?:'(?:[^'\\]|\\.)*'|\[[^\]]*\]|[^\s:='[\](){}<>|]+)\??:)(?= )/.exec(
      text,
    )?.[0] ?? ''
  )
}

function hasOutside(text: string, letter: string): boolean {
  return text.replace(/'(?:[^'\\]|\\.)*'/g, '').includes(letter)
}

/** `name: A | B` as a line for each alternative. */
function unionLines(text: string, head: string, bars: readonly number[], indent: string): string[] {
  const inner = head === '' ? indent : `${indent}  `
  const starts = [head.length, ...bars.map((bar) => bar + 2)]
  const alternatives = starts.map((start, at) =>
    text.slice(start, (starts[at + 1] ?? text.length + 3) - 3).trim(),
  )
  // An alternative that is a line already begins with its bar.
  if (alternatives.length < 2) return [indent + text]
  return [
    ...(head === '' ? [] : [indent + head]),
    ...alternatives.flatMap((each) => alternativeLines(each.replace(/^\| /, ''), inner)),
  ]
}

function alternativeLines(text: string, indent: string): string[] {
  const [first = '', ...others] = broken(text, `${indent}  `)
  return [`${indent}| ${first.trimStart()}`, ...others]
}

/** What stands in brackets, each thing on a line. */
function groupLines(text: string, { from, to }: Group, indent: string): string[] {
  const inside = text.slice(from + 1, to).trim()
  const { commas, semicolons } = outline(inside)
  const separators = commas.length > 0 ? commas : semicolons
  const starts = [0, ...separators.map((at) => at + 2)]
  const things = starts.map((start, at) =>
    inside.slice(start, (starts[at + 1] ?? inside.length + 2) - 2).trim(),
  )
  // What stands in angles is a type; so is what stands alone in brackets.
  const isType = text[from] === '<' || (text[from] !== '{' && separators.length === 0)
  const lines = things.flatMap((thing, at) => {
    const isLast = at === things.length - 1
    const isListed = commas.length > 0 || isCall(text, from)
    const comma = isListed && !(isLast && !mayEndWithComma(text, from, thing)) ? ',' : ''
    return broken(thing + comma, `${indent}  `, isType)
  })
  return [indent + text.slice(0, from + 1), ...lines, ...broken(text.slice(to), indent)]
}

/** Do brackets hold what a function takes? */
function isCall(text: string, from: number): boolean {
  return text[from] === '(' && /[\w>]/.test(text[from - 1] ?? '')
}

/** Arguments of types can't end with a comma, nor can a rest. */
function mayEndWithComma(text: string, from: number, last: string): boolean {
  return text[from] !== '<' && !last.startsWith('...')
}

/** Where at the outermost level of a text its bars, separators and brackets are. */
function outline(text: string): {
  bars: number[]
  commas: number[]
  semicolons: number[]
  groups: Group[]
} {
  const found = { bars: [] as number[], commas: [] as number[], semicolons: [] as number[] }
  const groups: Group[] = []
  const opened: number[] = []
  for (let at = 0; at < text.length; at += 1) {
    const letter = text[at] ?? ''
    if (letter === "'") at = endOfText(text, at)
    else if (opening.includes(letter) && isBracket(text, at)) opened.push(at)
    else if (closing.includes(letter) && isBracket(text, at)) {
      const from = opened.pop()
      if (opened.length === 0 && from !== undefined) groups.push({ from, to: at })
    } else if (opened.length === 0) {
      if (letter === '|' && text[at + 1] === ' ' && at > 0) found.bars.push(at)
      if (letter === ',' && text[at + 1] === ' ') found.commas.push(at)
      if (letter === ';' && text[at + 1] === ' ') found.semicolons.push(at)
    }
  }
  return { ...found, groups }
}

/** Angles are brackets behind a name only, and arrows are none. */
function isBracket(text: string, at: number): boolean {
  if (text[at] === '<') return /\w/.test(text[at - 1] ?? '')
  return text[at] !== '>' || text[at - 1] !== '='
}

function endOfText(text: string, start: number): number {
  let at = start + 1
  while (at < text.length && text[at] !== "'") at += text[at] === '\\' ? 2 : 1
  return at
}
