import { isIdentifier } from '../naming/identifiers.js'

/** Text from metadata, escaped for where it lands in generated code. Nothing of a document reaches code but through these. */

/** A string literal in single quotes. */
export function quoted(text: string): string {
  const escaped = text.replace(/[\\'\u0000-\u001f\u007f-\u009f\u2028\u2029\ud800-\udfff\ufeff\u202a-\u202e\u2066-\u2069]/gu, (c) => {
    switch (c) {
      case '\\':
        return '\\\\'
      case '\'':
        return '\\\''
      case '\n':
        return '\\n'
      case '\r':
        return '\\r'
      case '\t':
        return '\\t'
      default:
        return `\\u${c.charCodeAt(0).toString(16).padStart(4, '0')}`
    }
  })
  return `'${escaped}'`
}

/** The name of a property: as it is where it is an identifier, else as a string literal; `__proto__` would set a prototype. */
export function propertyName(name: string): string {
  if (name === '__proto__') return '[\'__proto__\']'
  return isIdentifier(name) && /^[\u0021-\u007e\u00a1-\uffff]+$/.test(name) ? name : quoted(name)
}

/** Prose that can't end the comment it stands in, nor tell a compiler or bundler anything. What is not seen goes first, so that nothing joins behind the escaping. */
export function commentText(text: string): string {
  return text
    .replace(/[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u061c\u200e\u200f\u2028\u2029\u202a-\u202e\u2066-\u2069\ufeff]/g, '')
    .replace(/\*\//g, '*\\/')
    .replace(/[@#](?=ts-|__|internal\b|jsx)/g, '$& ')
}

/** Prose as a documentation comment, or no lines when there is nothing to say. */
export function docComment(paragraphs: readonly (string | undefined)[], indent = ''): string[] {
  const lines = paragraphs
    .filter((paragraph) => paragraph !== undefined && paragraph.trim() !== '')
    .flatMap((paragraph, at) => [...(at === 0 ? [] : ['']), ...commentText(paragraph ?? '').split('\n').flatMap((line) => wrap(line.trim(), 116 - indent.length))])
  const [first = '', ...rest] = lines
  if (lines.length === 0) return []
  if (rest.length === 0) return [`${indent}/** ${first} */`]
  return [`${indent}/**`, ...lines.map((line) => (line === '' ? `${indent} *` : `${indent} * ${line}`)), `${indent} */`]
}

function wrap(text: string, width: number): string[] {
  const lines: string[] = []
  let line = ''
  for (const word of text.split(/\s+/)) {
    if (line !== '' && line.length + 1 + word.length > width) {
      lines.push(line)
      line = word
    } else line = line === '' ? word : `${line} ${word}`
  }
  return [...lines, line]
}
