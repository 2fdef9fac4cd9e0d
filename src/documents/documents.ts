import { stat } from 'node:fs/promises'
import { resolve as resolvePath } from 'node:path'
import { fileURLToPath, pathToFileURL } from 'node:url'
import { filled } from '../contract/present.js'
import type { KnownPlace } from '../contract/contract.js'
import { problem, Problem } from '../contract/problem.js'
import {
  fetchAhead,
  fetchDocument,
  isWebAddress,
  withoutSecrets,
  type Fetched,
  type Fetching,
  type WebFetch,
} from './fetching.js'
import { DocumentFolder, type Glance, type Wanted } from './folder.js'
import { HadBefore, type HadDocument, type Validators } from './had-before.js'
import { decodeText } from './text.js'

/** No contract is spread over more documents than this. */
const mostDocuments = 2000

/** One document of a contract. */
export interface LoadedDocument {
  /**
   * Short and unique in its contract, fit for a file name: `desk.wsdl`. Origins name documents by
   * it.
   */
  readonly label: string
  /** Where it was found, without secrets: a web address, or a path. */
  readonly from: string
  readonly bytes: Uint8Array
  readonly text: string
  /** The documents it refers to: the reference as written -> the label of the document. */
  readonly refers: Map<string, string>
  /** What its server said of it, by which it can tell later whether it has changed. */
  readonly validators?: Validators
}

/**
 * The documents of one contract: the one asked for, and those it refers to, fetched as a reader
 * follows the references.
 */
export interface Documents {
  readonly root: LoadedDocument
  /** Documents that mend the root, in the order in which they are applied. */
  readonly overlays?: readonly LoadedDocument[]
  /** All that were loaded so far, in the order of loading. */
  all(): readonly LoadedDocument[]
  /**
   * The document that `reference` names when it stands in `from`.
   *
   * @param place where the reference stands, for messages
   * @param wanted what the reference says of it, by which it is found in a folder
   * @throws Problem TM-2010 or TM-2011 when it can't be had
   */
  follow(
    reference: string,
    from: LoadedDocument,
    place: KnownPlace,
    wanted?: Wanted,
  ): Promise<LoadedDocument>
}

export interface LoadOptions {
  /** How long to wait for each document, in seconds. Default 30. */
  readonly seconds?: number
  /** Can the document be the starting point of a contract? Needed to find it in a folder. */
  readonly recognise: (text: string) => boolean
  /** What a document is for, by which it is found in a folder. */
  readonly glance?: Glance
  /** What fetches from the web, where that needs a login. */
  readonly send?: WebFetch | undefined
  /** The media types to ask for, the best first. Anything when left out. */
  readonly mediaTypes?: readonly string[]
  /** Documents that were had before: they are fetched at once, and only where they changed. */
  readonly before?: readonly HadDocument[] | undefined
  /** Hears how many documents are there, whenever there is one more. */
  readonly onDocument?: ((count: number) => void) | undefined
  /** Overlays that mend what is found, in the order in which they are applied. */
  readonly overlays?: readonly OverlayFile[] | undefined
}

/** An overlay, as it is in a file. */
export interface OverlayFile {
  /** Absolute. */
  readonly path: string
  readonly bytes: Uint8Array
}

/**
 * Loads the document at a location; what it refers to follows on demand.
 *
 * @param location a path of a file or of a folder with the documents, or an `http(s):` address
 * @throws Problem TM-2001 to TM-2005, TM-2012 to TM-2014
 */
export async function loadDocuments(location: string, options: LoadOptions): Promise<Documents> {
  const { seconds = 30, mediaTypes = [], send, before = [], overlays = [], onDocument } = options
  const fetching: Fetching = {
    seconds,
    mediaTypes,
    send,
    before: new HadBefore(before),
    onDocument,
  }
  if (isWebAddress(location)) fetchAhead(fetching)
  if (isWebAddress(location)) {
    if (!URL.canParse(location))
      throw problem('TM-2001', { location, reason: 'it is not a valid address' })
    return new FetchedDocuments(await fetchDocument(location, fetching), fetching, overlays)
  }
  const path = resolvePath(location)
  const isFolder = await stat(path).then(
    (found) => found.isDirectory(),
    () => false,
  )
  const folder = isFolder
    ? await DocumentFolder.read(path, mostDocuments, options.glance ?? (() => undefined))
    : undefined
  const file = folder?.root(options.recognise) ?? path
  return new FetchedDocuments(
    await fetchDocument(pathToFileURL(file).href, fetching),
    fetching,
    overlays,
    folder,
  )
}

