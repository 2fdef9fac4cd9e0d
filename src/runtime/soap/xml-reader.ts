import { SaxesParser, type SaxesTagNS } from 'saxes'
import { ContractBreach, type Deviation } from '../failures.js'
import { checkText } from './check.js'
import { entriesOf, findSubtype, settled, type AnyCodec, type AnyItems, type AnyRecordCodec, type AnyTextCodec, type Entry, type OpenElement, type QName, type ReadContext } from './codec.js'
import { collapse, show, splitName, Unreadable } from './simple.js'

const xsiNamespace = 'http://www.w3.org/2001/XMLSchema-instance'

/** The XML itself is broken, or has what is refused. */
export class NotXml extends Error {}

/** Reads one element; the reader sends it what stands inside, in order. */
export interface Frame {
  /** A child element begins; the frame it is read by. */
  child(tag: SaxesTagNS): Frame
  text(piece: string): void
  end(): void
}

/** Elements deeper than this are refused. */
const deepest = 1000

/** What frames share while one document is read. */
export class Reading implements ReadContext {
  readonly onDeviation: (deviation: Deviation) => void
  private readonly namespaces: { resolve(prefix: string): string | undefined }
  /** The names on the way from the root to where the reader stands. */
  private readonly trail: string[] = []
  private skipped = 0

  /** @param namespaces tells what a prefix is bound to where the reader stands */
  constructor(namespaces: { resolve(prefix: string): string | undefined }, onDeviation: (deviation: Deviation) => void) {
    this.namespaces = namespaces
    this.onDeviation = onDeviation
  }

  resolve(prefix: string): string | undefined {
    return this.namespaces.resolve(prefix)
  }

  enter(name: string): void {
    if (this.trail.length > deepest) throw new NotXml(`elements are nested more than ${String(deepest)} deep`)
    this.trail.push(name)
  }

  leave(): void {
    this.trail.pop()
  }

  /** Names from here upwards are an envelope and not part of paths. */
  startPathsHere(): void {
    this.skipped = this.trail.length
  }

  path(member = ''): string {
    return [...this.trail.slice(this.skipped), ...(member === '' ? [] : [member])].join('.')
  }

  deviate(message: string, member = ''): void {
    this.onDeviation({ path: this.path(member), message })
  }
}

/**
 * Parses an XML document, sending what stands in it to frames. Typed values are read straight from the parser's events.
 *
 * @param root makes the frame for the root element
 * @throws NotXml when the document is not well-formed or has a DTD; whatever the frames throw
 */
export function parseDocument(xml: string, onDeviation: (deviation: Deviation) => void, root: (tag: SaxesTagNS, reading: Reading) => Frame): void {
  const parser = new SaxesParser({ xmlns: true as const, position: false as const })
  const reading = new Reading(parser, onDeviation)
  const stack: Frame[] = []
  let top: Frame | undefined
  parser.on('error', (error) => {
    throw new NotXml(error.message)
  })
  parser.on('doctype', () => {
    throw new NotXml('it has a DTD, which is refused')
  })
  parser.on('opentag', (tag) => {
    reading.enter(tag.local)
    top = top === undefined ? root(tag, reading) : top.child(tag)
    stack.push(top)
  })
  const text = (piece: string): void => top?.text(piece)
  parser.on('text', text)
  parser.on('cdata', text)
  parser.on('closetag', () => {
    stack.pop()?.end()
    reading.leave()
    top = stack.at(-1)
  })
  parser.write(xml.replace(/^\ufeff/, '')).close()
}

/** A frame for an element of this codec; the value is delivered when the element ends. */
export function frameFor(codec: AnyCodec, tag: SaxesTagNS, reading: Reading, nillable: boolean, deliver: (value: unknown) => void): Frame {
  if (isNil(tag)) {
    if (!nillable) reading.deviate('is null, which the contract does not allow')
    return new IgnoringFrame(() => deliver(null))
  }
  if ('members' in codec) return recordFrame(codec, tag, reading, deliver)
  if ('fragment' in codec) return new FragmentFrame(tag, deliver)
  for (const { name, uri, prefix } of Object.values(tag.attributes)) {
    if (name !== 'xmlns' && prefix !== 'xmlns' && uri !== xsiNamespace) reading.deviate('is not in the contract', `@${name}`)
  }
  if ('items' in codec) return new ItemsFrame(codec, reading, deliver)
  return new TextFrame(codec, reading, deliver)
}

