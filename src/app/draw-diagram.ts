import { extname } from 'node:path'
import type { Contract } from '../contract/contract.js'
import { nearestAdvice } from '../contract/nearest.js'
import { filled } from '../contract/present.js'
import { problem } from '../contract/problem.js'
import { operationsOf, typesOfOperation, partsOf, neededOf } from '../contract/queries.js'
import { drawnTypes, graphOf, mostWithRows, neighboursOf, type Graph } from '../diagram/graph.js'
import type { Places } from '../diagram/layout.js'
import type { Picture } from '../diagram/shapes.js'
import { placesOfView, typesOfView, type View } from '../diagram/view.js'
import { writeView } from '../project/project-file.js'
import { writeFileSafely } from '../project/safe-writing.js'
import { pictureFile } from './files/picture-file.js'
import { openContract, type OpenContract, type OpenOptions } from './contracts/open-contract.js'

export interface DiagramOptions extends OpenOptions {
  /** The view of the project to open, or to keep what is asked for under. */
  readonly view?: string | undefined
  /** What to draw; on top of the view, where one is opened. */
  readonly selection?: View
}

export interface Drawn {
  readonly contract: string
  readonly graph: Graph
  readonly view: View
  /** The view was written into the project file. */
  readonly kept: boolean
  /** Something that whoever looks at the picture should know. */
  readonly remark: string | undefined
}

/** The formats by the endings of files. */
const formats: Readonly<Record<string, 'svg' | 'png' | 'pdf' | 'html' | 'dot' | 'mermaid'>> = {
  '.svg': 'svg',
  '.png': 'png',
  '.pdf': 'pdf',
  '.html': 'html',
  '.htm': 'html',
  '.dot': 'dot',
  '.gv': 'dot',
  '.mmd': 'mermaid',
  '.mermaid': 'mermaid',
}

/** More boxes than this are not drawn. */
export const mostBoxes = 400

/**
 * Draws the types of a contract into a file: SVG, PNG, PDF, HTML, DOT or Mermaid text, by its
 * ending. With a view and a selection, the selection is kept in the project file under that name.
 *
 * @throws Problem TM-3004 for a type that there is not, TM-3005 when there is too much to draw,
 *   TM-3006 for an unknown view, TM-3007 for an unknown ending, TM-1008 when the file can't be
 *   written; those of opening a contract
 */
export async function drawDiagram(
  reference: string,
  file: string,
  options: DiagramOptions = {},
): Promise<Drawn> {
  const format = formats[extname(file).toLowerCase()]
  if (format === undefined)
    throw problem('TM-3007', { file, endings: Object.keys(formats).join(', ') })
  const { open, drawn } = await prepare(reference, options)
  const contents = await render(open, drawn, file, options.view)
  await writeFileSafely(file, contents)
  await keepView(open, options, drawn)
  return drawn
}

/**
 * Draws the types of a contract as Mermaid text.
 *
 * @param reference the contract's name in the project, or the path or address of its metadata
 * @returns what is drawn, and the text
 * @throws as {@link drawDiagram} does
 */
export async function diagramText(
  reference: string,
  options: DiagramOptions = {},
): Promise<Drawn & { readonly text: string }> {
  const { open, drawn } = await prepare(reference, options)
  const { mermaidText } = await import('../diagram/mermaid.js')
  await keepView(open, options, drawn)
  return { ...drawn, text: mermaidText(drawn.graph, drawn.view.towards ?? 'right') }
}

