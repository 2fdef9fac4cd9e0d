import type { DataNode } from '../../documents/data-node.js'

/** Keywords of a schema that say nothing of which values there may be. */
export const annotations: ReadonlySet<string> = new Set([
  'title',
  'description',
  'summary',
  'example',
  'examples',
  'externalDocs',
  'xml',
  'deprecated',
  '$schema',
  '$comment',
  'readOnly',
  'writeOnly',
  'default',
  '$defs',
  'definitions',
  'nullable',
  'discriminator',
  '$id',
  '$anchor',
  '$dynamicAnchor',
  'contentMediaType',
  'contentSchema',
])

/** Does something stand beside a `$ref` that says more of values? */
export function hasSiblings(node: DataNode): boolean {
  return [...node.members.keys()].some(
    (key) =>
      key !== '$ref' && key !== '$dynamicRef' && !annotations.has(key) && !key.startsWith('x-'),
  )
}
