import { special } from '../special-members.js'
import {
  findSubtype,
  itemCodec,
  shapeOf,
  type AnyCodec,
  type AnyRecordCodec,
  type AnyTextCodec,
  type Entry,
  type OpenContent,
  type OpenElement,
  type QName,
  type Shape,
  type SimpleCodec,
  type WriteContext,
} from './codec.js'
import { checkText } from './check.js'
import { flattened } from './encoded-arrays.js'
import { soapEncoding, soapEncoding12, xsiNamespace } from './namespaces.js'
import { Outgoing, xopNamespace } from './parts.js'
import { parseName } from './xml-name.js'

export const xsdNamespace = 'http://www.w3.org/2001/XMLSchema'
/** Fewer bytes than this stay in the envelope. */
const fewBytes = 512

/** Prefixes that every reader of XML knows. */
const usualPrefixes: Readonly<Record<string, string>> = {
  [xsiNamespace]: 'xsi',
  [xsdNamespace]: 'xsd',
  [soapEncoding]: 'enc',
  [soapEncoding12]: 'enc',
}

/**
 * Writes XML element by element. Namespaces are declared once, on the root, with prefixes in the
 * order of first use, so that equal values give equal texts.
 */
export class XmlWriter implements WriteContext {
  /** Joined in between: many small texts at once cost less than one that grows. */
  private readonly chunks: string[] = []
  private parts: string[] = []
  private readonly prefixes = new Map<string, string>()
  /**
   * Tags as they are written, by the very object that names them: most come from the same few
   * codecs.
   */
  private readonly tags = new Map<QName, Tags>()
  private open = false
  /** The namespace of SOAP's encoding, when what is written has to be encoded by its rules. */
  readonly encoding: string | undefined

  /** What travels beside the message. */
  private readonly outgoing: Outgoing

  constructor(
    fixedPrefixes: Readonly<Record<string, string>>,
    encoding?: string,
    outgoing: Outgoing = new Outgoing(),
  ) {
    this.encoding = encoding
    this.outgoing = outgoing
    for (const [prefix, namespace] of Object.entries(fixedPrefixes))
      this.prefixes.set(namespace, prefix)
  }

  prefix(namespace: string): string {
    if (namespace === 'http://www.w3.org/XML/1998/namespace') return 'xml'
    let prefix = this.prefixes.get(namespace)
    if (prefix === undefined) {
      prefix =
        usualPrefixes[namespace] ??
        `n${String([...this.prefixes.values()].filter((each) => /^n\d+$/.test(each)).length + 1)}`
      this.prefixes.set(namespace, prefix)
    }
    return prefix
  }

  attach(content: Uint8Array): string {
    return this.outgoing.add(content, 'application/octet-stream')
  }

  start(name: QName): void {
    this.push(this.open ? `>${this.tagsOf(name).start}` : this.tagsOf(name).start)
    this.open = true
    // The declarations of namespaces come after the name of the root.
    if (this.chunks.length === 0) this.flush()
  }

  attribute(name: QName, value: string): void {
    this.push(` ${this.tagsOf(name).name}="${escapeAttribute(value)}"`)
  }

  text(value: string): void {
    if (value === '') return
    if (this.open) this.push('>')
    this.push(escapeText(value))
    this.open = false
  }

  end(name: QName): void {
    this.push(this.open ? '/>' : this.tagsOf(name).end)
    this.open = false
  }

  /** An element with nothing but a text in it. */
  textElement<T>(name: QName, codec: SimpleCodec<T>, plain: T): void {
    if (
      this.outgoing.takesBytesOut &&
      codec.canTravelBeside === true &&
      plain instanceof Uint8Array &&
      plain.length >= fewBytes
    ) {
      this.start(name)
      this.start([xopNamespace, 'Include'])
      this.attribute(['', 'href'], this.attach(plain))
      this.end([xopNamespace, 'Include'])
      this.end(name)
      return
    }
    const { start, whole, end } = this.tagsOf(name)
    const value = codec.write(plain, this)
    if (this.chunks.length === 0) {
      this.start(name)
      this.text(value)
      this.end(name)
      return
    }
    if (this.open) this.push('>')
    this.open = false
    if (value === '') this.push(`${start}/>`)
    else {
      this.push(whole)
      this.push(escapeText(value))
      this.push(end)
    }
  }

