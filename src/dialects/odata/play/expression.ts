import { bytesToBase64 } from '../../../runtime/plain.js'

/**
 * The expressions of `$filter` and `$orderby` as trees (OData ABNF 4.01, commonExpr and
 * boolCommonExpr; the literals of version 2 too).
 */
export type Expression =
  | { readonly kind: 'literal'; readonly value: Value }
  | { readonly kind: 'path'; readonly steps: readonly string[] }
  | { readonly kind: 'call'; readonly name: string; readonly inputs: readonly Expression[] }
  | {
      readonly kind: 'operator'
      readonly word: string
      readonly left: Expression
      readonly right: Expression
    }
  | { readonly kind: 'not' | 'minus'; readonly of: Expression }
  | {
      readonly kind: 'lambda'
      readonly word: 'any' | 'all'
      readonly steps: readonly string[]
      readonly variable: string
      readonly body: Expression | undefined
    }
  | { readonly kind: 'list'; readonly items: readonly Expression[] }

/** A value in an expression. A number keeps its digits. */
export type Value = null | boolean | string | NumberValue | readonly Value[]

export class NumberValue {
  readonly digits: string

  constructor(digits: string) {
    this.digits = digits
  }
}

/** The text is no expression. */
export class NotAnExpression extends Error {}

type Token = {
  readonly kind: 'word' | 'text' | 'number' | 'sign'
  readonly text: string
  readonly at: number
  readonly prefix?: string
}

const forms =
  /\s+|((?:[\p{L}_][\p{L}\p{N}_.]*)?)'((?:[^']|'')*)'|([\da-fA-F]{8}-(?:[\da-fA-F]{4}-){3}[\da-fA-F]{12}|\d{4}-\d\d-\d\d(?:T[\d:.]+(?:Z|[+-]\d\d:\d\d)?)?|\d\d:\d\d(?::\d\d(?:\.\d+)?)?)|(\d+(?:\.\d+)?(?:[eE][+-]?\d+)?[LlMmDdFf]?)|([@$]?[\p{L}_][\p{L}\p{N}_.]*(?:\/(?:\$count|[\p{L}_][\p{L}\p{N}_.]*))*)|([(),:=-])/uy

/**
 * Parses an expression.
 *
 * @throws NotAnExpression that says where it stops making sense
 */
export function parseExpression(text: string): Expression {
  return new Parser(tokens(text), text).whole()
}

/** Parses the items of `$orderby`. */
export function parseOrder(
  text: string,
): { readonly by: Expression; readonly descending: boolean }[] {
  return new Parser(tokens(text), text).order()
}

/** A literal as it stands in an address: of a key, of a parameter. */
export function parseLiteral(text: string): Value {
  const expression = parseExpression(text)
  const plain = expression.kind === 'literal' ? expression.value : undefined
  const value =
    expression.kind === 'minus' &&
    expression.of.kind === 'literal' &&
    expression.of.value instanceof NumberValue
      ? new NumberValue(`-${expression.of.value.digits}`)
      : plain
  if (value === undefined) throw new NotAnExpression(`"${text}" is no literal`)
  return value
}

function tokens(text: string): Token[] {
  const found: Token[] = []
  forms.lastIndex = 0
  while (forms.lastIndex < text.length) {
    const at = forms.lastIndex
    const match = forms.exec(text)
    if (match === null)
      throw new NotAnExpression(`"${text}" makes no sense from position ${at + 1} on`)
    const [, prefix, quoted, dated, number, word, sign] = match
    if (quoted !== undefined)
      found.push({ kind: 'text', text: quoted.replaceAll("''", "'"), at, prefix: prefix ?? '' })
    else if (dated !== undefined) found.push({ kind: 'text', text: dated, at, prefix: 'bare' })
    else if (number !== undefined)
      found.push({ kind: 'number', text: number.replace(/[LlMmDdFf]$/, ''), at })
    else if (word !== undefined) found.push({ kind: 'word', text: word, at })
    else if (sign !== undefined) found.push({ kind: 'sign', text: sign, at })
  }
  return found
}

/** Levels of operators, those that bind least first (URL Conventions, section 5.1.1.17). */
const levels: readonly (readonly string[])[] = [
  ['or'],
  ['and'],
  ['eq', 'ne'],
  ['gt', 'ge', 'lt', 'le', 'in', 'has'],
  ['add', 'sub'],
  ['mul', 'div', 'divby', 'mod'],
]