/**
 * The documents of a snapshot, which are all there already.
 *
 * @param overlays the labels of those that mend the root
 */
export function documentsOf(
  documents: readonly LoadedDocument[],
  rootLabel: string,
  overlays: readonly string[] = [],
): Documents {
  const byLabel = new Map(documents.map((document) => [document.label, document]))
  const root = byLabel.get(rootLabel)
  if (root === undefined) throw new Error(`no document ${rootLabel}`)
  return {
    root,
    overlays: overlays.flatMap((label) => byLabel.get(label) ?? []),
    all: () => documents,
    follow: (reference, from, place) => {
      const found = byLabel.get(from.refers.get(reference) ?? '')
      if (found === undefined)
        throw problem('TM-2010', { reference, reason: 'it is not in the snapshot' }, { place })
      return Promise.resolve(found)
    },
  }
}

class FetchedDocuments implements Documents {
  readonly root: LoadedDocument
  readonly overlays: readonly LoadedDocument[]
  private readonly fetching: Fetching
  private readonly folder: DocumentFolder | undefined
  private readonly byAddress = new Map<string, LoadedDocument>()
  private readonly addresses = new Map<LoadedDocument, string>()
  /** The files of the folder that far addresses stand for. */
  private readonly besides = new Map<string, string>()

  constructor(
    root: Fetched,
    fetching: Fetching,
    overlays: readonly OverlayFile[],
    folder?: DocumentFolder,
  ) {
    this.fetching = fetching
    this.folder = folder
    this.root = this.keep(root, root.address)
    this.overlays = overlays.map(({ path, bytes }) => {
      const address = pathToFileURL(path).href
      return this.keep({ address, bytes, charset: undefined }, address)
    })
  }

  all(): readonly LoadedDocument[] {
    return [...this.addresses.keys()]
  }

  async follow(
    reference: string,
    from: LoadedDocument,
    place: KnownPlace,
    wanted?: Wanted,
  ): Promise<LoadedDocument> {
    const address = this.addressOf(reference, from, place, wanted)
    let found = this.byAddress.get(address)
    if (found === undefined) {
      if (this.addresses.size >= mostDocuments)
        throw problem('TM-2012', { limit: `${mostDocuments} documents` }, { place })
      found = this.keep(await this.fetch(reference, address, place), address)
    }
    from.refers.set(reference, found.label)
    return found
  }

  private addressOf(
    reference: string,
    from: LoadedDocument,
    place: KnownPlace,
    wanted?: Wanted,
  ): string {
    const base = this.addresses.get(from) ?? ''
    const beside = this.fileBeside(reference, wanted)
    if (beside !== undefined) return pathToFileURL(beside).href
    if (!URL.canParse(reference, base))
      throw problem('TM-2010', { reference, reason: 'it is not a valid address' }, { place })
    const address = new URL(reference, base)
    address.hash = ''
    if (address.protocol === 'file:' && !isPath(address))
      throw problem(
        'TM-2010',
        { reference, reason: 'it is not the address of a file on this machine' },
        { place },
      )
    if (isWebAddress(base) && address.protocol === 'file:')
      throw problem('TM-2011', { from: withoutSecrets(base), reference }, { place })
    if (!['file:', 'http:', 'https:'].includes(address.protocol)) {
      throw problem(
        'TM-2010',
        { reference, reason: `addresses of the kind "${address.protocol}" are not read` },
        { place },
      )
    }
    return address.href
  }

