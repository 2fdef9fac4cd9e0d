import type { Document } from 'yaml'
import { hasHidden, visible } from '../../contract/visible.js'

/** A plain value as YAML. What a terminal would obey is escaped, which means the same there. */
export async function yamlText(value: unknown): Promise<string> {
  const { Document: YamlDocument } = await import('yaml')
  return documentText(new YamlDocument(value))
}

/** A YAML document as text, likewise. */
export async function documentText(document: Document): Promise<string> {
  const { visit } = await import('yaml')
  visit(document, {
    Scalar: (_, node) => {
      // Only between double quotes are there escapes (YAML 1.2, section 5.7).
      if (typeof node.value === 'string' && hasHidden(node.value)) node.type = 'QUOTE_DOUBLE'
    },
  })
  return visible(document.toString({ lineWidth: 0 }))
}
