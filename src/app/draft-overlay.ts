import { readFile } from 'node:fs/promises'
import { relative, resolve } from 'node:path'
import { problem } from '../contract/problem.js'
import { dialectNamed } from '../dialects/registry.js'
import { parseData } from '../documents/data-tree.js'
import {
  documentsOf,
  labelFor,
  type Documents,
  type LoadedDocument,
} from '../documents/documents.js'
import { isWebAddress } from '../documents/fetching.js'
import { Overlays, overlayTree } from '../documents/overlay.js'
import { isReplacement, proposalOnto, type ProposedAction } from '../draft/onto/proposal.js'
import { yamlDraft, yamlWith } from '../draft/yaml-draft.js'
import { openContract, type OpenContract } from './contracts/open-contract.js'
import { recordingsIn, type DraftOptions } from './draft-description.js'
import { saveText } from './files/text-files.js'

export interface OverlayOptions extends Pick<
  DraftOptions,
  'as' | 'save' | 'request' | 'only' | 'overwrite'
> {
  readonly project?: string | undefined
}

/** What was drafted onto a description. */
export interface DraftedOverlays {
  readonly contract: string
  readonly overlays: readonly DraftedOverlay[]
  /** How many exchanges were held against the description. */
  readonly exchanges: number
  /** How many were left out, by why. */
  readonly leftOut: ReadonlyMap<string, number>
  readonly troubles: readonly string[]
  /** The source of the contract, and the overlays that it has now and that it needs besides. */
  readonly from: string
  readonly needed: readonly string[]
}

/** An overlay for one document of a description. */
export interface DraftedOverlay {
  /** The label of the document that it mends. */
  readonly mends: string
  /** Overlay 1.0 in YAML; with what stood in its file before. */
  readonly yaml: string
  /** Where it was written. */
  readonly file?: string
  /** What is new in it. */
  readonly actions: readonly ProposedAction[]
}

/**
 * Drafts overlays (Overlay Specification 1.0) that make a description allow what its service
 * answered. What stands in a file already stays, and counts: only what is still missing is added.
 *
 * @param files paths of the recordings
 * @param reference the contract's name in the project, or the path or address of its description
 * @throws Problem TM-2025 for a contract that is no OpenAPI, TM-2022 where a file is there that is
 *   no overlay, and those of opening a contract and of reading recordings
 */
export async function draftOverlays(
  files: readonly string[],
  reference: string,
  options: OverlayOptions = {},
): Promise<DraftedOverlays> {
  const recordings = await recordingsIn(files, options.request)
  const open = await openContract(reference, { project: options.project })
  const { takesOverlays, name } = await dialectNamed(open.whole.dialect)
  if (takesOverlays !== true) throw problem('TM-2025', { contract: open.name, dialect: name })
  const documents = await open.documents()
  const { overlays = [], root } = documents
  const mended = documents.all().filter((each) => !overlays.includes(each))
  const places = filesFor(mended, root, options)
  const before = await overlaysThere(places.values(), options.overwrite === true)
  const together = withOverlays(documents, before, folderOf(open))
  const plain = await plainDocuments(mended, together)
  const byLabel = new Map(mended.map((each) => [each.label, each]))
  const { actions, ...facts } = proposalOnto(
    {
      root: root.label,
      documents: plain,
      follow: (location, from) => byLabel.get(from)?.refers.get(location),
    },
    recordings,
    options.only,
  )
  const drafted: DraftedOverlay[] = []
  for (const each of mended) {
    const own = actions.get(each.label)
    if (own === undefined) continue
    const file = places.get(each.label)
    const text = before.find(({ from }) => file !== undefined && from === resolve(file))?.text
    const yaml = text === undefined ? newOverlay(open, each, root, own) : withActions(text, own)
    if (file !== undefined) await saveText(file, yaml)
    drafted.push({ mends: each.label, yaml, actions: own, ...(file === undefined ? {} : { file }) })
  }
  return {
    ...facts,
    contract: open.name,
    overlays: drafted,
    ...importAgain(open, reference, drafted),
  }
}

/** What it takes to import a contract with overlays, as it is typed where we are. */
function importAgain(
  { kept }: OpenContract,
  reference: string,
  drafted: readonly DraftedOverlay[],
): Pick<DraftedOverlays, 'from' | 'needed'> {
  const files = drafted.flatMap(({ file }) => file ?? [])
  if (kept === undefined) return { from: reference, needed: files }
  const { entry, project } = kept
  const here = (path: string): string =>
    isWebAddress(path) ? path : relative('.', resolve(project.folder, path)) || '.'
  const needed = [...(entry.overlays ?? []).map(here), ...files.map((file) => relative('.', file))]
  return { from: here(entry.from), needed: [...new Set(needed)] }
}

