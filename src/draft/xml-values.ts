import { addTo } from '../contract/lists.js'
import { isNil, parseElements, type XmlElement } from '../runtime/http/xml.js'
import { setOwn } from '../runtime/plain.js'
import type { JsonValue } from './json-values.js'
import { isXml, type RecordedBody, type Recording } from './recording.js'
import { textMember } from './seen.js'
import { singular } from './singular.js'

/** Values nested deeper are not looked into. */
const deepest = 200

/**
 * Reads bodies in XML as records and lists. What an element is in one of them it is in all: a list
 * where it ever stood twice beside itself, a record where it ever had attributes or elements.
 */
export class XmlValues {
  /** The namespaces of elements, by their names. */
  readonly namespaces = new Map<string, string>()
  private readonly roots = new Map<RecordedBody, XmlElement | Error>()
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
      const root = parseElements(body.text.replace(/^\uFEFF/, ''))
      this.look(root, '', 0)
      this.roots.set(body, root)
    } catch (error) {
      this.roots.set(body, error instanceof Error ? error : new Error(String(error)))
    }
  }

  private look(element: XmlElement, parent: string, depth: number): void {
    if (depth > deepest) throw new Error(`it is nested more than ${String(deepest)} deep`)
    const { name, namespace, children, text } = element
    if (namespace !== '' && !this.namespaces.has(name)) this.namespaces.set(name, namespace)
    // A schema of a text alone would be taken for the whole document.
    if (attributesOf(element).length > 0 || children.length > 0 || parent === '')
      this.records.add(keyOf(parent, name))
    if (text.trim() !== '') this.texts.add(keyOf(parent, name))
    const counts = new Map<string, number>()
    for (const child of children) {
      counts.set(child.name, (counts.get(child.name) ?? 0) + 1)
      this.look(child, name, depth + 1)
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

  private valueOf(element: XmlElement, parent: string): JsonValue {
    const { name, children, text } = element
    if (isNil(element)) return null
    if (!this.records.has(keyOf(parent, name))) return text
    const record: Record<string, JsonValue> = {}
    for (const [attribute, value] of attributesOf(element)) setOwn(record, `@${attribute}`, value)
    if (this.texts.has(keyOf(parent, name))) setOwn(record, textMember, text)
    const byName = new Map<string, XmlElement[]>()
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

/** The attributes of an element, but for those that speak of its type. */
function attributesOf({ attributes }: XmlElement): [name: string, value: string][] {
  return Object.entries(attributes).filter(([name]) => !name.startsWith('xsi:'))
}
