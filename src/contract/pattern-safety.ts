/**
 * Tells patterns that can make an engine which backtracks try without end from those that can't:
 * whoever writes a pattern into metadata decides how long others check it. What can't be told
 * counts as endless.
 *
 * How: the pattern as an automaton over its letters (Glushkov's construction). If a state can be
 * reached from itself in two ways by the same text, the ways double with every letter (exponential
 * ambiguity: Weber and Seidl, "On the degree of ambiguity of finite automata").
 */

/** More letters than this in a pattern, repetitions written out, are not looked through. */
const mostPositions = 250
/** Repetitions up to so many are written out; more are taken as any number. */
const mostCopies = 12

type Letter = (char: string) => boolean

type Part =
  | { readonly kind: 'letter'; readonly at: number }
  | { readonly kind: 'nothing' }
  | { readonly kind: 'sequence' | 'choice'; readonly parts: readonly Part[] }
  | {
      readonly kind: 'repeated'
      readonly part: Part
      readonly least: number
      readonly most: number
    }

class Untold extends Error {}

const kept = new Map<string, boolean>()

/**
 * Does checking a text against this pattern end in a time that is no more than a power of the
 * text's length?
 */
export function endsInTime(pattern: string): boolean {
  let known = kept.get(pattern)
  if (known === undefined) {
    known = judge(pattern)
    kept.set(pattern, known)
  }
  return known
}

