import type { XmlElement } from '../../documents/xml-tree.js'
import type { OpenSpecifics } from './specifics.js'

/** The namespaces that a wildcard names (XML Schema part 1, section 3.10.2). */
export function namespacesOf(
  wildcard: XmlElement,
  target: string,
): Pick<OpenSpecifics, 'namespaces' | 'except'> {
  const written = (wildcard.attribute('namespace') ?? '##any').trim()
  if (written === '##any') return {}
  if (written === '##other') return { except: target }
  return {
    namespaces: written.split(/\s+/).map((each) => {
      if (each === '##targetNamespace') return target
      if (each === '##local') return ''
      return each
    }),
  }
}

/** As many elements as must be there. */
export function openExample({ min = 0, namespaces, except }: Omit<OpenSpecifics, 'at'>): {
  openExample?: unknown
} {
  const any = except === 'urn:example' ? 'urn:example:other' : 'urn:example'
  const namespace = namespaces === undefined ? any : (namespaces[0] ?? '')
  return min === 0
    ? {}
    : {
        openExample: {
          elements: Array.from({ length: min }, () => ({
            name: namespace === '' ? 'example' : `{${namespace}}example`,
          })),
        },
      }
}