  /** The whole document, with every namespace declared on its root. */
  finish(): string {
    this.flush()
    const [root = '', ...rest] = this.chunks
    const declarations = [...this.prefixes].map(
      ([namespace, prefix]) => ` xmlns:${prefix}="${escapeAttribute(namespace)}"`,
    )
    return [root, ...declarations, ...rest].join('')
  }

  private push(text: string): void {
    if (this.parts.push(text) > 2000) this.flush()
  }

  private flush(): void {
    this.chunks.push(this.parts.join(''))
    this.parts = []
  }

  private tagsOf(name: QName): Tags {
    let tags = this.tags.get(name)
    if (tags === undefined) {
      const written = name[0] === '' ? name[1] : `${this.prefix(name[0])}:${name[1]}`
      tags = { name: written, start: `<${written}`, whole: `<${written}>`, end: `</${written}>` }
      this.tags.set(name, tags)
    }
    return tags
  }
}

interface Tags {
  readonly name: string
  readonly start: string
  readonly whole: string
  readonly end: string
}

/**
 * Writes a value as an element. The value must satisfy the codec: check it first.
 *
 * @param name the element's name
 */
export function writeElement(
  writer: XmlWriter,
  name: QName,
  codec: AnyCodec,
  value: unknown,
  type?: QName,
): void {
  const simple = 'restricts' in codec ? codec.restricts : codec
  if ('read' in simple && value !== null && writer.encoding === undefined) {
    writer.textElement(name, simple, value)
    return
  }
  writer.start(name)
  if (value !== null && writer.encoding !== undefined)
    writeType(writer, writer.encoding, codec, value, type)
  if (value === null) writer.attribute([xsiNamespace, 'nil'], 'true')
  else if ('members' in codec)
    writeRecord(writer, codec, value as Readonly<Record<string, unknown>>)
  else if ('items' in codec) {
    const item = itemCodec(codec)
    const { items } = flattened(value as readonly unknown[], codec.dimensions ?? 1)
    for (const each of items) writeElement(writer, codec.items, item, each, codec.encoded)
  } else if ('anything' in codec) codec.anything.write(codec.records?.() ?? [], writer, value, name)
  else if ('whole' in codec) writeOpenElement(writer, codec.whole.write(value))
  else writer.text(textOf(codec, value, writer))
  writer.end(name)
}

/**
 * Says the type of an encoded element (SOAP 1.1, section 5.1), and of an array also how many items
 * of which type it has (section 5.4.2; SOAP 1.2 part 2, section 3.3).
 */
function writeType(
  writer: XmlWriter,
  encoding: string,
  codec: AnyCodec,
  value: unknown,
  type: QName | undefined,
): void {
  const written = (name: QName): string => `${writer.prefix(name[0])}:${name[1]}`
  if ('items' in codec && codec.encoded !== undefined) {
    const { sizes } = flattened(value as readonly unknown[], codec.dimensions ?? 1)
    if (encoding === soapEncoding) {
      writer.attribute([xsiNamespace, 'type'], written([encoding, 'Array']))
      writer.attribute([encoding, 'arrayType'], `${written(codec.encoded)}[${sizes.join(',')}]`)
    } else {
      const isArray = codec.encoded[1].endsWith(']')
      writer.attribute(
        [encoding, 'itemType'],
        written(isArray ? [encoding, 'Array'] : codec.encoded),
      )
      writer.attribute([encoding, 'arraySize'], sizes.join(' '))
    }
  } else if (
    !('members' in codec) &&
    !('anything' in codec) &&
    !('whole' in codec) &&
    type !== undefined
  )
    writer.attribute([xsiNamespace, 'type'], written(type))
}

/** Writes a record's members into the element that was started. */
export function writeMembers(
  writer: XmlWriter,
  { entries, attributes, openEntry }: Shape,
  value: Readonly<Record<string, unknown>>,
): void {
  for (const { key, name, codec, member } of attributes) {
    // A required attribute with only one possible value needs no word from the caller.
    const each = valueOf(value, key) ?? (member.optional === true ? undefined : member.fixed)
    if (each !== undefined) writer.attribute(name, textOf(codec() as AnyTextCodec, each, writer))
  }
  for (const entry of entries) {
    const each = valueOf(value, entry.key)
    if (each !== undefined) writeMember(writer, entry, each)
  }
  // What the contract doesn't provide for, but somebody keeps, stands last.
  if (openEntry === undefined) writeOpenElements(writer, valueOf(value, special.open))
}

