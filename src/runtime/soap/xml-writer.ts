import { entriesOf, findSubtype, settled, type AnyCodec, type AnyRecordCodec, type AnyTextCodec, type Entry, type OpenContent, type OpenElement, type QName, type WriteContext } from './codec.js'

const xsiNamespace = 'http://www.w3.org/2001/XMLSchema-instance'
const soapEncoding = 'http://schemas.xmlsoap.org/soap/encoding/'
/** Prefixes that every reader of XML knows. */
const usualPrefixes: Readonly<Record<string, string>> = { [xsiNamespace]: 'xsi', 'http://www.w3.org/2001/XMLSchema': 'xsd', [soapEncoding]: 'enc', 'http://www.w3.org/2003/05/soap-encoding': 'enc' }

/**
 * Writes XML element by element. Namespaces are declared once, on the root, with prefixes in the order of first use, so that
 * equal values give equal texts.
 */
export class XmlWriter implements WriteContext {
  private readonly parts: string[] = []
  private readonly prefixes = new Map<string, string>()
  private rootEnd = -1
  private open = false
  /** The namespace of SOAP's encoding, when what is written has to be encoded by its rules. */
  readonly encoding: string | undefined

  constructor(fixedPrefixes: Readonly<Record<string, string>>, encoding?: string) {
    this.encoding = encoding
    for (const [prefix, namespace] of Object.entries(fixedPrefixes)) this.prefixes.set(namespace, prefix)
  }

  prefix(namespace: string): string {
    if (namespace === 'http://www.w3.org/XML/1998/namespace') return 'xml'
    let prefix = this.prefixes.get(namespace)
    if (prefix === undefined) {
      prefix = usualPrefixes[namespace] ?? `n${String([...this.prefixes.values()].filter((each) => /^n\d+$/.test(each)).length + 1)}`
      this.prefixes.set(namespace, prefix)
    }
    return prefix
  }

  start(name: QName): void {
    this.closeStart()
    this.parts.push(`<${this.written(name)}`)
    if (this.rootEnd === -1) this.rootEnd = this.parts.length
    this.open = true
  }

  attribute(name: QName, value: string): void {
    this.parts.push(` ${this.written(name)}="${escapeAttribute(value)}"`)
  }

  text(value: string): void {
    if (value === '') return
    this.closeStart()
    this.parts.push(escapeText(value))
  }

  end(name: QName): void {
    if (this.open) this.parts.push('/>')
    else this.parts.push(`</${this.written(name)}>`)
    this.open = false
  }

  /** The whole document, with every namespace declared on its root. */
  finish(): string {
    const declarations = [...this.prefixes].map(([namespace, prefix]) => ` xmlns:${prefix}="${escapeAttribute(namespace)}"`)
    return [...this.parts.slice(0, this.rootEnd), ...declarations, ...this.parts.slice(this.rootEnd)].join('')
  }

  private closeStart(): void {
    if (this.open) this.parts.push('>')
    this.open = false
  }

  private written([namespace, local]: QName): string {
    return namespace === '' ? local : `${this.prefix(namespace)}:${local}`
  }
}

/**
 * Writes a value as an element. The value must satisfy the codec: check it first.
 *
 * @param name the element's name
 */
export function writeElement(writer: XmlWriter, name: QName, codec: AnyCodec, value: unknown, type?: QName): void {
  writer.start(name)
  if (value !== null && writer.encoding !== undefined) writeType(writer, writer.encoding, codec, value, type)
  if (value === null) writer.attribute([xsiNamespace, 'nil'], 'true')
  else if ('members' in codec) writeRecord(writer, codec, value as Readonly<Record<string, unknown>>)
  else if ('items' in codec) {
    const item = settled(codec.of)
    for (const each of value as readonly unknown[]) writeElement(writer, codec.items, item, each, codec.encoded)
  } else if ('fragment' in codec) writeOpenElement(writer, value as OpenElement)
  else writer.text(textOf(codec, value, writer))
  writer.end(name)
}

