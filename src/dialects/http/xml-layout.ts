import type { DataNode } from '../../documents/data-node.js'
import type { Notes } from '../notes.js'

/** How a schema stands in XML (OpenAPI 3.1, section 4.8.26; nodeType of 3.2). */
export interface XmlLayout {
  readonly name?: string
  readonly namespace?: string
  readonly prefix?: string
  readonly attribute?: true
  readonly wrapped?: true
  readonly text?: true
}

/** The `xml` of a schema, where it has one. */
export function xmlLayout(node: DataNode, notes: Notes): { xml?: XmlLayout } {
  const xml = node.get('xml')
  if (xml === undefined || xml.kind !== 'object') return {}
  // Attributes hold texts: that is told once, and then the object is an element.
  if (isObject(node) && xml.take('attribute')?.value === true)
    notes.add(
      'approximated',
      'TM-2315',
      {
        what: 'An object that is to be an XML attribute',
        as: 'an element',
        reason: 'attributes hold nothing but texts',
      },
      xml.origin,
    )
  const [name, namespace, prefix, nodeType] = ['name', 'namespace', 'prefix', 'nodeType'].map(
    (key) => xml.text(key),
  )
  const layout: XmlLayout = {
    ...(name === undefined ? {} : { name }),
    ...(namespace === undefined ? {} : { namespace }),
    ...(prefix === undefined ? {} : { prefix }),
    ...(xml.flag('attribute') || nodeType === 'attribute' ? { attribute: true } : {}),
    ...(xml.flag('wrapped') || (nodeType === 'element' && node.members.has('items'))
      ? { wrapped: true }
      : {}),
    ...(nodeType === 'text' || nodeType === 'cdata' ? { text: true } : {}),
  }
  return Object.keys(layout).length === 0 ? {} : { xml: layout }
}

function isObject({ members }: DataNode): boolean {
  return members.get('type')?.value === 'object' || members.has('properties')
}
