import { special } from '../special-members.js'
import { SaxesParser } from 'saxes'
import type { StartTag, TagAttribute } from './start-tag.js'
import { ContractBreach, type Deviation } from '../failures.js'
import { base64ToBytes, setOwn } from '../plain.js'
import { admits, checkText } from './check.js'
import {
  findSubtype,
  itemCodec,
  shapeOf,
  type AnyCodec,
  type AnyItems,
  type AnyRecordCodec,
  type AnyTextCodec,
  type Entry,
  type OpenElement,
  type QName,
  type ReadContext,
  type Shape,
  type SimpleCodec,
} from './codec.js'
import { saidPlace, saidSizes, shaped } from './encoded-arrays.js'
import { soap11, soap12, soapEncoding, soapEncoding12, xsiNamespace } from './namespaces.js'
import { noParts, xopNamespace, type Parts } from './parts.js'
import { pieceLength, type Pieces } from './pieces.js'
import { show } from '../violations.js'
import { collapse, splitName, Unreadable } from './simple.js'
import { nameText } from './xml-name.js'

/**
 * Attributes of the envelope itself may stand on what is in it: who is to understand a header, how
 * it is encoded.
 */
const envelopes: readonly string[] = [soap11, soap12]

/** The XML itself is broken, or has what is refused. */
export class NotXml extends Error {}

/** Reads one element; the reader sends it what stands inside, in order. */
export interface Frame {
  /** A child element begins; the frame it is read by. */
  child(tag: StartTag): Frame
  text(piece: string): void
  end(): void
}

/** Elements deeper than this are refused. */
export const deepest = 1000

/** What frames share while one document is read. */
export class Reading implements ReadContext {
  readonly onDeviation: (deviation: Deviation) => void
  private readonly namespaces: { resolve(prefix: string): string | undefined }
  /** The names on the way from the root to where the reader stands. */
  private readonly trail: string[] = []
  private skipped = 0
  /** Reads members that are nothing but a text, one at a time: there are very many of them. */
  readonly leaf: LeafFrame = new LeafFrame(this)

  private readonly parts: Parts

  /**
   * @param namespaces tells what a prefix is bound to where the reader stands
   * @param parts what came beside the document
   */
  constructor(
    namespaces: { resolve(prefix: string): string | undefined },
    onDeviation: (deviation: Deviation) => void,
    parts: Parts = noParts,
  ) {
    this.namespaces = namespaces
    this.onDeviation = onDeviation
    this.parts = parts
  }

  attached(address: string): Uint8Array | undefined {
    return this.parts.at(address)?.content
  }

  resolve(prefix: string): string | undefined {
    return this.namespaces.resolve(prefix)
  }

  enter(name: string): void {
    if (this.trail.length > deepest)
      throw new NotXml(`elements are nested more than ${String(deepest)} deep`)
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

/** Sends a document to a parser, piece by piece. */
export function* writeInPieces(
  parser: { write(piece: string): unknown; close(): unknown },
  xml: string,
): Pieces<void> {
  for (let at = xml.startsWith('\ufeff') ? 1 : 0; at < xml.length; at += pieceLength) {
    parser.write(xml.slice(at, at + pieceLength))
    yield
  }
  parser.close()
}

/**
 * Parses an XML document, sending what stands in it to frames. Typed values are read straight from
 * the parser's events.
 *
 * @param root makes the frame for the root element
 * @throws NotXml when the document is not well-formed or has a DTD; whatever the frames throw
 */
export function* parseDocument(
  xml: string,
  onDeviation: (deviation: Deviation) => void,
  root: (tag: StartTag, reading: Reading) => Frame,
  parts?: Parts,
): Pieces<void> {
  const parser = new SaxesParser({ xmlns: true as const, position: false as const })
  const reading = new Reading(parser, onDeviation, parts)
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
    top = stack[stack.length - 1]
  })
  yield* writeInPieces(parser, xml)
}