function judge(pattern: string): boolean {
  // Without repetition there is nothing to try in many ways, however long the text.
  if (!/[*+?{]/.test(pattern)) return true
  if (pattern.length > 5000) return false
  try {
    const reader = new PatternReader(pattern)
    const whole = reader.read()
    return [whole, ...reader.looks].every(
      (part) => !isEndless(part, reader.letters, reader.samples),
    )
  } catch (error) {
    if (error instanceof Untold) return false
    throw error
  }
}

/**
 * Reads ECMAScript's syntax of patterns (ECMA-262, section 22.2.1), as far as it tells what repeats
 * what.
 */
class PatternReader {
  readonly letters: Letter[] = []
  /** What stands in lookarounds, which are tried by themselves. */
  readonly looks: Part[] = []
  /** Letters that tell classes apart. */
  readonly samples = new Set<string>([
    ...Array.from({ length: 128 }, (_, at) => String.fromCharCode(at)),
    '\u00a0',
    'é',
    'Ω',
    'я',
    '中',
    '\u2028',
    '😀',
  ])
  private readonly text: readonly string[]
  private at = 0
  private depth = 0

  constructor(pattern: string) {
    this.text = [...pattern]
  }

  read(): Part {
    const part = this.choice()
    if (this.at < this.text.length) throw new Untold()
    return part
  }

  private choice(): Part {
    if ((this.depth += 1) > 100) throw new Untold()
    const parts = [this.sequence()]
    while (this.peek() === '|') {
      this.at += 1
      parts.push(this.sequence())
    }
    this.depth -= 1
    return parts.length === 1 ? (parts[0] as Part) : { kind: 'choice', parts }
  }

  private sequence(): Part {
    const parts: Part[] = []
    while (this.at < this.text.length && this.peek() !== '|' && this.peek() !== ')')
      parts.push(this.quantified())
    return { kind: 'sequence', parts }
  }

  private quantified(): Part {
    const start = this.at
    const part = this.atom()
    const end = this.at
    const [least, most] = this.quantifier()
    if (least === 1 && most === 1) return part
    if (most > mostCopies && most !== Infinity)
      return { kind: 'repeated', part, least: least === 0 ? 0 : 1, most: Infinity }
    if (most === Infinity) return { kind: 'repeated', part, least: least === 0 ? 0 : 1, most }
    // Each copy has letters of its own.
    const copies: Part[] = [part]
    const after = this.at
    for (let count = 1; count < most; count += 1) {
      this.at = start
      copies.push(this.atom())
      if (this.at !== end) throw new Untold()
    }
    this.at = after
    return {
      kind: 'sequence',
      parts: copies
        .slice(0, Math.max(most, 0))
        .map((copy, count) =>
          count < least ? copy : { kind: 'repeated', part: copy, least: 0, most: 1 },
        ),
    }
  }

  private quantifier(): [least: number, most: number] {
    const sign = this.peek()
    let found: [number, number] = [1, 1]
    if (sign === '*') found = [0, Infinity]
    else if (sign === '+') found = [1, Infinity]
    else if (sign === '?') found = [0, 1]
    else if (sign === '{') {
      const [whole, least = '', comma, most = ''] =
        /^\{(\d+)(,?)(\d*)\}/.exec(this.text.slice(this.at, this.at + 24).join('')) ?? []
      if (whole === undefined) return found
      const upTo = most === '' ? Infinity : Number(most)
      found = [Number(least), comma === '' ? Number(least) : upTo]
      this.at += whole.length - 1
    } else return found
    this.at += 1
    if (this.peek() === '?') this.at += 1
    return found
  }

  private atom(): Part {
    const sign = this.next()
    switch (sign) {
      case '^':
      case '$':
        return { kind: 'nothing' }
      case '.':
        return this.letter((c) => c !== '\n' && c !== '\r' && c !== '\u2028' && c !== '\u2029')
      case '(':
        return this.group()
      case '[':
        return this.classAtom()
      case '\\':
        return this.escape()
      default:
        return this.one(sign)
    }
  }

  private group(): Part {
    const [opening = ''] =
      /^\?(?::|=|!|<=|<!|<[^>]+>)?/.exec(this.text.slice(this.at, this.at + 80).join('')) ?? []
    this.at += [...opening].length
    const part = this.choice()
    if (this.next() !== ')') throw new Untold()
    if (!/^\?(?:=|!|<=|<!)$/.test(opening)) return part
    this.looks.push(part)
    return { kind: 'nothing' }
  }

  private classAtom(): Part {
    const start = this.at - 1
    while (this.at < this.text.length && this.peek() !== ']') {
      const sign = this.next()
      if (sign === '\\') this.sample(this.next())
      else this.sample(sign)
    }
    this.at += 1
    return this.letter(tester(this.text.slice(start, this.at).join('')))
  }

  private escape(): Part {
    const sign = this.next()
    if (sign === 'b' || sign === 'B') return { kind: 'nothing' }
    // What refers to an earlier part can stand for any text.
    if (/[1-9k]/.test(sign)) throw new Untold()
    const rest = this.text.slice(this.at, this.at + 80).join('')
    const [further = ''] = escapes[sign]?.exec(rest) ?? []
    this.at += [...further].length
    return this.letter(tester(`\\${sign}${further}`))
  }

  private one(char: string): Part {
    this.sample(char)
    return this.letter((c) => c === char)
  }

  private letter(test: Letter): Part {
    if (this.letters.length >= mostPositions) throw new Untold()
    this.letters.push(test)
    return { kind: 'letter', at: this.letters.length - 1 }
  }

  private sample(char: string): void {
    if (this.samples.size < 1000) this.samples.add(char)
  }

  private peek(): string | undefined {
    return this.text[this.at]
  }

  private next(): string {
    const sign = this.text[this.at]
    if (sign === undefined) throw new Untold()
    this.at += 1
    return sign
  }
}

function tester(source: string): Letter {
  let expression: RegExp
  try {
    expression = new RegExp(`^(?:${source})$`, 'u')
  } catch {
    try {
      expression = new RegExp(`^(?:${source})$`)
    } catch {
      throw new Untold()
    }
  }
  return (char) => expression.test(char)
}

/** Can the same text lead from a letter back to it in two ways? */
function isEndless(whole: Part, letters: readonly Letter[], samples: ReadonlySet<string>): boolean {
  const follow = new Map<number, Set<number>>()
  const doubled: [number, number][] = []
  const join = (from: ReadonlySet<number>, to: ReadonlySet<number>): void => {
    for (const one of from) {
      const next = follow.get(one) ?? new Set<number>()
      follow.set(one, next)
      for (const other of to) {
        if (next.has(other)) doubled.push([one, other])
        next.add(other)
      }
    }
  }
  connect(whole, join)
  const reach = reachable(follow)
  // A step that can be taken for two reasons, on a way that comes back.
  if (doubled.some(([from, to]) => reach(to).has(from))) return true
  return isAmbiguous(follow, reach, overlaps(letters, samples))
}

interface Ends {
  readonly first: ReadonlySet<number>
  readonly last: ReadonlySet<number>
  readonly canBeEmpty: boolean
}

function connect(
  part: Part,
  join: (from: ReadonlySet<number>, to: ReadonlySet<number>) => void,
): Ends {
  const none: ReadonlySet<number> = new Set()
  switch (part.kind) {
    case 'nothing':
      return { first: none, last: none, canBeEmpty: true }
    case 'letter':
      return { first: new Set([part.at]), last: new Set([part.at]), canBeEmpty: false }
    case 'choice': {
      const all = part.parts.map((each) => connect(each, join))
      return {
        first: union(all.map(({ first }) => first)),
        last: union(all.map(({ last }) => last)),
        canBeEmpty: all.some((each) => each.canBeEmpty),
      }
    }
    case 'sequence': {
      let ends: Ends = { first: none, last: none, canBeEmpty: true }
      for (const each of part.parts) {
        const next = connect(each, join)
        join(ends.last, next.first)
        ends = {
          first: ends.canBeEmpty ? union([ends.first, next.first]) : ends.first,
          last: next.canBeEmpty ? union([ends.last, next.last]) : next.last,
          canBeEmpty: ends.canBeEmpty && next.canBeEmpty,
        }
      }
      return ends
    }
    case 'repeated': {
      const inner = connect(part.part, join)
      if (part.most === Infinity) join(inner.last, inner.first)
      return { ...inner, canBeEmpty: inner.canBeEmpty || part.least === 0 }
    }
  }
}

function union(sets: readonly ReadonlySet<number>[]): ReadonlySet<number> {
  return new Set(sets.flatMap((each) => [...each]))
}

/** What can be reached from a letter, worked out when it is asked for. */
function reachable(
  follow: ReadonlyMap<number, ReadonlySet<number>>,
): (from: number) => ReadonlySet<number> {
  const known = new Map<number, ReadonlySet<number>>()
  return (from) => {
    const before = known.get(from)
    if (before !== undefined) return before
    const found = new Set([from])
    for (const waiting = [from]; waiting.length > 0;) {
      for (const next of follow.get(waiting.pop() as number) ?? []) {
        if (found.has(next)) continue
        found.add(next)
        waiting.push(next)
      }
    }
    known.set(from, found)
    return found
  }
}

function overlaps(
  letters: readonly Letter[],
  samples: ReadonlySet<string>,
): (one: number, other: number) => boolean {
  const sets = letters.map((test) => new Set([...samples].filter(test)))
  const known = new Map<number, boolean>()
  return (one, other) => {
    const key = one * letters.length + other
    let found = known.get(key)
    if (found === undefined) {
      // A class of letters that no sample is in may have anything in common with any other.
      const [a, b] = [sets[one] ?? new Set(), sets[other] ?? new Set()]
      found = one === other || a.size === 0 || b.size === 0 || [...a].some((char) => b.has(char))
      known.set(key, found)
    }
    return found
  }
}

/** Do two ways part from a letter, read the same, and meet there again? */
function isAmbiguous(
  follow: ReadonlyMap<number, ReadonlySet<number>>,
  reach: (from: number) => ReadonlySet<number>,
  overlap: (one: number, other: number) => boolean,
): boolean {
  let steps = 0
  for (const start of follow.keys()) {
    const circle = [...(follow.get(start) ?? [])].filter((next) => reach(next).has(start))
    if (circle.length === 0) continue
    const seen = new Set<number>()
    const waiting: [number, number, boolean][] = []
    const go = (one: number, other: number, parted: boolean): boolean => {
      if ((steps += 1) > 400_000) throw new Untold()
      if (!reach(one).has(start) || !reach(other).has(start) || !overlap(one, other)) return false
      const hasParted = parted || one !== other
      if (hasParted && one === start && other === start) return true
      const key = (one * mostPositions + other) * 2 + Number(hasParted)
      if (!seen.has(key)) {
        seen.add(key)
        waiting.push([one, other, hasParted])
      }
      return false
    }
    for (const one of circle) for (const other of circle) if (go(one, other, false)) return true
    for (let pair = waiting.pop(); pair !== undefined; pair = waiting.pop()) {
      const [one, other, parted] = pair
      for (const next of follow.get(one) ?? [])
        for (const another of follow.get(other) ?? []) if (go(next, another, parted)) return true
    }
  }
  return false
}

const named = /^(?:\{[^}]*\}|[\da-fA-F]{4})/

/** What goes on after the sign of an escape. */
const escapes: Readonly<Record<string, RegExp>> = {
  p: named,
  P: named,
  u: named,
  x: /^[\da-fA-F]{2}/,
  c: /^[A-Za-z]/,
}
