import { parse } from 'lossless-json'

/** A number of JSON as it was written: every digit counts. */
export class NumberText {
  readonly text: string

  constructor(text: string) {
    this.text = text
  }
}

/** A value of JSON whose numbers are as they were written. */
export type JsonValue =
  | null
  | boolean
  | string
  | NumberText
  | readonly JsonValue[]
  | { readonly [name: string]: JsonValue }

/** Values nested deeper are not looked into. */
export const deepest = 200

/**
 * Parses a text of JSON (RFC 8259).
 *
 * @throws SyntaxError when it is none, RangeError when it is nested too deeply
 */
export function parseValues(text: string): JsonValue {
  let depth = 0
  // The parser calls itself for what is nested.
  for (const [sign] of text.replace(/"(?:[^"\\]|\\.)*"/gs, '').matchAll(/[[{}\]]/g)) {
    depth += sign === '[' || sign === '{' ? 1 : -1
    if (depth > deepest) throw new RangeError(`it is nested more than ${String(deepest)} deep`)
  }
  return parse(text.replace(/^\uFEFF/, ''), undefined, {
    parseNumber: (written) => new NumberText(written),
    onDuplicateKey: ({ newValue }) => newValue,
  }) as JsonValue
}

/** Is a value a record, with members? */
export function isRecord(value: JsonValue): value is { readonly [name: string]: JsonValue } {
  return (
    typeof value === 'object' &&
    value !== null &&
    !Array.isArray(value) &&
    !(value instanceof NumberText)
  )
}
