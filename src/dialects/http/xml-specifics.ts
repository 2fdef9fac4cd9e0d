import { marked, present } from '../../contract/present.js'
import type { DataNode } from '../../documents/data-node.js'
import type { Notes } from '../notes.js'
import { impliedTypes } from './schema-facts.js'

/** How a schema stands in XML (OpenAPI 3.1, section 4.8.26; nodeType of 3.2). */
export interface XmlSpecifics {
  readonly name?: string
  readonly namespace?: string
  readonly prefix?: string
  readonly attribute?: true
  readonly wrapped?: true
  readonly text?: true
}

/** The `xml` of a schema, where it has one. */
export function xmlSpecifics(node: DataNode, notes: Notes): { xml?: XmlSpecifics } {
  const xml = node.get('xml')
  if (xml === undefined || xml.kind !== 'object') return {}
  const [name, namespace, prefix, nodeType] = ['name', 'namespace', 'prefix', 'nodeType'].map(
    (key) => xml.text(key),
  )
  const isAttribute = xml.flag('attribute') || nodeType === 'attribute'
  const isObject = isAttribute && impliedTypes(node).includes('object')
  if (isObject)
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
  const specifics: XmlSpecifics = {
    ...present({ name, namespace, prefix }),
    ...marked({ attribute: isAttribute && !isObject }),
    ...marked({
      wrapped: xml.flag('wrapped') || (nodeType === 'element' && node.members.has('items')),
    }),
    ...marked({ text: nodeType === 'text' || nodeType === 'cdata' }),
  }
  return Object.keys(specifics).length === 0 ? {} : { xml: specifics }
}