function writeMember(
  writer: XmlWriter,
  { place, name, codec, simpleCodec, member }: Entry,
  value: unknown,
): void {
  switch (place) {
    case 'element': {
      const simple =
        member.repeated === true || value === null || writer.encoding !== undefined
          ? undefined
          : simpleCodec()
      if (simple !== undefined) {
        writer.textElement(name, simple, value)
        break
      }
      if (member.repeated === true)
        for (const item of value as readonly unknown[])
          writeElement(writer, name, codec(), item, member.type)
      else writeElement(writer, name, codec(), value, member.type)
      break
    }
    case 'group':
      for (const turn of value as readonly unknown[]) {
        if (typeof turn === 'string') writer.text(turn)
        else
          writeMembers(
            writer,
            shapeOf(codec() as AnyRecordCodec),
            turn as Readonly<Record<string, unknown>>,
          )
      }
      break
    case 'text':
      writer.text(textOf(codec() as AnyTextCodec, value, writer))
      break
    case 'open':
      writeOpenElements(writer, value)
      break
    case 'attribute':
  }
}

function valueOf(value: Readonly<Record<string, unknown>>, key: string): unknown {
  return Object.hasOwn(value, key) ? value[key] : undefined
}

function writeRecord(
  writer: XmlWriter,
  declared: AnyRecordCodec,
  value: Readonly<Record<string, unknown>>,
): void {
  const which = value[special.is]
  const record =
    (which === undefined
      ? undefined
      : findSubtype(declared, (candidate) => candidate.is === which)) ?? declared
  if ((record !== declared || writer.encoding !== undefined) && record.type !== undefined)
    writer.attribute([xsiNamespace, 'type'], `${writer.prefix(record.type[0])}:${record.type[1]}`)
  writeContent(writer, record, value)
}

/** Writes the attributes and the content of a record into the element that was started. */
export function writeContent(
  writer: XmlWriter,
  record: AnyRecordCodec,
  value: Readonly<Record<string, unknown>>,
): void {
  const open = value[special.open] as OpenContent | undefined
  for (const [name, text] of Object.entries(open?.attributes ?? {}))
    writer.attribute(parseName(name), text)
  writeMembers(writer, shapeOf(record), value)
}

function writeOpenElements(writer: XmlWriter, open: unknown): void {
  for (const element of (open as OpenContent | undefined)?.elements ?? []) {
    const name = parseName(element.name)
    writer.start(name)
    writeOpenElement(writer, element)
    writer.end(name)
  }
}

/** Writes the attributes and the content of an element that is kept as it is. */
export function writeOpenElement(writer: XmlWriter, element: OpenElement): void {
  for (const [name, text] of Object.entries(element.attributes ?? {}))
    writer.attribute(parseName(name), text)
  for (const piece of element.content ?? []) {
    if (typeof piece === 'string') writer.text(piece)
    else {
      const name = parseName(piece.name)
      writer.start(name)
      writeOpenElement(writer, piece)
      writer.end(name)
    }
  }
}

/** A value of a simple type as text. */
export function textOf(codec: AnyTextCodec, value: unknown, context: WriteContext): string {
  if ('literals' in codec) return String(value)
  if ('restricts' in codec) return codec.restricts.write(value, context)
  if ('spaced' in codec)
    return (value as readonly unknown[])
      .map((item) => textOf(codec.spaced, item, context))
      .join(' ')
  if ('union' in codec)
    return textOf(
      codec.union.find((each) => checkText(each, value) === undefined) ??
        (codec.union[0] as AnyTextCodec),
      value,
      context,
    )
  return codec.write(value, context)
}

/**
 * Text with what would be markup escaped, and the carriage returns that a parser would normalise
 * away (XML 1.0, sections 2.4 and 2.11).
 */
function escapeText(value: string): string {
  return !/[&<>\r]/.test(value)
    ? value
    : value.replace(/[&<>\r]/g, (c) => {
        if (c === '&') return '&amp;'
        if (c === '<') return '&lt;'
        if (c === '>') return '&gt;'
        return '&#13;'
      })
}

function escapeAttribute(value: string): string {
  return value.replace(/[&<>"\r\n\t]/g, (c) => {
    switch (c) {
      case '&':
        return '&amp;'
      case '<':
        return '&lt;'
      case '>':
        return '&gt;'
      case '"':
        return '&quot;'
      default:
        return `&#${String(c.charCodeAt(0))};`
    }
  })
}