function isNil(tag: SaxesTagNS): boolean {
  const nil = Object.values(tag.attributes).find((attribute) => attribute.local === 'nil' && attribute.uri === xsiNamespace)?.value
  return nil === 'true' || nil === '1'
}

/** What a text means by its codec; a text that means nothing is a breach. */
export function readText(codec: AnyTextCodec, text: string, reading: Reading, member = ''): unknown {
  if ('spaced' in codec) {
    const collapsed = collapse(text)
    return collapsed === '' ? [] : collapsed.split(' ').map((item) => readText(codec.spaced, item, reading, member))
  }
  if ('literals' in codec) {
    const found = codec.literals.find((literal) => literal === text) ?? codec.literals.find((literal) => literal === collapse(text))
    if (found === undefined) reading.deviate(`${show(text)} is not one of the contract's values`, member)
    return found ?? text
  }
  const simple = 'restricts' in codec ? codec.restricts : codec
  let value: unknown
  try {
    value = simple.read(text, reading)
  } catch (error) {
    if (!(error instanceof Unreadable)) throw error
    throw new ContractBreach(reading.path(member), simple.simple, text.trim() === '' ? 'nothing' : show(text))
  }
  if ('restricts' in codec) {
    const message = checkText(codec, value)
    if (message !== undefined) reading.deviate(message, member)
  }
  return value
}

/** Swallows an element, for those that are null. */
export class IgnoringFrame implements Frame {
  private readonly ended: () => void

  constructor(ended: () => void = () => undefined) {
    this.ended = ended
  }

  child(): Frame {
    return new IgnoringFrame()
  }

  text(): void {
    // Nothing is kept.
  }

  end(): void {
    this.ended()
  }
}

class TextFrame implements Frame {
  private readonly codec: AnyTextCodec
  private readonly reading: Reading
  private readonly deliver: (value: unknown) => void
  private collected = ''

  constructor(codec: AnyTextCodec, reading: Reading, deliver: (value: unknown) => void) {
    this.codec = codec
    this.reading = reading
    this.deliver = deliver
  }

  child(tag: SaxesTagNS): Frame {
    throw new ContractBreach(this.reading.path(), 'a text', `an element <${tag.name}>`)
  }

  text(piece: string): void {
    this.collected += piece
  }

  end(): void {
    this.deliver(readText(this.codec, this.collected, this.reading))
  }
}

class ItemsFrame implements Frame {
  private readonly codec: AnyItems
  private readonly reading: Reading
  private readonly deliver: (value: unknown) => void
  private readonly items: unknown[] = []

  constructor(codec: AnyItems, reading: Reading, deliver: (value: unknown) => void) {
    this.codec = codec
    this.reading = reading
    this.deliver = deliver
  }

  child(tag: SaxesTagNS): Frame {
    const [namespace, local] = this.codec.items
    if (this.codec.encoded !== undefined) {
      // Items of an encoded array may be called anything.
    } else if (tag.local !== local) this.reading.deviate(`is an item of a list whose items are called "${local}"`)
    else if (tag.uri !== namespace) this.reading.deviate(wrongNamespace(tag.uri, namespace))
    const at = this.items.push(undefined) - 1
    return frameFor(settled(this.codec.of), tag, this.reading, this.codec.nillable === true, (value) => {
      this.items[at] = value
    })
  }

  text(piece: string): void {
    if (piece.trim() !== '') this.reading.deviate(`has text between its items: ${show(piece.trim())}`)
  }

  end(): void {
    this.deliver(this.items)
  }
}

/** Keeps an element as it is. */
export class FragmentFrame implements Frame {
  private readonly name: string
  private readonly attributes: Record<string, string> = {}
  private readonly content: (OpenElement | string)[] = []
  private readonly deliver: (value: OpenElement) => void

  constructor(tag: SaxesTagNS, deliver: (value: OpenElement) => void) {
    this.name = openName(tag.uri, tag.local)
    for (const attribute of Object.values(tag.attributes)) {
      if (attribute.prefix !== 'xmlns' && attribute.name !== 'xmlns') put(this.attributes, openName(attribute.uri, attribute.local), attribute.value)
    }
    this.deliver = deliver
  }

  child(tag: SaxesTagNS): Frame {
    const at = this.content.push('') - 1
    return new FragmentFrame(tag, (value) => {
      this.content[at] = value
    })
  }

  text(piece: string): void {
    this.content.push(piece)
  }

