import { SaxesParser } from 'saxes'
import { addTo } from '../contract/lists.js'
import { setOwn } from '../runtime/plain.js'
import type { JsonValue } from './json-values.js'
import { isXml, type RecordedBody, type Recording } from './recording.js'
import { textMember } from './seen.js'
import { singular } from './singular.js'

/** An element as it came. */
interface Element {
  readonly name: string
  readonly namespace: string
  readonly attributes: readonly (readonly [name: string, value: string])[]
  readonly children: Element[]
  text: string
  readonly isNil: boolean
}

const instances = 'http://www.w3.org/2001/XMLSchema-instance'
const deepest = 200

/**
 * Reads bodies in XML as records and lists. What an element is in one of them it is in all: a list
 * where it ever stood twice beside itself, a record where it ever had attributes or elements.
 */
export class XmlValues {
  /** The namespaces of elements, by their names. */
  readonly namespaces = new Map<string, string>()
  private readonly roots = new Map<RecordedBody, Element | Error>()
  /** Names of elements, with the one that they stand in. */
  private readonly lists = new Set<string>()
  private readonly records = new Set<string>()
  /** Those that ever had text beside attributes or elements. */
  private readonly texts = new Set<string>()

  constructor(recordings: readonly Recording[]) {
    for (const { body, answer } of recordings)
      for (const each of [body, answer]) if (each !== undefined && isXml(each.type)) this.read(each)
  }

  private read(body: RecordedBody): void {
    if (body.text === undefined) return
    try {
      const root = parsed(body.text)
      this.roots.set(body, root)
      this.look(root, '')
    } catch (error) {
      this.roots.set(body, error instanceof Error ? error : new Error(String(error)))
    }
  }

  private look(element: Element, parent: string): void {
    const { name, namespace, attributes, children, text } = element
    if (namespace !== '' && !this.namespaces.has(name)) this.namespaces.set(name, namespace)
    // A schema of a text alone would be taken for the whole document.
    if (attributes.length > 0 || children.length > 0 || parent === '')
      this.records.add(keyOf(parent, name))
    if (text.trim() !== '') this.texts.add(keyOf(parent, name))
    const counts = new Map<string, number>()
    for (const child of children) {
      counts.set(child.name, (counts.get(child.name) ?? 0) + 1)
      this.look(child, name)
    }
    for (const [child, count] of counts)
      // One tide in `<tides>` is one of many.
      if (count > 1 || (singular(name) === child && name !== child && counts.size === 1))
        this.lists.add(keyOf(name, child))
  }

  /**
   * The value of a body, with the name of its element.
   *
   * @returns undefined for a body that is empty
   * @throws Error when it is no XML
   */
  of(body: RecordedBody): { readonly element: string; readonly value: JsonValue } | undefined {
    const root = this.roots.get(body)
    if (root instanceof Error) throw root
    return root && { element: root.name, value: this.valueOf(root, '') }
  }

  private valueOf(element: Element, parent: string): JsonValue {
    const { name, attributes, children, text, isNil } = element
    if (isNil) return null
    if (!this.records.has(keyOf(parent, name))) return text
    const record: Record<string, JsonValue> = {}
    for (const [attribute, value] of attributes) setOwn(record, `@${attribute}`, value)
    if (this.texts.has(keyOf(parent, name))) setOwn(record, textMember, text)
    const byName = new Map<string, Element[]>()
    for (const child of children) addTo(byName, child.name, child)
    for (const [child, all] of byName) {
      const values = all.map((each) => this.valueOf(each, name))
      const [first = null] = values
      setOwn(record, child, this.lists.has(keyOf(name, child)) ? values : first)
    }
    return record
  }
}

function keyOf(parent: string, name: string): string {
  return `${parent} ${name}`
}

/** @throws Error when it is no XML, or nested too deeply */
function parsed(text: string): Element {
  const top: Element = emptyElement('', '', [], false)
  const open = [top]
  const parser = new SaxesParser({ xmlns: true })
  parser.on('doctype', () => {
    throw new Error('it has a DTD')
  })
  parser.on('opentag', ({ local, uri, attributes }) => {
    if (open.length > deepest) throw new Error(`it is nested more than ${String(deepest)} deep`)
    const all = Object.values(attributes)
    const own = all.filter(
      ({ uri: space, prefix, name }) =>
        space !== instances && prefix !== 'xmlns' && name !== 'xmlns',
    )
    const isNil = all.some(
      ({ local: name, uri: space, value }) =>
        space === instances && name === 'nil' && /^(?:true|1)$/.test(value),
    )
    const pairs = own.map(({ local: name, value }) => [name, value] as const)
    const element = emptyElement(local, uri, pairs, isNil)
    open.at(-1)?.children.push(element)
    open.push(element)
  })
  const add = (piece: string): void => {
    const element = open.at(-1)
    if (element !== undefined) element.text += piece
  }
  parser.on('text', add)
  parser.on('cdata', add)
  parser.on('closetag', () => void open.pop())
  parser.on('error', (error) => {
    throw error
  })
  parser.write(text.replace(/^\uFEFF/, '')).close()
  const [root] = top.children
  if (root === undefined) throw new Error('there is no element')
  return root
}

function emptyElement(
  name: string,
  namespace: string,
  attributes: Element['attributes'],
  isNil: boolean,
): Element {
  return { name, namespace, attributes, children: [], text: '', isNil }
}
