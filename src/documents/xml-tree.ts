import { SaxesParser } from 'saxes'
import type { Origin, PlaceInDocument } from '../contract/contract.js'
import { problem } from '../contract/problem.js'
import { SourceText } from './source-text.js'

/**
 * Nesting beyond this is refused: no real document comes near, and a hostile one could exhaust the
 * stack.
 */
const deepest = 500

/** An attribute of a metadata document. `read` tells whether a reader has looked at it. */
export interface XmlAttribute {
  readonly namespace: string
  readonly local: string
  readonly name: string
  readonly value: string
  read: boolean
}

/**
 * An element of a metadata document: a light tree that remembers where everything stood and what
 * has been read, so that whatever no reader looked at can be told in a note.
 */
export class XmlElement {
  readonly namespace: string
  readonly local: string
  /** As written, with its prefix. */
  readonly name: string
  readonly source: SourceText
  /** The offset of its first character. */
  readonly start: number
  readonly parent: XmlElement | undefined
  readonly attributes: XmlAttribute[] = []
  readonly children: XmlElement[] = []
  /** All character data directly inside, joined. */
  text = ''
  /** Set when a reader has dealt with the element: modelled it or told a note about it. */
  read = false
  private readonly bindings: Readonly<Record<string, string>>

  constructor(
    name: string,
    namespace: string,
    local: string,
    { source, start }: Pick<XmlElement, 'source' | 'start'>,
    parent: XmlElement | undefined,
    bindings: Readonly<Record<string, string>>,
  ) {
    this.name = name
    this.namespace = namespace
    this.local = local
    this.source = source
    this.start = start
    this.parent = parent
    this.bindings = bindings
  }

  get origin(): Origin {
    return this.source.originAt(this.start)
  }

  /** Where it stands, for messages. */
  get place(): PlaceInDocument {
    return this.source.placeAt(this.start)
  }

  /** Is it this element? Marks nothing. */
  is(namespace: string, local?: string): boolean {
    return this.namespace === namespace && (local === undefined || this.local === local)
  }

  /** The value of an attribute (no namespace unless given), and marks it as read. */
  attribute(local: string, namespace = ''): string | undefined {
    const found = this.attributes.find(
      (each) => each.local === local && each.namespace === namespace,
    )
    if (found === undefined) return undefined
    found.read = true
    return found.value
  }

  /** The child elements of this name, marked as read. */
  take(namespace: string, local?: string): XmlElement[] {
    const found = this.children.filter((child) => child.is(namespace, local))
    for (const child of found) child.read = true
    return found
  }

  /** The first child of this name, marked as read. */
  takeOne(namespace: string, local: string): XmlElement | undefined {
    const found = this.children.find((child) => child.is(namespace, local))
    if (found !== undefined) found.read = true
    return found
  }

  /** Marks the element and everything inside it as dealt with. */
  readWhole(): void {
    this.read = true
    for (const attribute of this.attributes) attribute.read = true
    for (const child of this.children) child.readWhole()
  }

  /**
   * The namespace a prefix is bound to here (`''` asks for the default namespace), or undefined.
   */
  namespaceOf(prefix: string): string | undefined {
    if (Object.hasOwn(this.bindings, prefix)) return this.bindings[prefix]
    if (this.parent !== undefined) return this.parent.namespaceOf(prefix)
    if (prefix === 'xml') return 'http://www.w3.org/XML/1998/namespace'
    if (prefix === '') return ''
    return undefined
  }
}

/**
 * Parses an XML document (XML 1.0 with Namespaces) into a light tree.
 *
 * @param text the document's characters, without a byte-order mark
 * @param document its label, for messages
 * @param index its place among those of the contract, for origins
 * @throws Problem TM-2007 when it is not well-formed, TM-2008 when it has a DTD, TM-2015 when
 *   empty, TM-2217 when nested too deep
 */
export function parseXml(text: string, document: string, index = 0): XmlElement {
  if (text.trim() === '') throw problem('TM-2015', {}, { place: { document } })
  const source = new SourceText(document, text, index)
  const parser = new SaxesParser({ xmlns: true, position: true })
  let root: XmlElement | undefined
  let current: XmlElement | undefined
  let depth = 0
  let start = 0

  parser.on('error', (error) => {
    const at = source.placeAt(parser.position)
    throw problem(
      'TM-2007',
      { reason: error.message.replace(/^\d+:\d+: /, '').replace(/\.$/, '') },
      { place: at },
    )
  })
  parser.on('doctype', () => {
    throw problem('TM-2008', {}, { place: source.placeAt(Math.max(0, text.indexOf('<!DOCTYPE'))) })
  })
  parser.on('opentagstart', (tag) => {
    // The parser stands behind the character that ended the name: `<`, the name, that character.
    start = parser.position - tag.name.length - 2
  })
  parser.on('opentag', (tag) => {
    depth += 1
    if (depth > deepest)
      throw problem('TM-2217', { limit: deepest }, { place: source.placeAt(start) })
    const element = new XmlElement(tag.name, tag.uri, tag.local, { source, start }, current, tag.ns)
    for (const attribute of Object.values(tag.attributes)) {
      const binding = attribute.name === 'xmlns' || attribute.prefix === 'xmlns'
      if (!binding)
        element.attributes.push({
          namespace: attribute.uri,
          local: attribute.local,
          name: attribute.name,
          value: attribute.value,
          read: false,
        })
    }
    if (current === undefined) root = element
    else current.children.push(element)
    current = element
  })
  const addText = (piece: string): void => {
    if (current !== undefined) current.text += piece
  }
  parser.on('text', addText)
  parser.on('cdata', addText)
  parser.on('closetag', () => {
    depth -= 1
    current = current?.parent
  })
  parser.write(text).close()
  if (root === undefined)
    throw problem('TM-2007', { reason: 'there is no element in it' }, { place: { document } })
  return root
}
