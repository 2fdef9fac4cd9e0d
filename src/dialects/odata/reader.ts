import type { Contract, Endpoint, Service } from '../../contract/contract.js'
import { inNameOrder } from '../../contract/ordering.js'
import { filled } from '../../contract/present.js'
import { problem } from '../../contract/problem.js'
import type { Documents, LoadedDocument } from '../../documents/documents.js'
import { BrokenParts } from '../broken-parts.js'
import { Notes } from '../notes.js'
import { Csdl } from './csdl.js'
import { documented } from './documentation.js'
import type { EndpointSpecifics } from './specifics.js'
import { atomService } from './namespaces.js'
import { endpointName, OperationReader } from './operations.js'
import { TypeReader } from './types.js'

/** Names that frameworks give to containers when nobody else does. */
const anyContainer = /^(?:default|entity|data|odata)*(?:container|context|service|entities)?$/i

/**
 * What a contract is called: by its container, or where that says nothing by the last word of its
 * namespace that does, else by the contract's own name.
 */
function titleOf(container: string, name: string): string {
  return container.split('.').findLast((word) => !anyContainer.test(word)) ?? name
}

/** A document of a service root: a list of its sets, in JSON or in Atom, and no metadata yet. */
export function isServiceDocument(text: string): boolean {
  return (
    /^\s*\{\s*"(?:@odata\.context|@context|odata\.metadata)"\s*:\s*"[^"]*\$metadata/.test(text) ||
    /^\s*\{\s*"d"\s*:\s*\{\s*"EntitySets"/.test(text) ||
    new RegExp(`<(?:\\w+:)?service[^>]*"${atomService}"`).test(text.slice(0, 2000))
  )
}

/**
 * Reads an OData service from its metadata (CSDL XML and JSON 4.0 and 4.01, EDMX of versions 1 to
 * 3), or from its service root.
 *
 * @throws Problem of kind `metadata` with its place; docs/messages.md, TM-2401 to TM-2411
 */
export async function readOData(documents: Documents, name: string): Promise<Contract> {
  const { root } = documents
  const document = isServiceDocument(root.text) ? await metadataOf(root, documents) : root
  const notes = new Notes(documents)
  const broken = new BrokenParts(notes)
  const csdl = await Csdl.load(document, documents, notes, broken)
  const types = new TypeReader(csdl, notes)
  types.readAll()
  const reader = new OperationReader(csdl, types, notes)
  const operations = reader.readAll()
  const [container] = csdl.all('EntityContainer')
  const title = titleOf(container?.name ?? '', name)
  const { origin } = container?.element ?? csdl.root
  const endpoint: Endpoint = {
    name: endpointName,
    address: serviceRoot(document.from),
    protocol: `OData ${csdl.version}`,
    origin,
    specifics: { version: csdl.version } satisfies EndpointSpecifics,
  }
  const documentation = documented(
    container === undefined ? undefined : csdl.documentation(container.element, container.name),
  )
  const service: Service = {
    name: title,
    endpoints: [endpoint],
    operations,
    groups: reader.groups,
    ...documentation,
    origin,
  }
  const sound = broken.soundPart({ services: [service], types: inNameOrder(types.types) })
  if (operations.length === 0) throw problem('TM-2403', {}, { place: csdl.root.place })
  csdl.noteUnread()
  return {
    name,
    dialect: 'odata',
    title,
    ...sound,
    security: [],
    notes: notes.all(),
    ...filled({ notOffered: reader.notOffered }),
    ...documentation,
    origin,
  }
}

/** The metadata of a service root (Protocol, section 11.1.2). */
async function metadataOf(root: LoadedDocument, documents: Documents): Promise<LoadedDocument> {
  const path = URL.canParse(root.from) ? new URL(root.from).pathname : root.from
  // Relative to the root as a folder, with or without a slash at its end.
  const beside = path.endsWith('/') ? '$metadata' : `${path.split('/').pop() ?? ''}/$metadata`
  return documents.follow(beside, root, { document: root.label, line: 1, column: 1 })
}

/**
 * The address of the service whose metadata stands at an address; metadata in files does not say
 * it.
 */
function serviceRoot(from: string): string {
  return /^https?:/i.test(from) ? from.replace(/[?#].*$/, '').replace(/\$metadata$/, '') : '/'
}