  /**
   * Documents handed over in one folder often still name the far server: the file of the same name
   * in the folder is meant, or else the one for the same namespace.
   */
  private fileBeside(reference: string, wanted: Wanted | undefined): string | undefined {
    if (this.folder === undefined || !isWebAddress(reference)) return undefined
    const isTaken = (path: string): boolean => this.byAddress.has(pathToFileURL(path).href)
    const found =
      this.besides.get(reference) ??
      this.folder.named(labelFor(reference)) ??
      (wanted === undefined ? undefined : this.folder.withNamespace(wanted, isTaken))
    if (found !== undefined) this.besides.set(reference, found)
    return found
  }

  private async fetch(reference: string, address: string, place: KnownPlace): Promise<Fetched> {
    if (!isWebAddress(address) && (await isEndless(fileURLToPath(address))))
      throw problem(
        'TM-2010',
        { reference, reason: 'it is a device or a pipe, not a file' },
        { place },
      )
    try {
      return await fetchDocument(address, this.fetching)
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      throw problem(
        'TM-2010',
        { reference, reason: `${error.message.replace(/\.$/, '')}` },
        { place, cause: error, kind: error.kind },
      )
    }
  }

  private keep(fetched: Fetched, asked: string): LoadedDocument {
    const already = this.byAddress.get(fetched.address)
    if (already !== undefined) {
      this.byAddress.set(asked, already)
      return already
    }
    const label = this.freeLabel(labelFor(fetched.address))
    const document: LoadedDocument = {
      label,
      from: isWebAddress(fetched.address)
        ? withoutSecrets(fetched.address)
        : fileURLToPath(fetched.address),
      bytes: fetched.bytes,
      text: decodeText(fetched.bytes, label, fetched.charset),
      refers: new Map(),
      ...filled({ validators: fetched.validators ?? {} }),
    }
    this.byAddress.set(asked, document)
    this.byAddress.set(fetched.address, document)
    this.addresses.set(document, fetched.address)
    this.fetching.onDocument?.(this.addresses.size)
    return document
  }

  private freeLabel(wanted: string): string {
    const taken = new Set(this.all().map((document) => document.label.toLowerCase()))
    const dot = wanted.lastIndexOf('.')
    const [stem, ending] = dot > 0 ? [wanted.slice(0, dot), wanted.slice(dot)] : [wanted, '']
    let label = wanted
    for (let count = 2; taken.has(label.toLowerCase()); count += 1)
      label = `${stem}-${count}${ending}`
    return label
  }
}

/** Does a `file:` address stand for a path of this machine? */
function isPath(address: URL): boolean {
  try {
    return !fileURLToPath(address).includes('\0')
  } catch {
    return false
  }
}

/**
 * Is there something at a path that can be read without end, and was not asked for by the user but
 * by a document?
 */
async function isEndless(path: string): Promise<boolean> {
  return stat(path).then(
    (found) => !found.isFile() && !found.isDirectory(),
    () => false,
  )
}

/**
 * A label for the document at an address: the file name in its path, or what its query asks for
 * (`desk?xsd=types.xsd` -> `types.xsd`, `desk?wsdl` -> `desk.wsdl`; `$metadata` -> `metadata.xml`),
 * with nothing in it that a file system could mind.
 */
export function labelFor(address: string): string {
  const url = new URL(address, 'file:///')
  const last =
    decode(url.pathname)
      .split('/')
      .filter((part) => part !== '')
      .pop() ?? 'document'
  const path = last === '$metadata' ? 'metadata.xml' : last
  const [word = '', value = ''] = url.search.slice(1).split('&')[0]?.split('=') ?? []
  const kind = /^(wsdl|xsd|singlewsdl)$/i.test(word) ? word.toLowerCase().replace('single', '') : ''
  const stem = path.replace(/\.[A-Za-z]{1,5}$/, '')
  const named = /\.\w+$/.test(value) ? decode(value) : `${stem}-${decode(value)}.${kind}`
  const asked = value === '' ? `${stem}.${kind}` : named
  const name = kind === '' ? path : asked
  const safe = name
    .replace(/[^A-Za-z0-9._-]+/g, '-')
    .replace(/^[.-]+/, '')
    .slice(-80)
  return safe === '' ? 'document' : safe
}

function decode(text: string): string {
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}