  end(): void {
    // White space between elements is layout, not content.
    const content = this.content.some((piece) => typeof piece !== 'string') ? this.content.filter((piece) => typeof piece !== 'string' || piece.trim() !== '') : this.content
    this.deliver({
      name: this.name,
      ...(Object.keys(this.attributes).length === 0 ? {} : { attributes: this.attributes }),
      ...(content.length === 0 ? {} : { content: content.every((piece) => typeof piece === 'string') ? [content.join('')] : content }),
    })
  }
}

/** The entries of a record, ready to be looked up by name. */
interface Lookup {
  readonly entries: readonly Entry[]
  readonly elements: ReadonlyMap<string, readonly number[]>
  readonly attributes: readonly Entry[]
  readonly textEntry: Entry | undefined
}

const lookups = new WeakMap<readonly Entry[], Lookup>()

function lookupOf(entries: readonly Entry[]): Lookup {
  let lookup = lookups.get(entries)
  if (lookup === undefined) {
    const elements = new Map<string, number[]>()
    entries.forEach(({ place, name }, at) => {
      if (place === 'element') elements.set(name[1], [...(elements.get(name[1]) ?? []), at])
    })
    lookup = { entries, elements, attributes: entries.filter(({ place }) => place === 'attribute'), textEntry: entries.find(({ place }) => place === 'text') }
    lookups.set(entries, lookup)
  }
  return lookup
}

function recordFrame(declared: AnyRecordCodec, tag: SaxesTagNS, reading: Reading, deliver: (value: unknown) => void): Frame {
  const written = Object.values(tag.attributes).find((attribute) => attribute.local === 'type' && attribute.uri === xsiNamespace)?.value
  let record = declared
  if (written !== undefined) {
    const [prefix, local] = splitName(collapse(written))
    const namespace = reading.resolve(prefix) ?? ''
    // A service that forgets the prefix still means the type of that name.
    const exact = findSubtype(declared, ({ type }) => type?.[1] === local && type[0] === namespace)
    const found = exact ?? findSubtype(declared, ({ type }) => type?.[1] === local)
    if (found === undefined) reading.deviate(`is of the type ${show(written)}, which the contract does not know here`)
    else if (exact === undefined) reading.deviate(`names its type ${show(written)} without the right namespace`)
    record = found ?? declared
  }
  const value: Record<string, unknown> = {}
  if (record.is !== undefined) value['$is'] = record.is
  return new MembersFrame(entriesOf(record), value, tag, reading, deliver)
}

/** Reads the members of a record. */
export class MembersFrame implements Frame {
  private readonly lookup: Lookup
  private readonly value: Record<string, unknown>
  private readonly reading: Reading
  private readonly deliver: (value: Record<string, unknown>) => void
  private readonly seen = new Set<string>()
  /** Set when the element ends, so that members come in the contract's order: attributes last. */
  private readonly attributes: [key: string, value: unknown][] = []
  private collected = ''
  private furthest = -1

  constructor(entries: readonly Entry[], value: Record<string, unknown>, tag: SaxesTagNS, reading: Reading, deliver: (value: Record<string, unknown>) => void) {
    this.lookup = lookupOf(entries)
    this.value = value
    this.reading = reading
    this.deliver = deliver
    this.readAttributes(tag)
  }

  child(tag: SaxesTagNS): Frame {
    const candidates = this.lookup.elements.get(tag.local) ?? []
    const { entries } = this.lookup
    const at = candidates.find((each) => entries[each]?.name[0] === tag.uri) ?? candidates[0]
    const entry = at === undefined ? undefined : entries[at]
    if (at === undefined || entry === undefined) return this.unknown(tag, 'is not in the contract')
    const { key, codec, member, name } = entry
    if (name[0] !== tag.uri) this.reading.deviate(wrongNamespace(tag.uri, name[0]))
    if (at < this.furthest) this.reading.deviate('comes in another order than the contract says')
    this.furthest = Math.max(this.furthest, at)
    if (member.repeated === true) {
      const list = (this.seen.has(key) ? this.value[key] : []) as unknown[]
      if (!this.seen.has(key)) put(this.value, key, list)
      this.seen.add(key)
      const index = list.push(undefined) - 1
      return frameFor(codec(), tag, this.reading, member.nillable === true, (value) => {
        list[index] = value
      })
    }
    if (this.seen.has(key)) return this.unknown(tag, 'comes more than once')
    this.seen.add(key)
    const settledCodec = codec()
    const frame = frameFor(settledCodec, tag, this.reading, member.nillable === true, (value) => put(this.value, key, value))
    return frame instanceof TextFrame && (member.optional === true || member.nillable === true) ? new EmptyAwareFrame(frame, settledCodec, this.reading, () => {
      if (member.nillable === true) put(this.value, key, null)
    }) : frame
  }

