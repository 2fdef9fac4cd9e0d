import { setOwn } from '../plain.js'
import { SaxesParser } from 'saxes'
import { isObject, RawNumber } from '../json/values.js'
import type { Format } from './http.js'

/**
 * How JSON stands in XML (OpenAPI 3.1, section 4.8.26; `nodeType` of 3.2, section 4.24), as plain
 * data.
 */
export interface XmlShape {
  /** The name of the element or attribute, where it differs from the member's. */
  readonly name?: string
  readonly namespace?: string
  readonly prefix?: string
  readonly attribute?: boolean
  /** A list has an element of its own around its items. */
  readonly wrapped?: boolean
  /** It is the text of the element that it stands in. */
  readonly text?: boolean
  readonly members?: Readonly<Record<string, XmlRef>>
  readonly items?: XmlRef
  /**
   * What a text of it means: a number, true or false, or whatever it looks like; a text when left
   * out.
   */
  readonly reads?: 'number' | 'boolean' | 'any'
}

export type XmlRef = XmlShape | (() => XmlShape)

/** An element as it came. */
export interface XmlElement {
  /** Without a prefix. */
  readonly name: string
  readonly namespace: string
  /** By their names without prefixes; those of XML Schema instances are called `xsi:nil`. */
  readonly attributes: Readonly<Record<string, string>>
  readonly children: XmlElement[]
  text: string
}

const instances = 'http://www.w3.org/2001/XMLSchema-instance'

/** Bodies and answers in XML. */
export const xml: Format = {
  write: ({ xml: shape }, _value, json) => ({
    content: `<?xml version="1.0" encoding="UTF-8"?>${elementText((shape ?? {}) as XmlShape, 'root', json, true)}`,
  }),
  read: ({ xml: shape }, text) => jsonOf((shape ?? {}) as XmlShape, parseElements(text)),
}

function resolvedShape(reference: XmlRef | undefined): XmlShape {
  return typeof reference === 'function' ? reference() : (reference ?? {})
}

function elementText(shape: XmlShape, member: string, json: unknown, isRoot = false): string {
  if (json === undefined) return ''
  const local = shape.name ?? member
  if (Array.isArray(json)) {
    const item = resolvedShape(shape.items)
    // Items are named by themselves, else like the member, never by what their type is called
    // (section 4.8.26.1).
    const inside = json
      .map((each) =>
        elementText(item, isRoot || shape.wrapped === true ? (item.name ?? local) : member, each),
      )
      .join('')
    return shape.wrapped === true || isRoot
      ? `${startTag(shape, local, '')}${inside}${endTag(shape, local)}`
      : inside
  }
  if (json === null)
    return `${startTag(shape, local, ` xmlns:xsi="${instances}" xsi:nil="true"`).slice(0, -1)}/>`
  if (!isObject(json))
    return `${startTag(shape, local, '')}${escaped(leafText(json))}${endTag(shape, local)}`
  let attributes = ''
  let inside = ''
  for (const [name, value] of Object.entries(json)) {
    const own = resolvedShape(
      Object.hasOwn(shape.members ?? {}, name) ? shape.members?.[name] : undefined,
    )
    if (value === undefined) continue
    if (own.attribute === true) {
      if (value !== null)
        attributes += `${own.namespace !== undefined && own.prefix !== undefined ? ` xmlns:${own.prefix}="${escaped(own.namespace)}"` : ''} ${qualified(own, own.name ?? name)}="${escaped(leafText(value))}"`
    } else inside += own.text === true ? escaped(leafText(value)) : elementText(own, name, value)
  }
  return `${startTag(shape, local, attributes)}${inside}${endTag(shape, local)}`
}

function qualified(shape: XmlShape, local: string): string {
  // What no XML name can have is left out; a name can't begin with a digit either.
  const name = local.replace(/[^\p{L}\p{N}_.\-:]/gu, '_').replace(/^[^\p{L}_]/u, '_$&')
  return shape.prefix === undefined ? name : `${shape.prefix}:${name}`
}

function startTag(shape: XmlShape, local: string, attributes: string): string {
  const namespace =
    shape.namespace === undefined
      ? ''
      : ` xmlns${shape.prefix === undefined ? '' : `:${shape.prefix}`}="${escaped(shape.namespace)}"`
  return `<${qualified(shape, local)}${namespace}${attributes}>`
}

function endTag(shape: XmlShape, local: string): string {
  return `</${qualified(shape, local)}>`
}