/** A frame for an element of this codec; the value is delivered when the element ends. */
export function frameFor(
  codec: AnyCodec,
  tag: StartTag,
  reading: Reading,
  nillable: boolean,
  deliver: (value: unknown) => void,
): Frame {
  if (hasAttributes(tag) && isNil(tag)) {
    if (!nillable) reading.deviate('is null, which the contract does not allow')
    return new IgnoringFrame(() => deliver(null))
  }
  if ('members' in codec) return recordFrame(codec, tag, reading, deliver)
  if ('anything' in codec)
    return codec.anything.frame(codec.records?.() ?? [], tag, reading, deliver)
  if ('whole' in codec)
    return new FragmentFrame(tag, (element) => deliver(codec.whole.read(element)))
  tellAttributes(tag, reading)
  if ('items' in codec) return new ItemsFrame(codec, reading, deliver, tag)
  return new TextFrame(codec, tag, reading, deliver)
}

function hasAttributes({ attributes }: StartTag): boolean {
  for (const _ in attributes) return true
  return false
}

/** The namespaces of SOAP's own encoding, whose attributes tell how a message is laid out. */
const encodings: readonly string[] = [soapEncoding, soapEncoding12]

/** Attributes that nobody reads are told of. */
function tellAttributes(tag: StartTag, reading: Reading): void {
  for (const key in tag.attributes) {
    const { name, uri, prefix } = tag.attributes[key] as TagAttribute
    const isOwn = name !== 'xmlns' && prefix !== 'xmlns' && uri !== xsiNamespace
    if (isOwn && !envelopes.includes(uri) && !encodings.includes(uri))
      reading.deviate('is not in the contract', `@${name}`)
  }
}

/** An attribute by which an element speaks of itself (XML Schema part 1, section 2.6). */
function instanceAttribute(tag: StartTag, name: 'type' | 'nil'): string | undefined {
  return Object.values(tag.attributes).find(
    ({ local, uri }) => local === name && uri === xsiNamespace,
  )?.value
}

function isNil(tag: StartTag): boolean {
  const nil = instanceAttribute(tag, 'nil')
  return nil === 'true' || nil === '1'
}

/** What a text means by its codec; a text that means nothing is a breach. */
export function readText(
  codec: AnyTextCodec,
  text: string,
  reading: Reading,
  member = '',
): unknown {
  if ('read' in codec) return readSimple(codec, text, reading, member)
  if ('spaced' in codec) {
    const collapsed = collapse(text)
    return collapsed === ''
      ? []
      : collapsed.split(' ').map((item) => readText(codec.spaced, item, reading, member))
  }
  if ('literals' in codec) {
    if (codec.literals.includes(text)) return text
    const found = codec.literals.find((literal) => literal === collapse(text))
    if (found === undefined)
      reading.deviate(`${show(text)} is not one of the contract's values`, member)
    return found ?? text
  }
  if ('union' in codec) return readUnion(codec, text, reading, member)
  const value = readSimple(codec.restricts, text, reading, member)
  const message = checkText(codec, value)
  if (message !== undefined) reading.deviate(message, member)
  return value
}

function readSimple(
  simple: SimpleCodec<unknown>,
  text: string,
  reading: Reading,
  member: string,
): unknown {
  try {
    return simple.read(text, reading)
  } catch (error) {
    if (!(error instanceof Unreadable)) throw error
    throw new ContractBreach(
      reading.path(member),
      simple.simple,
      text.trim() === '' ? 'nothing' : show(text),
    )
  }
}