  text(piece: string): void {
    this.collected += piece
  }

  end(): void {
    const { entries, textEntry } = this.lookup
    if (textEntry !== undefined) put(this.value, textEntry.key, readText(textEntry.codec() as AnyTextCodec, this.collected, this.reading))
    else if (this.collected.trim() !== '') this.reading.deviate(`has text that the contract does not know: ${show(this.collected.trim())}`)
    for (const [key, value] of this.attributes) put(this.value, key, value)
    for (const { key, member, place } of entries) {
      if (place === 'text' || this.seen.has(key) || member.optional === true || (member.repeated === true && (member.min ?? 0) === 0)) continue
      this.reading.deviate('is missing', key)
      if (member.repeated === true) put(this.value, key, [])
    }
    this.deliver(this.value)
  }

  private readAttributes(tag: SaxesTagNS): void {
    const { attributes } = this.lookup
    for (const attribute of Object.values(tag.attributes)) {
      if (attribute.prefix === 'xmlns' || attribute.name === 'xmlns' || attribute.uri === xsiNamespace) continue
      const entry = attributes.find(({ name }) => name[1] === attribute.local && name[0] === attribute.uri) ?? attributes.find(({ name }) => name[1] === attribute.local)
      if (entry === undefined) {
        this.reading.deviate('is not in the contract', `@${attribute.name}`)
        const open = this.openContent()
        open.attributes = { ...open.attributes, [openName(attribute.uri, attribute.local)]: attribute.value }
        continue
      }
      this.seen.add(entry.key)
      this.attributes.push([entry.key, readText(entry.codec() as AnyTextCodec, attribute.value, this.reading, entry.key)])
    }
  }

  /** What the contract doesn't know is kept under `$open`. */
  private unknown(tag: SaxesTagNS, message: string): Frame {
    this.reading.deviate(message)
    return new FragmentFrame(tag, (element) => {
      const open = this.openContent()
      open.elements = [...(open.elements ?? []), element]
    })
  }

  private openContent(): { elements?: OpenElement[]; attributes?: Record<string, string> } {
    return (this.value['$open'] ??= {}) as { elements?: OpenElement[]; attributes?: Record<string, string> }
  }
}

/**
 * For members that may be left out or be null: many services write an empty element where they mean that. Where an empty text has
 * no meaning by the type, that is what is understood, and told.
 */
class EmptyAwareFrame implements Frame {
  private readonly inner: Frame
  private readonly codec: AnyCodec
  private readonly reading: Reading
  private readonly whenEmpty: () => void
  private empty = true

  constructor(inner: Frame, codec: AnyCodec, reading: Reading, whenEmpty: () => void) {
    this.inner = inner
    this.codec = codec
    this.reading = reading
    this.whenEmpty = whenEmpty
  }

  child(tag: SaxesTagNS): Frame {
    return this.inner.child(tag)
  }

  text(piece: string): void {
    if (piece.trim() !== '') this.empty = false
    this.inner.text(piece)
  }

  end(): void {
    if (!this.empty || this.canBeEmpty()) this.inner.end()
    else {
      this.reading.deviate('is empty, where the contract promised a value or nothing at all')
      this.whenEmpty()
    }
  }

  private canBeEmpty(): boolean {
    const codec = 'restricts' in this.codec ? this.codec.restricts : this.codec
    if ('literals' in codec) return codec.literals.includes('')
    if (!('read' in codec)) return true
    try {
      codec.read('', this.reading)
      return true
    } catch {
      return false
    }
  }
}

function wrongNamespace(came: string, promised: string): string {
  return `is in ${came === '' ? 'no namespace' : `the namespace "${came}"`}, where the contract promised ${promised === '' ? 'none' : `"${promised}"`}`
}

function openName(namespace: string, local: string): string {
  return namespace === '' ? local : `{${namespace}}${local}`
}

function put(target: Record<string, unknown>, key: string, value: unknown): void {
  if (key === '__proto__') Object.defineProperty(target, key, { value, enumerable: true, writable: true, configurable: true })
  else target[key] = value
}

/** The name of a tag. */
export function nameOf(tag: SaxesTagNS): QName {
  return [tag.uri, tag.local]
}
