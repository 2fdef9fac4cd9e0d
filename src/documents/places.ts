import type { Origin, PlaceInDocument } from '../contract/contract.js'
import { partsOfOrigin } from '../contract/origin.js'
import type { Documents, LoadedDocument } from './documents.js'
import { SourceText } from './source-text.js'

/** Where the lines of documents begin is worked out once, when somebody asks. */
const sources = new WeakMap<LoadedDocument, SourceText>()

/** The place of a document among those of its contract, from 0. */
export function indexOf(documents: Pick<Documents, 'all'>, document: LoadedDocument): number {
  return documents.all().indexOf(document)
}

/** The document, line and column of an origin in a contract that was read from documents. */
export function placeOf(documents: readonly LoadedDocument[], origin: Origin): PlaceInDocument {
  const { document: at, offset } = partsOfOrigin(origin)
  const document = documents[at]
  if (document === undefined) throw new Error(`there is no document ${String(at)}`)
  const source = sources.get(document) ?? new SourceText(document.label, document.text)
  sources.set(document, source)
  return source.placeAt(offset)
}
