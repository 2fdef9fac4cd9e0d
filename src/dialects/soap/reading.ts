import { present } from '../../contract/present.js'
import { problem } from '../../contract/problem.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import type { QualifiedName } from './specifics.js'
import { wsdl, xsd } from './namespaces.js'

/**
 * Resolves a QName in an attribute's value (Namespaces in XML, section 4; for WSDL and XML Schema
 * an unprefixed name is in the default namespace).
 *
 * @throws Problem TM-2105 when the prefix is not bound
 */
export function qualifiedName(value: string, at: XmlElement): QualifiedName {
  const name = value.trim()
  const colon = name.indexOf(':')
  const namespace = at.namespaceOf(colon === -1 ? '' : name.slice(0, colon))
  if (namespace === undefined) throw problem('TM-2105', { name }, { place: at.place })
  return [namespace, name.slice(colon + 1)]
}

/** The attribute's value; its absence makes the document invalid. */
export function wantedAttribute(element: XmlElement, attribute: string): string {
  const value = element.attribute(attribute)
  if (value === undefined)
    throw problem('TM-2104', { what: `<${element.name}>`, attribute }, { place: element.place })
  return value
}

/** The key of a qualified name, also the id of a named type: `{namespace}local`. */
export function keyOf([namespace, local]: QualifiedName): string {
  return `{${namespace}}${local}`
}

/**
 * What the metadata says about an element in prose (wsdl:documentation or xs:annotation), lines
 * trimmed, or undefined.
 */
export function documentationOf(element: XmlElement): string | undefined {
  const texts: string[] = []
  for (const documentation of element.take(wsdl, 'documentation')) {
    texts.push(wholeText(documentation))
    documentation.readWhole()
  }
  for (const annotation of element.take(xsd, 'annotation')) {
    for (const documentation of annotation.take(xsd, 'documentation')) {
      texts.push(wholeText(documentation))
      documentation.readWhole()
    }
    annotation.attribute('id')
    // What is meant for other programs says nothing of the contract.
    for (const hint of annotation.take(xsd, 'appinfo')) hint.readWhole()
  }
  const lines = texts
    .join('\n\n')
    .split('\n')
    .map((line) => line.trim())
  const text = lines
    .join('\n')
    .replace(/\n{3,}/g, '\n\n')
    .trim()
  return text === '' ? undefined : text
}

function wholeText(element: XmlElement): string {
  return element.text + element.children.map(wholeText).join(' ')
}

/** An object with `documentation` when there is one, to spread into a node. */
export function documented(element: XmlElement): { documentation?: string } {
  return present({ documentation: documentationOf(element) })
}

/**
 * What a name without a prefix means that the default namespace sends into that of WSDL itself,
 * which declares nothing of the kind: the only definition of that name.
 */
export function onlyOneMeant<Definition extends { readonly name: QualifiedName }>(
  [namespace, local]: QualifiedName,
  components: readonly Definition[],
): Definition | undefined {
  if (namespace !== wsdl) return undefined
  const [only, ...others] = components.filter(({ name }) => name[1] === local)
  return others.length === 0 ? only : undefined
}
