import { relative } from 'node:path'
import { isJsonText } from '../../contract/plain.js'
import { present } from '../../contract/present.js'
import type { Contract } from '../../contract/contract.js'
import type { KeptNames } from '../../contract/kept-names.js'
import { problem, Problem } from '../../contract/problem.js'
import type { Dialect } from '../../dialects/dialect.js'
import type { Documents, OverlayFile } from '../../documents/documents.js'
import { isWebAddress, withoutSecrets, type WebFetch } from '../../documents/fetching.js'
import type { HadDocument } from '../../documents/had-before.js'
import { usualAddresses } from './usual-addresses.js'

/**
 * Reads a contract from its source.
 *
 * @param location a path of a file or folder, or an address
 * @param kept names given before
 * @throws Problem of kind `metadata`, `unreachable`, `timeout` or `login`
 */
export async function readSource(
  location: string,
  name: string,
  {
    seconds,
    send,
    before,
    overlays,
    onDocument,
  }: {
    readonly seconds?: number | undefined
    readonly send?: WebFetch | undefined
    /** Documents that were had before: they are fetched only where they changed. */
    readonly before?: readonly HadDocument[] | undefined
    /** What mends a description. */
    readonly overlays?: readonly OverlayFile[] | undefined
    /** Hears how many documents are there, whenever there is one more. */
    readonly onDocument?: ((count: number) => void) | undefined
  } = {},
  kept?: KeptNames,
): Promise<Source> {
  const { dialects } = await import('../../dialects/registry.js')
  const all: Dialect[] = []
  for (const load of Object.values(dialects)) all.push(await load())
  const places = all.map(({ metadata }) => metadata)
  const options = {
    recognise: (text: string) => all.some((dialect) => dialect.recognise(text)),
    glance: (text: string) =>
      all.map((dialect) => dialect.glance?.(text)).find((each) => each !== undefined),
    send,
    before,
    overlays,
    onDocument,
    mediaTypes: [...new Set(places.flatMap(({ mediaTypes }) => mediaTypes))],
    ...present({ seconds }),
  }
  const { loadDocuments } = await import('../../documents/documents.js')
  let page: string | undefined
  let refusal: unknown
  try {
    const documents = await loadDocuments(location, options)
    if (!isWebAddress(location) || options.recognise(documents.root.text))
      return { contract: await readDocuments(documents, name, kept), documents }
    page = documents.root.text
    refusal = await readDocuments(documents, name, kept).catch((error: unknown) => error)
  } catch (error) {
    // What the server has nothing at may be the address of the service itself.
    if (!(error instanceof Problem && error.code === 'TM-2005')) throw error
    refusal = error
  }
  const tried = usualAddresses(location, places, page)
  for (const address of tried) {
    const documents = await loadDocuments(address, { ...options, before: [] }).catch(
      () => undefined,
    )
    if (documents !== undefined && options.recognise(documents.root.text))
      return { contract: await readDocuments(documents, name, kept), documents, found: address }
  }
  throw refusal instanceof Problem ? withTried(refusal, tried) : refusal
}

/** A contract that was read, with the documents that it came from. */
interface Source {
  readonly contract: Contract
  readonly documents: Documents
  /** The address that the metadata was found at, where that is not the one that was given. */
  readonly found?: string
}

/** A refusal that also tells where metadata was looked for. */
function withTried(refusal: Problem, tried: readonly string[]): Problem {
  const { code, kind, message, place, advice } = refusal
  const details = [`Tried besides: ${tried.map(withoutSecrets).join(', ')}`]
  return new Problem(code, message, advice, { kind, place, details, cause: refusal })
}

/**
 * Reads the contract in documents, in the dialect that they are of.
 *
 * @throws Problem of kind `metadata` when they are of none, or what the dialect throws
 */
export async function readDocuments(
  documents: Documents,
  name: string,
  kept?: KeptNames,
): Promise<Contract> {
  const { text, label } = documents.root
  const { dialectOf } = await import('../../dialects/registry.js')
  const dialect = await dialectOf(text)
  if (dialect !== undefined) {
    if ((documents.overlays ?? []).length > 0 && dialect.takesOverlays !== true)
      throw problem('TM-2025', { contract: name, dialect: dialect.name })
    return dialect.read(documents, name, kept)
  }
  if (/^\uFEFF?\s*(?:#.*\n\s*)*["'{]*\s*["']?overlay["']?\s*:/.test(text))
    throw problem('TM-2026', { overlay: label }, { place: { document: label } })
  // Pages of XHTML begin as XML does.
  const html = /^\s*(?:<\?[^>]*>\s*|<!--[\s\S]*?-->\s*)*<(?:!doctype html|html)\b/i.test(text)
  if (html) {
    const title = /<title[^>]*>([^<]{1,200})/i.exec(text)?.[1]?.trim()
    if (/<input\b[^>]*type\s*=\s*["']?password/i.test(text))
      throw problem(
        'TM-2017',
        { titled: title === undefined ? '' : ` (its title is "${title}")` },
        { place: { document: label } },
      )
    throw problem(
      'TM-2006',
      { titled: title === undefined ? '' : ` (its title is "${title}")` },
      { place: { document: label } },
    )
  }
  // What isn't well-formed is told as such; parsing finds the place.
  const { parseXml } = await import('../../documents/xml-tree.js')
  if (/^\s*</.test(text) || text.trim() === '') {
    const root = parseXml(text, label)
    const found = `; its root element is <${root.name}>`
    throw problem('TM-2021', { found, ...adviceFor(documents.root.from) }, { place: root.place })
  }
  if (/^\uFEFF?\s*[[{]/.test(text) && isJsonText(text))
    throw problem(
      'TM-2021',
      { found: '', ...adviceFor(documents.root.from) },
      { place: { document: label } },
    )
  throw problem(
    'TM-2009',
    { found: `it is not XML; it starts with "${text.trim().slice(0, 40)}"` },
    { place: { document: label, line: 1, column: 1 } },
  )
}

/** What to do with an answer that was taken for metadata. */
function adviceFor(from: string): { readonly draft: string } {
  if (!isWebAddress(from))
    return {
      draft: `\`tolmach draft ${relative('.', from)} --request "GET <its address>" --as <name>\``,
    }
  return {
    draft: `\`tolmach call ${from} GET --har 1.har\`, others like it, then \`tolmach draft *.har --as <name>\``,
  }
}