class Parser {
  private readonly tokens: readonly Token[]
  private readonly text: string
  private position = 0

  constructor(all: readonly Token[], text: string) {
    this.tokens = all
    this.text = text
  }

  whole(): Expression {
    const expression = this.level(0)
    if (this.position < this.tokens.length) throw this.unexpected()
    return expression
  }

  order(): { by: Expression; descending: boolean }[] {
    const items: { by: Expression; descending: boolean }[] = []
    do {
      const by = this.level(4)
      const descending = this.accept('word', 'desc')
      if (!descending) this.accept('word', 'asc')
      items.push({ by, descending })
    } while (this.accept('sign', ','))
    if (this.position < this.tokens.length) throw this.unexpected()
    return items
  }

  private level(at: number): Expression {
    const words = levels[at]
    if (words === undefined) return this.unary()
    let left = this.level(at + 1)
    for (;;) {
      const token = this.tokens[this.position]
      if (token?.kind !== 'word' || !words.includes(token.text)) return left
      this.position += 1
      left = {
        kind: 'operator',
        word: token.text,
        left,
        right: token.text === 'in' ? this.list() : this.level(at + 1),
      }
    }
  }

  private list(): Expression {
    this.expect('(')
    const items: Expression[] = []
    do items.push(this.level(4))
    while (this.accept('sign', ','))
    this.expect(')')
    return { kind: 'list', items }
  }

  private unary(): Expression {
    if (this.accept('word', 'not')) return { kind: 'not', of: this.unary() }
    if (this.accept('sign', '-')) return { kind: 'minus', of: this.unary() }
    return this.primary()
  }

  private primary(): Expression {
    const token = this.tokens[this.position]
    if (token === undefined) throw new NotAnExpression(`"${this.text}" ends too early`)
    this.position += 1
    if (token.kind === 'sign' && token.text === '(') {
      const inside = this.level(0)
      this.expect(')')
      return inside
    }
    if (token.kind === 'number') return { kind: 'literal', value: new NumberValue(token.text) }
    if (token.kind === 'text') return { kind: 'literal', value: textValue(token) }
    if (token.kind === 'word') return this.word(token)
    throw this.unexpected(token)
  }

  private word({ text }: Token): Expression {
    if (text === 'true' || text === 'false') return { kind: 'literal', value: text === 'true' }
    if (text === 'null') return { kind: 'literal', value: null }
    if (!this.accept('sign', '(')) return { kind: 'path', steps: text.split('/') }
    const steps = text.split('/')
    const last = steps.at(-1)
    if (steps.length > 1 && (last === 'any' || last === 'all'))
      return this.lambda(steps.slice(0, -1), last)
    const inputs: Expression[] = []
    if (!this.accept('sign', ')')) {
      do inputs.push(this.level(0))
      while (this.accept('sign', ','))
      this.expect(')')
    }
    return { kind: 'call', name: text, inputs }
  }

  private lambda(steps: readonly string[], word: 'any' | 'all'): Expression {
    if (this.accept('sign', ')'))
      return { kind: 'lambda', word, steps, variable: '', body: undefined }
    const variable = this.tokens[this.position]?.text ?? ''
    this.position += 1
    this.expect(':')
    const body = this.level(0)
    this.expect(')')
    return { kind: 'lambda', word, steps, variable, body }
  }

  private accept(kind: Token['kind'], text: string): boolean {
    const token = this.tokens[this.position]
    if (token?.kind !== kind || token.text !== text) return false
    this.position += 1
    return true
  }

  private expect(sign: string): void {
    if (!this.accept('sign', sign)) throw this.unexpected(this.tokens[this.position])
  }

  private unexpected(token: Token | undefined = this.tokens[this.position]): NotAnExpression {
    return new NotAnExpression(
      token === undefined
        ? `"${this.text}" ends too early`
        : `"${this.text}" makes no sense from position ${token.at + 1} on`,
    )
  }
}

/**
 * A quoted literal by the name before its quotes: names with a dot are enumerations, whose value
 * may be several.
 */
function textValue({ text, prefix = '' }: Token): Value {
  if (prefix.includes('.')) return text.includes(',') ? text.split(',') : text
  if (/^(?:X|binary)$/i.test(prefix) && /^[\da-f]*$/i.test(text))
    return bytesToBase64(
      Uint8Array.from(text.match(/../g) ?? [], (pair) => Number.parseInt(pair, 16)),
    )
  return text
}