function leafText(json: unknown): string {
  if (json instanceof RawNumber) return json.digits
  if (typeof json === 'object') return JSON.stringify(json)
  return String(json)
}

/** Text for content and attributes; characters that XML can't have are left out. */
function escaped(text: string): string {
  return text
    .replace(
      /[&<>"\r\n\t]/g,
      (c) =>
        ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[c] ??
        `&#${String(c.charCodeAt(0))};`,
    )
    .replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/g, '')
}

/**
 * The root of a document of XML.
 *
 * @throws Error when it is none, has a DTD or is nested too deeply
 */
export function parseElements(text: string): XmlElement {
  const top: XmlElement = { name: '', namespace: '', attributes: {}, children: [], text: '' }
  const open = [top]
  const parser = new SaxesParser({ xmlns: true })
  parser.on('doctype', () => {
    throw new Error('document types are refused')
  })
  parser.on('opentag', (tag) => {
    if (open.length > 1000) throw new Error('elements are nested too deeply')
    const attributes: Record<string, string> = {}
    for (const { local, prefix, uri, value } of Object.values(tag.attributes))
      if (prefix !== 'xmlns' && local !== 'xmlns')
        attributes[uri === instances ? `xsi:${local}` : local] = value
    const element: XmlElement = {
      name: tag.local,
      namespace: tag.uri,
      attributes,
      children: [],
      text: '',
    }
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
  parser.write(text).close()
  const [root] = top.children
  if (root === undefined) throw new Error('there is no element')
  return root
}

function jsonOf(shape: XmlShape, element: XmlElement): unknown {
  if (isNil(element)) return null
  if (shape.items !== undefined)
    return element.children.map((child) => jsonOf(resolvedShape(shape.items), child))
  const hasMembers = shape.members !== undefined
  if (!hasMembers && element.children.length === 0) return leaf(shape, element.text)
  const json: Record<string, unknown> = {}
  const set = (name: string, value: unknown): void => setOwn(json, name, value)
  const children = [...element.children]
  const attributes = new Set(
    Object.keys(element.attributes).filter((name) => !name.startsWith('xsi:')),
  )
  for (const [name, reference] of Object.entries(shape.members ?? {})) {
    const member = resolvedShape(reference)
    const local = member.name ?? name
    if (member.attribute === true) {
      const text = element.attributes[local]
      if (text !== undefined) set(name, leaf(member, text))
      attributes.delete(local)
    } else if (member.text === true) set(name, leaf(member, element.text))
    else {
      const item = resolvedShape(member.items)
      const wanted =
        member.items !== undefined && member.wrapped !== true ? (item.name ?? name) : local
      const found = take(children, wanted)
      const [first] = found
      if (first === undefined) continue
      if (member.items !== undefined && member.wrapped !== true)
        set(
          name,
          found.map((child) => jsonOf(item, child)),
        )
      else set(name, jsonOf(member, first))
    }
  }
  // What the contract does not name is kept, so that it can be told.
  for (const name of attributes) set(name, element.attributes[name])
  for (const name of new Set(children.map((child) => child.name))) {
    const found = children.filter((child) => child.name === name).map((child) => jsonOf({}, child))
    if (!Object.hasOwn(json, name)) set(name, found.length === 1 ? found[0] : found)
  }
  return json
}

/** Does an element say that it is null (XML Schema 1.1 part 1, section 2.7.2)? */
export function isNil({ attributes }: XmlElement): boolean {
  return /^(?:true|1)$/.test(attributes['xsi:nil'] ?? '')
}

/** Takes the elements of a name out of a list. */
function take(children: XmlElement[], name: string): XmlElement[] {
  const found = children.filter((child) => child.name === name)
  if (found.length === 0) return found
  let kept = 0
  for (const child of children) if (child.name !== name) children[kept++] = child
  children.length = kept
  return found
}

function leaf({ reads }: XmlShape, text: string): unknown {
  const trimmed = text.trim()
  if (
    (reads === 'boolean' || reads === 'any') &&
    /^(?:true|false|1|0)$/.test(trimmed) &&
    !(reads === 'any' && /\d/.test(trimmed))
  )
    return trimmed === 'true' || trimmed === '1'
  return (reads === 'number' || reads === 'any') &&
    /^[+-]?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?$/.test(trimmed)
    ? new RawNumber(trimmed.replace(/^\+/, ''))
    : text
}