/** What a text means by the first of several types that it is valid for. */
function readUnion(
  { union }: { readonly union: readonly AnyTextCodec[] },
  text: string,
  reading: Reading,
  member: string,
): unknown {
  for (const codec of union) {
    let isValid = true
    const trial = new Reading(reading, () => (isValid = false))
    try {
      const value = readText(codec, text, trial)
      if (isValid) return value
    } catch (error) {
      if (!(error instanceof ContractBreach)) throw error
    }
  }
  reading.deviate(`${show(text)} is of none of the types that the contract promised`, member)
  return text
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

/** Collects a text, or the bytes that stand for it beside the message. */
abstract class Collecting implements Frame {
  protected readonly reading: Reading
  protected codec: AnyTextCodec
  protected collected = ''
  protected beside: Uint8Array | undefined
  /** The element says of itself that it is bytes. */
  protected isPacked = false

  constructor(codec: AnyTextCodec, reading: Reading) {
    this.codec = codec
    this.reading = reading
  }

  child(tag: StartTag): Frame {
    this.beside = bytesBeside(this.codec, tag, this.reading)
    return new IgnoringFrame()
  }

  text(piece: string): void {
    this.collected += piece
  }

  /** The text; of bytes where none were promised the one that they make. */
  protected taken(): string {
    return this.isPacked ? unpacked(this.collected, this.reading) : this.collected
  }

  abstract end(): void
}

/** Does an element say that it is bytes, where something else was promised? */
function saysBytes(codec: AnyTextCodec, tag: StartTag): boolean {
  const simple = 'restricts' in codec ? codec.restricts : codec
  if ('read' in simple && simple.canTravelBeside === true) return false
  return /(?:^|:)base64(?:Binary)?\s*$/.test(instanceAttribute(tag, 'type') ?? '')
}

/** Some services send what has other letters than those of ASCII as the bytes of its text. */
function unpacked(text: string, reading: Reading): string {
  try {
    const bytes = base64ToBytes(text.replace(/\s+/g, ''))
    const made = new TextDecoder('utf-8', { fatal: true }).decode(bytes)
    reading.deviate('is sent as bytes, and read as the text that they make')
    return made
  } catch {
    return text
  }
}

/** Reads an element that is nothing but a text. */
export class TextFrame extends Collecting {
  private readonly deliver: (value: unknown) => void

  constructor(
    codec: AnyTextCodec,
    tag: StartTag,
    reading: Reading,
    deliver: (value: unknown) => void,
  ) {
    super(codec, reading)
    this.isPacked = hasAttributes(tag) && saysBytes(codec, tag)
    this.deliver = deliver
  }

  override end(): void {
    this.deliver(this.beside ?? readText(this.codec, this.taken(), this.reading))
  }
}

/** Of so many items of an encoded array at most only the places travel. */
const mostMissing = 1_000_000

/** Reads a list: an element around its items. */
export class ItemsFrame implements Frame {
  private readonly codec: AnyItems
  private readonly reading: Reading
  private readonly deliver: (value: unknown) => void
  private readonly items: unknown[] = []
  /** Of an encoded array: how many there are in each dimension, and where the next one stands. */
  private readonly sizes: readonly number[] | undefined
  private next = 0

  constructor(
    codec: AnyItems,
    reading: Reading,
    deliver: (value: unknown) => void,
    tag?: StartTag,
  ) {
    this.codec = codec
    this.reading = reading
    this.deliver = deliver
    if (codec.encoded === undefined || tag === undefined || !hasAttributes(tag)) return
    this.sizes = saidSizes(tag)
    this.next = saidPlace(tag, 'offset', this.sizes) ?? 0
  }

  child(tag: StartTag): Frame {
    const [namespace, local] = this.codec.items
    if (this.codec.encoded !== undefined) {
      // Items of an encoded array may be called anything.
    } else if (tag.local !== local)
      this.reading.deviate(`is an item of a list whose items are called "${local}"`)
    else if (tag.uri !== namespace) this.reading.deviate(wrongNamespace(tag.uri, namespace))
    const at = this.placeOf(tag)
    this.items[at] = undefined
    return frameFor(
      itemCodec(this.codec),
      tag,
      this.reading,
      this.codec.nillable === true,
      (value) => {
        this.items[at] = value
      },
    )
  }

  /** Where an item stands: of an encoded array perhaps where it says itself. */
  private placeOf(tag: StartTag): number {
    const said =
      this.codec.encoded !== undefined && hasAttributes(tag)
        ? saidPlace(tag, 'position', this.sizes)
        : undefined
    const at = said ?? this.next
    if (at > this.items.length + mostMissing)
      throw new ContractBreach(this.reading.path(), 'a place in a list', `place ${String(at)}`)
    this.next = at + 1
    return at
  }

  text(piece: string): void {
    if (piece.trim() !== '')
      this.reading.deviate(`has text between its items: ${show(piece.trim())}`)
  }

  end(): void {
    const { dimensions = 1, encoded } = this.codec
    const { items, sizes } = this
    const size = (sizes ?? []).reduce((product, each) => product * each, 1)
    if (encoded === undefined) this.deliver(items)
    else if (dimensions === 1) this.deliver(Array.from(items, (item) => item ?? null))
    else if (sizes?.length === dimensions && size <= items.length + mostMissing)
      this.deliver(shaped(items, sizes))
    else
      throw new ContractBreach(
        this.reading.path(),
        `an array of ${String(dimensions)} dimensions`,
        'one that does not say how long they are, or not as it is',
      )
  }
}

/** Keeps an element as it is. */
export class FragmentFrame implements Frame {
  private readonly name: string
  private readonly attributes: Record<string, string> = {}
  private readonly content: (OpenElement | string)[] = []
  private readonly deliver: (value: OpenElement) => void

  constructor(tag: StartTag, deliver: (value: OpenElement) => void) {
    this.name = nameText(tag.uri, tag.local)
    for (const attribute of Object.values(tag.attributes)) {
      if (attribute.prefix !== 'xmlns' && attribute.name !== 'xmlns')
        setOwn(this.attributes, nameText(attribute.uri, attribute.local), attribute.value)
    }
    this.deliver = deliver
  }

  child(tag: StartTag): Frame {
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
    const content = this.content.some((piece) => typeof piece !== 'string')
      ? this.content.filter((piece) => typeof piece !== 'string' || piece.trim() !== '')
      : this.content
    this.deliver({
      name: this.name,
      ...(Object.keys(this.attributes).length === 0 ? {} : { attributes: this.attributes }),
      ...(content.length === 0
        ? {}
        : {
            content: content.every((piece) => typeof piece === 'string')
              ? [content.join('')]
              : content,
          }),
    })
  }
}

function recordFrame(
  declared: AnyRecordCodec,
  tag: StartTag,
  reading: Reading,
  deliver: (value: unknown) => void,
): Frame {
  const written = hasAttributes(tag) ? instanceAttribute(tag, 'type') : undefined
  let record = declared
  if (written !== undefined) {
    const [prefix, local] = splitName(collapse(written))
    const namespace = reading.resolve(prefix) ?? ''
    // A service that forgets the prefix still means the type of that name.
    const exact = findSubtype(declared, ({ type }) => type?.[1] === local && type[0] === namespace)
    const found = exact ?? findSubtype(declared, ({ type }) => type?.[1] === local)
    if (found === undefined)
      reading.deviate(`is of the type ${show(written)}, which the contract does not know here`)
    else if (exact === undefined)
      reading.deviate(`names its type ${show(written)} without the right namespace`)
    record = found ?? declared
  }
  const shape = shapeOf(record)
  const value = shape.blank()
  if (record.is !== undefined) value[special.is] = record.is
  return new MembersFrame(shape, value, tag, reading, deliver)
}

/**
 * The bytes that an element inside a text stands for (XOP 1.0, section 2.1).
 *
 * @throws ContractBreach when it is any other element, or there are no such bytes
 */
function bytesBeside(codec: AnyTextCodec, tag: StartTag, reading: Reading): Uint8Array {
  const simple = 'restricts' in codec ? codec.restricts : codec
  if (tag.uri !== xopNamespace || !('read' in simple) || simple.canTravelBeside !== true)
    throw new ContractBreach(reading.path(), 'a text', `an element <${tag.name}>`)
  const address = Object.values(tag.attributes).find(({ local }) => local === 'href')?.value ?? ''
  const content = reading.attached(address)
  if (content === undefined)
    throw new ContractBreach(
      reading.path(),
      'bytes beside the message',
      `no part with the address ${show(address)}`,
    )
  return content
}

/**
 * Reads a member that is nothing but a text. There is one of these for a whole document: texts have
 * nothing inside them.
 */
class LeafFrame extends Collecting {
  private owner: MembersFrame | undefined
  private entry: Entry | undefined

  constructor(reading: Reading) {
    super({ literals: [] }, reading)
  }

  begin(codec: AnyTextCodec, owner: MembersFrame, entry: Entry, isPacked: boolean): this {
    this.codec = codec
    this.isPacked = isPacked
    this.owner = owner
    this.entry = entry
    this.collected = ''
    this.beside = undefined
    return this
  }

  override end(): void {
    const { entry, owner, codec, collected, reading, beside } = this
    if (entry === undefined || owner === undefined) return
    if (beside !== undefined) {
      owner.take(entry, beside)
      return
    }
    const { member } = entry
    // Many services write an empty element where they mean that there is none, or null: that is
    // what is understood, and told.
    if (
      (member.optional === true || member.nillable === true) &&
      member.repeated !== true &&
      collected.trim() === '' &&
      !canBeEmpty(codec, reading)
    ) {
      reading.deviate('is empty, where the contract promised a value or nothing at all')
      if (member.nillable === true) owner.take(entry, null)
    } else owner.take(entry, readText(codec, this.taken(), reading))
  }
}

/** Reads the members of a record, or of one turn of a group that repeats. */
export class MembersFrame implements Frame {
  private readonly shape: Shape
  private readonly value: Record<string, unknown>
  private readonly reading: Reading
  private readonly deliver: (value: Record<string, unknown>) => void
  /**
   * The entries that were there, by their places: a bit for each of the first, of which there are
   * mostly no more.
   */
  private seenFirst = 0
  private seenLater: Set<number> | undefined
  /** Set when the element ends, so that members come in the contract's order: attributes last. */
  private attributes: [key: string, value: unknown][] | undefined
  private collected = ''
  private furthest = -1
  /** The turn of a repeated group that is being read, with the place of its entry. */
  private turn: { readonly at: number; readonly frame: MembersFrame } | undefined

  /**
   * @param tag the record's element; none for a turn of a group, which has no element of its own
   */
  constructor(
    shape: Shape,
    value: Record<string, unknown>,
    tag: StartTag | undefined,
    reading: Reading,
    deliver: (value: Record<string, unknown>) => void,
  ) {
    this.shape = shape
    this.value = value
    this.reading = reading
    this.deliver = deliver
    if (tag !== undefined)
      for (const key in tag.attributes) this.readAttribute(tag.attributes[key] as TagAttribute)
  }

  child(tag: StartTag): Frame {
    const at = this.placeOf(tag)
    const entry = at === -1 ? undefined : this.shape.entries[at]
    if (entry === undefined) return this.unknown(tag, 'is not in the contract')
    const { key, codec, member, name, place } = entry
    if (place === 'group') return this.inTurn(at, entry, tag)
    this.endTurn()
    if (name[0] !== tag.uri) this.reading.deviate(wrongNamespace(tag.uri, name[0]))
    if (at < this.furthest) {
      if (!this.shape.anyOrder)
        this.reading.deviate('comes in another order than the contract says')
    } else this.furthest = at
    const isNew = this.see(at)
    if (!isNew && member.repeated !== true) return this.unknown(tag, 'comes more than once')
    if (isNew && member.repeated === true) setOwn(this.value, key, [])
    const attributed = hasAttributes(tag)
    const text = entry.textCodec()
    if (text !== undefined && !(attributed && isNil(tag))) {
      if (attributed) tellAttributes(tag, this.reading)
      return this.reading.leaf.begin(text, this, entry, attributed && saysBytes(text, tag))
    }
    const expected = codec()
    const list = member.repeated === true ? (this.value[key] as unknown[]) : undefined
    const index = (list?.push(undefined) ?? 0) - 1
    return frameFor(expected, tag, this.reading, member.nillable === true, (value) => {
      // Null where there may be none is left out, which is what the type says.
      if (list !== undefined) list[index] = value
      else if (value !== null || member.nillable === true) setOwn(this.value, key, value)
    })
  }

  /** Takes the value of a member that is nothing but a text. */
  take({ key, member }: Entry, value: unknown): void {
    if (member.repeated === true) (this.value[key] as unknown[]).push(value)
    else setOwn(this.value, key, value)
  }

  text(piece: string): void {
    const entry = this.shape.mixedEntry
    if (entry === undefined) this.collected += piece
    else if (piece !== '') {
      // Texts on both sides of a comment are one text.
      const list = this.turns(entry)
      const isOngoing = this.turn === undefined && typeof list.at(-1) === 'string'
      this.endTurn()
      if (isOngoing) list.push(String(list.pop()) + piece)
      else list.push(piece)
    }
  }

  end(): void {
    this.endTurn()
    const { promised, textEntry } = this.shape
    if (textEntry !== undefined)
      setOwn(
        this.value,
        textEntry.key,
        readText(textEntry.codec() as AnyTextCodec, this.collected, this.reading),
      )
    else if (this.collected !== '' && this.collected.trim() !== '')
      this.reading.deviate(
        `has text that the contract does not know: ${show(this.collected.trim())}`,
      )
    for (const [key, value] of this.attributes ?? []) setOwn(this.value, key, value)
    for (const at of promised) {
      const entry = this.shape.entries[at]
      if (entry === undefined || this.isSeen(at)) continue
      const { key, member, place } = entry
      if (
        place === 'open' &&
        (this.value[special.open] as { elements?: unknown } | undefined)?.elements !== undefined
      )
        continue
      this.reading.deviate('is missing', key)
      if (member.repeated === true || place === 'group') setOwn(this.value, key, [])
    }
    this.deliver(this.value)
  }

  /** May the element still be a part of this turn of a group, or does it begin the next one? */
  admits(tag: StartTag): boolean {
    const at = this.placeOf(tag)
    const entry = this.shape.entries[at]
    if (entry === undefined) return this.admitsOpen(tag)
    if (at < this.furthest && !this.shape.anyOrder) return false
    if (this.isSeen(at) && entry.member.repeated !== true && entry.place !== 'group') return false
    return this.agrees(entry.key)
  }

  private admitsOpen(tag: StartTag): boolean {
    const member = this.shape.openEntry?.member
    const { elements = [] } = (this.value[special.open] ?? {}) as {
      elements?: readonly OpenElement[]
    }
    return (
      member !== undefined &&
      admits(member, tag.uri) &&
      elements.length < (member.max ?? Infinity) &&
      this.agrees(special.open)
    )
  }

  /** Can a member stand beside those that were read, by the choices between them? */
  private agrees(key: string): boolean {
    return this.shape.choices.every(({ of }) => {
      const chosen = of.flatMap(({ members }) => members).filter((name) => this.hasSeen(name))
      return (
        !of.some(({ members }) => members.includes(key)) ||
        of.some(
          ({ members }) => members.includes(key) && chosen.every((name) => members.includes(name)),
        )
      )
    })
  }

  /**
   * The entry that an element belongs to: of its very name before one in another namespace, one
   * that is still to come before one that was.
   */
  private placeOf(tag: StartTag): number {
    const { entries } = this.shape
    // Mostly it is the next one, or the same again.
    for (let at = Math.max(0, this.furthest); at <= this.furthest + 1; at += 1) {
      const entry = entries[at]
      if (
        entry !== undefined &&
        entry.place === 'element' &&
        entry.name[1] === tag.local &&
        entry.name[0] === tag.uri &&
        (at > this.furthest || entry.member.repeated === true)
      )
        return at
    }
    const candidates = this.shape.places.get(tag.local)
    if (candidates === undefined) return -1
    const only = candidates[0] ?? -1
    if (candidates.length === 1) return only
    const fits = (at: number): boolean =>
      entries[at]?.place === 'group' || entries[at]?.name[0] === tag.uri
    const isFree = (at: number): boolean => {
      const entry = entries[at]
      return (
        entry !== undefined &&
        at >= this.furthest &&
        (!this.isSeen(at) || entry.member.repeated === true || entry.place === 'group')
      )
    }
    return candidates.find((at) => fits(at) && isFree(at)) ?? candidates.find(fits) ?? only
  }

  private inTurn(at: number, entry: Entry, tag: StartTag): Frame {
    if (this.turn?.at !== at || !this.turn.frame.admits(tag)) {
      this.endTurn()
      if (at < this.furthest) this.reading.deviate('comes in another order than the contract says')
      this.furthest = Math.max(this.furthest, at)
      const list = this.turns(entry)
      const index = list.push(undefined) - 1
      const shape = shapeOf(entry.codec() as AnyRecordCodec)
      const frame = new MembersFrame(shape, shape.blank(), undefined, this.reading, (value) => {
        list[index] = value
      })
      this.turn = { at, frame }
    }
    return this.turn.frame.child(tag)
  }

  /** The turns of a group that were read so far. */
  private turns({ key }: Entry): unknown[] {
    if (this.see(this.shape.keys.get(key) ?? 0)) setOwn(this.value, key, [])
    return this.value[key] as unknown[]
  }

  /** Notes that an entry was there; tells whether that is new. */
  private see(at: number): boolean {
    const isNew = !this.isSeen(at)
    if (at < 31) this.seenFirst |= 1 << at
    else (this.seenLater ??= new Set()).add(at)
    return isNew
  }

  private isSeen(at: number): boolean {
    return at < 31 ? (this.seenFirst & (1 << at)) !== 0 : (this.seenLater?.has(at) ?? false)
  }

  private hasSeen(key: string): boolean {
    const at = this.shape.keys.get(key)
    return at !== undefined && this.isSeen(at)
  }

  private endTurn(): void {
    const { turn } = this
    if (turn === undefined) return
    this.turn = undefined
    turn.frame.end()
  }

  private readAttribute(attribute: TagAttribute): void {
    if (
      attribute.prefix === 'xmlns' ||
      attribute.name === 'xmlns' ||
      attribute.uri === xsiNamespace ||
      envelopes.includes(attribute.uri)
    )
      return
    const { attributes, openEntry } = this.shape
    const entry =
      attributes.find(({ name }) => name[1] === attribute.local && name[0] === attribute.uri) ??
      attributes.find(({ name }) => name[1] === attribute.local)
    if (entry === undefined) {
      if (openEntry?.member.attributes !== true)
        this.reading.deviate('is not in the contract', `@${attribute.name}`)
      const open = this.openContent()
      setOwn((open.attributes ??= {}), nameText(attribute.uri, attribute.local), attribute.value)
      return
    }
    this.see(this.shape.keys.get(entry.key) ?? 0)
    this.attributes ??= []
    this.attributes.push([
      entry.key,
      readText(entry.codec() as AnyTextCodec, attribute.value, this.reading, entry.key),
    ])
  }

  /**
   * What no member is for is kept under `$open`; it is a deviation where the contract does not
   * provide for it.
   */
  private unknown(tag: StartTag, message: string): Frame {
    const { openEntry, entries } = this.shape
    if (
      openEntry === undefined ||
      openEntry.member.max === 0 ||
      !admits(openEntry.member, tag.uri)
    ) {
      // It may belong to a turn of a group that is open.
      const at =
        this.turn?.at ??
        entries.findIndex(
          ({ place, codec }) =>
            place === 'group' && shapeOf(codec() as AnyRecordCodec).openEntry !== undefined,
        )
      const group = entries[at]
      if (
        group !== undefined &&
        message === 'is not in the contract' &&
        shapeOf(group.codec() as AnyRecordCodec).openEntry !== undefined
      )
        return this.inTurn(at, group, tag)
      this.reading.deviate(message)
    }
    const open = this.shape.keys.get(special.open)
    if (open !== undefined) this.see(open)
    return new FragmentFrame(tag, (element) => {
      const open = this.openContent()
      ;(open.elements ??= []).push(element)
    })
  }

  private openContent(): { elements?: OpenElement[]; attributes?: Record<string, string> } {
    return (this.value[special.open] ??= {}) as {
      elements?: OpenElement[]
      attributes?: Record<string, string>
    }
  }
}

/** Does an empty text mean something? */
function canBeEmpty(codec: AnyTextCodec, reading: Reading): boolean {
  if ('literals' in codec) return codec.literals.includes('')
  if ('union' in codec) return codec.union.some((each) => canBeEmpty(each, reading))
  if ('spaced' in codec) return true
  try {
    const simple = 'read' in codec ? codec : codec.restricts
    simple.read('', reading)
    return true
  } catch {
    return false
  }
}

function wrongNamespace(came: string, promised: string): string {
  return `is in ${came === '' ? 'no namespace' : `the namespace "${came}"`}, where the contract promised ${promised === '' ? 'none' : `"${promised}"`}`
}

/** The name of a tag. */
export function nameOf(tag: StartTag): QName {
  return [tag.uri, tag.local]
}