/**
 * Says the type of an encoded element (SOAP 1.1, section 5.1), and of an array also how many items of which type it has (section 5.4.2;
 * SOAP 1.2 part 2, section 3.3).
 */
function writeType(writer: XmlWriter, encoding: string, codec: AnyCodec, value: unknown, type: QName | undefined): void {
  const written = (name: QName): string => `${writer.prefix(name[0])}:${name[1]}`
  if ('items' in codec && codec.encoded !== undefined) {
    const size = String((value as readonly unknown[]).length)
    if (encoding === soapEncoding) {
      writer.attribute([xsiNamespace, 'type'], written([encoding, 'Array']))
      writer.attribute([encoding, 'arrayType'], `${written(codec.encoded)}[${size}]`)
    } else {
      writer.attribute([encoding, 'itemType'], written(codec.encoded))
      writer.attribute([encoding, 'arraySize'], size)
    }
  } else if (!('members' in codec) && !('fragment' in codec) && type !== undefined) writer.attribute([xsiNamespace, 'type'], written(type))
}

/** Writes a record's members into the element that was started. */
export function writeMembers(writer: XmlWriter, entries: readonly Entry[], value: Readonly<Record<string, unknown>>): void {
  const of = (key: string): unknown => (Object.hasOwn(value, key) ? value[key] : undefined)
  for (const { key, place, name, codec, member } of entries) {
    // A required attribute with only one possible value needs no word from the caller.
    const each = of(key) ?? (member.optional === true ? undefined : member.fixed)
    if (place === 'attribute' && each !== undefined) writer.attribute(name, textOf(codec() as AnyTextCodec, each, writer))
  }
  for (const { key, place, name, codec, member } of entries) {
    const each = of(key)
    if (each === undefined) continue
    if (place === 'text') writer.text(textOf(codec() as AnyTextCodec, each, writer))
    else if (place === 'element' && member.repeated === true) for (const item of each as readonly unknown[]) writeElement(writer, name, codec(), item, member.type)
    else if (place === 'element') writeElement(writer, name, codec(), each, member.type)
  }
}

function writeRecord(writer: XmlWriter, declared: AnyRecordCodec, value: Readonly<Record<string, unknown>>): void {
  const which = value['$is']
  const record = (which === undefined ? undefined : findSubtype(declared, (candidate) => candidate.is === which)) ?? declared
  if ((record !== declared || writer.encoding !== undefined) && record.type !== undefined) writer.attribute([xsiNamespace, 'type'], `${writer.prefix(record.type[0])}:${record.type[1]}`)
  const open = value['$open'] as OpenContent | undefined
  for (const [name, text] of Object.entries(open?.attributes ?? {})) writer.attribute(parseName(name), text)
  writeMembers(writer, entriesOf(record), value)
  for (const element of open?.elements ?? []) {
    const name = parseName(element.name)
    writer.start(name)
    writeOpenElement(writer, element)
    writer.end(name)
  }
}

function writeOpenElement(writer: XmlWriter, element: OpenElement): void {
  for (const [name, text] of Object.entries(element.attributes ?? {})) writer.attribute(parseName(name), text)
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

function textOf(codec: AnyTextCodec, value: unknown, context: WriteContext): string {
  if ('literals' in codec) return String(value)
  if ('restricts' in codec) return codec.restricts.write(value, context)
  if ('spaced' in codec) return (value as readonly unknown[]).map((item) => textOf(codec.spaced, item, context)).join(' ')
  return codec.write(value, context)
}

function parseName(name: string): QName {
  const [, namespace, local] = /^(?:\{(.*)\})?(.*)$/s.exec(name) ?? []
  return [namespace ?? '', local ?? '']
}

/** Text with what would be markup escaped, and the carriage returns that a parser would normalise away (XML 1.0, sections 2.4 and 2.11). */
function escapeText(value: string): string {
  return value.replace(/[&<>\r]/g, (c) => (c === '&' ? '&amp;' : c === '<' ? '&lt;' : c === '>' ? '&gt;' : '&#13;'))
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