/**
 * Where the overlays for documents go, by label: that for the description has the name that was
 * given, and others stand beside it. None where nothing was said.
 */
function filesFor(
  documents: readonly LoadedDocument[],
  root: LoadedDocument,
  { as: name, save }: OverlayOptions,
): Map<string, string> {
  const file = save ?? (name === undefined ? undefined : `${name}.yaml`)
  if (file === undefined) return new Map()
  const stem = file.replace(/\.ya?ml$/i, '')
  const taken = new Set<string>()
  return new Map(
    documents.map((document) => {
      const short = document.label.replace(/\.\w+$/, '')
      // Two that differ by their endings alone have a file each.
      const own = taken.has(short.toLowerCase()) ? document.label : short
      if (document !== root) taken.add(own.toLowerCase())
      return [document.label, document === root ? file : `${stem}.${own}.yaml`]
    }),
  )
}

/** Overlays that were written before, unless they are to be written over. */
async function overlaysThere(
  files: Iterable<string>,
  overwrite: boolean,
): Promise<LoadedDocument[]> {
  const found: LoadedDocument[] = []
  for (const file of overwrite ? [] : files) {
    const bytes = await readFile(file).catch(() => undefined)
    if (bytes === undefined) continue
    const document = {
      label: labelFor(file),
      from: resolve(file),
      bytes,
      text: bytes.toString('utf8'),
      refers: new Map<string, string>(),
    }
    // What is there and is no overlay is somebody's own.
    overlayTree(document, () => undefined)
    found.push(document)
  }
  return found
}

/** Documents with the overlays that they have, and others; of those in one file the later. */
function withOverlays(
  documents: Documents,
  others: readonly LoadedDocument[],
  folder: string,
): Documents {
  const { root, overlays = [] } = documents
  const files = new Set(others.map(({ from }) => from))
  const kept = overlays.filter(({ from }) => !files.has(resolve(folder, from)))
  const all = [...documents.all().filter((each) => !overlays.includes(each)), ...kept, ...others]
  // Labels that are the same would hide documents from each other.
  const apart = all.map((each, at) => ({
    ...each,
    label: at < all.length - others.length ? each.label : `${each.label}+${String(at)}`,
  }))
  const labels = apart.slice(apart.length - kept.length - others.length).map(({ label }) => label)
  return documentsOf(apart, root.label, labels)
}

function folderOf({ kept, around }: OpenContract): string {
  return kept?.project.folder ?? around?.folder ?? '.'
}

/** The contents of documents, overlays applied, by label. */
async function plainDocuments(
  mended: readonly LoadedDocument[],
  documents: Documents,
): Promise<Map<string, unknown>> {
  const overlays = new Overlays(documents, () => undefined)
  const plain = new Map<string, unknown>()
  for (const document of mended) {
    const tree = parseData(document.text, document.label, () => undefined)
    const isRoot = document.label === documents.root.label
    await overlays.mend(tree, isRoot ? documents.root : document)
    plain.set(document.label, tree.plain())
  }
  return plain
}

function newOverlay(
  { name }: OpenContract,
  document: LoadedDocument,
  root: LoadedDocument,
  actions: readonly ProposedAction[],
): string {
  const isNamed = document !== root || isWebAddress(document.from)
  const named = isWebAddress(document.from) ? document.from : labelFor(document.from)
  return yamlDraft(
    {
      overlay: '1.0.0',
      info: { title: `What ${name} answers`, version: 'draft' },
      ...(isNamed ? { extends: named } : {}),
      actions,
    },
    [
      'Drafted by Tolmach from what the service answered. Each action says why; whoever knows',
      'better takes it out, or writes it otherwise.',
    ],
  )
}

/** An overlay with actions behind those that it has; whatever stands in it stays. */
function withActions(text: string, actions: readonly ProposedAction[]): string {
  const count = overlayTree({ text, label: 'overlay' }, () => undefined).list('actions').length
  return yamlWith(
    text,
    actions.map((value, at) => ({ place: ['actions', String(count + at)], value })),
  )
}

/**
 * What actions change, each once: what is taken out to be written anew is told with what is
 * written, and several entries of one list together.
 */
export function changesIn(actions: readonly ProposedAction[]): ProposedAction[] {
  const told = actions.filter((action) => !isReplacement(action))
  return [...new Map(told.map((each) => [`${each.target} ${each.description}`, each])).values()]
}

/** What was drafted, as programs get it: what `draft --onto … --json` prints. */
export function overlaysSummary({ overlays, leftOut, ...facts }: DraftedOverlays): object {
  return {
    ...facts,
    leftOut: Object.fromEntries(leftOut),
    overlays: overlays.map(({ yaml, file, ...each }) =>
      file === undefined ? { ...each, yaml } : { ...each, file },
    ),
  }
}
