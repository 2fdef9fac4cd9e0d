import type { Dialect } from '../dialect.js'
import { odataEmitter } from './emit.js'
import { operationLayout, type EndpointLayout } from './layout.js'
import { playOData } from './play/player.js'
import { isJsonMetadata, isServiceDocument, readOData } from './reader.js'

/** CSDL, with the protocols of OData 2 to 4. */
export const odata: Dialect = {
  name: 'odata',
  recognise: (text) => /<(?:\w+:)?Edmx[\s>]/.test(text.slice(0, 5000)) || /<(?:\w+:)?Schema\s[^>]*(?:ado\/\d{4}\/\d\d\/edm|odata\/ns\/edm)"/.test(text.slice(0, 5000)) || isServiceDocument(text) || isJsonMetadata(text),
  read: readOData,
  emit: odataEmitter,
  describe(_contract, operation, endpoint) {
    const layout = operationLayout(operation)
    const { version } = endpoint.layout as EndpointLayout
    const key = '(…)'
    if (layout.kind === 'invoke') {
      const { on } = layout
      const bound = on === undefined ? '' : `${on.path}${on.many === true || on.singleton === true ? '' : key}/${on.cast === undefined ? '' : `${on.cast}/`}`
      return [['request', `${layout.method} /${bound}${layout.call}${layout.passing === 'inline' ? key : ''}`], ['address', endpoint.address]]
    }
    const methods = { list: 'GET', get: 'GET', count: 'GET', create: 'POST', update: version.startsWith('4') ? 'PATCH' : 'MERGE', replace: 'PUT', delete: 'DELETE' }
    const hasKey = layout.singleton !== true && ['get', 'update', 'replace', 'delete'].includes(layout.kind)
    return [['request', `${methods[layout.kind]} /${layout.path}${hasKey ? key : ''}${layout.kind === 'count' ? '/$count' : ''}`], ['address', endpoint.address]]
  },
  play: playOData,
}