async function prepare(
  reference: string,
  { view: name, selection = {}, ...options }: DiagramOptions,
): Promise<{ open: OpenContract; drawn: Drawn }> {
  const open = await openContract(reference, options)
  const contract = neededOf(open.contract)
  const changes = Object.keys(selection).length > 0
  const views = open.kept?.entry.views ?? {}
  const saved = name !== undefined && Object.hasOwn(views, name) ? views[name] : undefined
  if (name !== undefined && saved === undefined && (!changes || open.kept === undefined))
    throw problem('TM-3006', {
      contract: open.name,
      name,
      nearest:
        open.kept === undefined
          ? 'Views are kept in the project file: import the contract first.'
          : `${nearestAdvice(name, Object.keys(views))} To make it, say what it shows: --around <types>, for example.`,
    })
  const view = saved === undefined ? selection : changed(saved, selection)
  const graph = graphOf(contract, typesOfView(contract, view))
  const count = graph.boxes.length
  return {
    open,
    drawn: {
      contract: open.name,
      graph,
      view,
      kept: name !== undefined && changes,
      remark:
        count > mostWithRows && count <= mostBoxes
          ? `${count} types are drawn without their fields; up to ${mostWithRows} have them. Draw a part: ${adviceFor(contract)}.`
          : undefined,
    },
  }
}

async function keepView(
  open: OpenContract,
  { view: name }: DiagramOptions,
  { kept, view }: Drawn,
): Promise<void> {
  if (kept && name !== undefined && open.kept !== undefined)
    await writeView(open.kept.project.folder, open.name, name, view)
}

/**
 * A view with changes on top: names are added to its lists, and what is added is no longer taken
 * away.
 */
function changed(saved: View, { add = [], remove = [], ...others }: View): View {
  const without = (names: readonly string[], others: readonly string[]): string[] =>
    names.filter((name) => !others.includes(name))
  const added = [...without(saved.add ?? [], [...add, ...remove]), ...add]
  const removed = [...without(saved.remove ?? [], [...add, ...remove]), ...remove]
  const { add: _add, remove: _remove, ...rest } = saved
  return {
    ...rest,
    ...others,
    ...filled({ add: added, remove: removed }),
  }
}

async function render(
  open: OpenContract,
  { graph, view }: Drawn,
  file: string,
  name: string | undefined,
): Promise<string | Uint8Array> {
  const format = formats[extname(file).toLowerCase()]
  const towards = view.towards ?? 'right'
  const places = placesOfView(neededOf(open.contract), view)
  if (format === 'dot') return (await import('../diagram/dot.js')).dotText(graph, towards, places)
  if (format === 'mermaid')
    return (await import('../diagram/mermaid.js')).mermaidText(graph, towards)
  if (graph.boxes.length > mostBoxes)
    throw problem('TM-3005', {
      count: graph.boxes.length,
      advice: `${adviceFor(neededOf(open.contract))}; or as text: a file that ends in .dot or .mmd`,
    })
  if (format === 'html') {
    const { diagramPage } = await import('./pages/diagram-page.js')
    return diagramPage(open, graph, { view, places, name })
  }
  return pictureFile(await pictureOf(graph, towards, places), file)
}

/** A graph as a picture. @param places where somebody put types */
async function pictureOf(
  graph: Graph,
  towards: 'right' | 'down',
  places: Places,
): Promise<Picture> {
  const [{ layOut }, { drawingOf }] = await Promise.all([
    import('../diagram/layout.js'),
    import('../diagram/drawing.js'),
  ])
  return drawingOf(graph, await layOut(graph, towards, places))
}

/** Where to start in a large contract: the types that most others hang together with. */
export function adviceFor(contract: Contract): string {
  const neighbours = neighboursOf(contract)
  const names = new Map(drawnTypes(contract).map(({ id, name }) => [id, name]))
  // What operations name is nearer to what people look for than what lies deep inside.
  const direct = new Set(operationsOf(contract).flatMap(typesOfOperation).flatMap(referred))
  const rank = (id: string): number => (neighbours.get(id)?.size ?? 0) + (direct.has(id) ? 5 : 0)
  const [first, ...others] = [...names.keys()]
    .sort((a, b) => rank(b) - rank(a))
    .slice(0, 3)
    .map((id) => names.get(id) ?? '')
  return `--around ${first ?? '<type>'} --steps 1${others.length === 0 ? '' : ` (or ${others.join(', ')})`}`
}

function referred(type: Parameters<typeof partsOf>[0]): string[] {
  return type.kind === 'reference' ? [type.to] : partsOf(type).flatMap(referred)
}
