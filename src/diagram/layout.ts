import type { ELK as Elk, ElkExtendedEdge, ElkNode } from 'elkjs/lib/elk-api.js'
import { largest } from '../contract/lists.js'
import { fittedText, textWidth } from './fonts.js'
import { mostWithRows, type Box, type End, type Graph, type Link } from './graph.js'
import type { Point } from './shapes.js'

/** Where a box is, and what stands in it. */
export interface PlacedBox {
  readonly box: Box
  readonly x: number
  readonly y: number
  readonly w: number
  readonly h: number
  readonly title: string
  readonly lines: readonly { readonly text: string; readonly type: string; readonly key: boolean }[]
  /** So many rows are not shown. */
  readonly hidden: number
}

export interface PlacedLabel {
  readonly text: string
  readonly x: number
  readonly y: number
  readonly w: number
}

export interface PlacedLink {
  readonly link: Link
  readonly points: readonly Point[]
  readonly labels: readonly PlacedLabel[]
}

/** Boxes of one namespace, drawn around them where there are several. */
export interface PlacedCluster {
  readonly name: string
  readonly x: number
  readonly y: number
  readonly w: number
  readonly h: number
}

export interface Layout {
  readonly width: number
  readonly height: number
  readonly boxes: readonly PlacedBox[]
  readonly links: readonly PlacedLink[]
  readonly clusters: readonly PlacedCluster[]
}

export const sizes = {
  title: 13,
  text: 11,
  label: 10.5,
  rowHeight: 17,
  headHeight: 34,
  padding: 12,
  band: 6,
} as const

/** More rows than this are counted and not shown. */
const mostRows = 30
/** Names and types wider than this are cut. */
const widestName = 190
const widestType = 170

/**
 * Lays a graph out by the layered method of elkjs: links lead to the right or downwards, as far as
 * they can.
 *
 * @returns places in pixels from the left upper corner
 */
export async function layOut(graph: Graph, towards: 'right' | 'down'): Promise<Layout> {
  const { default: ElkClass } = (await import('elkjs/lib/elk.bundled.js')) as unknown as {
    default: new () => Elk
  }
  const sketches = sketchesOf(graph, towards)
  const namespaces = [...new Set(graph.boxes.map(({ namespace }) => namespace))]
  const isClustered = namespaces.length > 1 && graph.boxes.length > 12
  const nodeOf = ({ id }: Box): ElkNode => ({
    id: `t:${id}`,
    width: sketches.get(id)?.w ?? 0,
    height: sketches.get(id)?.h ?? 0,
  })
  const clusterOf = (namespace: string): ElkNode => ({
    id: `n:${namespace}`,
    layoutOptions: { 'elk.padding': '[top=30,left=14,bottom=14,right=14]', ...spacing },
    children: graph.boxes.filter((box) => box.namespace === namespace).map(nodeOf),
  })
  const laid: ElkNode = await new ElkClass().layout<ElkNode>({
    id: 'root',
    layoutOptions: {
      ...layered,
      'elk.direction': towards === 'right' ? 'RIGHT' : 'DOWN',
      ...(isClustered ? { 'elk.hierarchyHandling': 'INCLUDE_CHILDREN' } : {}),
      ...spacing,
    },
    children: isClustered ? namespaces.map(clusterOf) : graph.boxes.map(nodeOf),
    edges: graph.links.map(edgeOf),
  })
  const clusters = isClustered ? clustersOf(laid) : []
  const places = isClustered ? placesInside(laid) : placesOf(laid.children ?? [], 0, 0)
  const boxes = graph.boxes.map((box): PlacedBox => {
    const at = places.get(`t:${box.id}`) ?? { x: 0, y: 0, w: 0, h: 0 }
    const { title = box.name, lines = [], hidden = 0 } = sketches.get(box.id) ?? {}
    return { box, ...at, title, lines, hidden }
  })
  const origins = new Map(clusters.map(({ name, x, y }) => [`n:${name}`, { x, y }]))
  const links = (laid.edges ?? []).map((edge, at): PlacedLink =>
    placedLink(edge, graph.links[at] as Link, origins),
  )
  return { width: laid.width ?? 0, height: laid.height ?? 0, boxes, links, clusters }
}

/** What stands in the boxes, which are large enough for the links that end at them. */
function sketchesOf(graph: Graph, towards: 'right' | 'down'): Map<string, Sketch> {
  const room = roomForEnds(graph, towards)
  const withRows = graph.boxes.length <= mostWithRows
  return new Map(
    graph.boxes.map((box) => {
      const drawn = sketch(box, withRows)
      const least = room.get(box.id) ?? 0
      const enlarged =
        towards === 'right' ? { h: Math.max(drawn.h, least) } : { w: Math.max(drawn.w, least) }
      return [box.id, { ...drawn, ...enlarged }]
    }),
  )
}

type Sketch = ReturnType<typeof sketch>

/** Kinds stand behind what they are kinds of, and wholes before their parts. */
function edgeOf(link: Link, at: number): ElkExtendedEdge {
  const isTurned = link.kind === 'extends'
  const [from, to] = isTurned ? [link.to, link.from] : [link.from, link.to]
  const [tail, head] = isTurned ? [link.target, link.source] : [link.source, link.target]
  const ends = [
    ['TAIL', endText(tail)],
    ['HEAD', endText(head)],
  ] as const
  const labels = ends
    .filter(([, text]) => link.kind !== 'uses' && text !== '')
    .map(([placement, text]) => ({
      id: `l:${at}:${placement}`,
      text,
      width: textWidth(text, sizes.label) + 4,
      height: 15,
      layoutOptions: { 'elk.edgeLabels.placement': placement },
    }))
  return { id: `e:${at}`, sources: [`t:${from}`], targets: [`t:${to}`], labels }
}

function clustersOf({ children = [] }: ElkNode): PlacedCluster[] {
  return children.map(({ id, x = 0, y = 0, width = 0, height = 0 }) => ({
    name: id.slice(2),
    x,
    y,
    w: width,
    h: height,
  }))
}

interface Rectangle {
  readonly x: number
  readonly y: number
  readonly w: number
  readonly h: number
}

/** Where nodes are, by their ids; from the corner that is given. */
function placesOf(nodes: readonly ElkNode[], left: number, top: number): Map<string, Rectangle> {
  return new Map(
    nodes.map(({ id, x = 0, y = 0, width = 0, height = 0 }) => [
      id,
      { x: left + x, y: top + y, w: width, h: height },
    ]),
  )
}

/** Where the nodes inside clusters are. */
function placesInside({ children = [] }: ElkNode): Map<string, Rectangle> {
  return new Map(
    children.flatMap(({ x = 0, y = 0, children: inside = [] }) => [...placesOf(inside, x, y)]),
  )
}

const layered: Readonly<Record<string, string>> = {
  'elk.algorithm': 'layered',
  'elk.edgeRouting': 'ORTHOGONAL',
  'elk.aspectRatio': '1.6',
  'elk.separateConnectedComponents': 'true',
  'elk.randomSeed': '1',
  'elk.layered.nodePlacement.strategy': 'BRANDES_KOEPF',
  'elk.layered.nodePlacement.bk.fixedAlignment': 'BALANCED',
  'elk.layered.compaction.postCompaction.strategy': 'EDGE_LENGTH',
}

const spacing: Readonly<Record<string, string>> = {
  'elk.spacing.nodeNode': '28',
  'elk.spacing.edgeNode': '18',
  'elk.spacing.edgeEdge': '12',
  'elk.spacing.edgeLabel': '3',
  'elk.spacing.componentComponent': '36',
  'elk.layered.spacing.nodeNodeBetweenLayers': '56',
  'elk.layered.spacing.edgeNodeBetweenLayers': '20',
  'elk.layered.spacing.edgeEdgeBetweenLayers': '12',
}

/** What stands at an end of a link: the property's name and how many there are. */
export function endText({
  name,
  multiplicity,
}: {
  readonly name?: string
  readonly multiplicity?: string
}): string {
  return [name, multiplicity].filter((part) => part !== undefined).join('  ')
}

/**
 * How long a side of each box must be, so that what stands at the ends of its links has room beside
 * each other: the ends are spread evenly.
 */
function roomForEnds(graph: Graph, towards: 'right' | 'down'): Map<string, number> {
  const sides = new Map<string, { count: number; widest: number }>()
  const take = (key: string, end: End): void => {
    const { count, widest } = sides.get(key) ?? { count: 0, widest: 0 }
    const text = endText(end)
    const below = text === '' ? 14 : textWidth(text, sizes.label) + 14
    sides.set(key, {
      count: count + 1,
      widest: Math.max(widest, towards === 'right' ? 17 : below),
    })
  }
  for (const { from, to, source, target } of graph.links) {
    take(`out ${from}`, source)
    take(`in ${to}`, target)
  }
  const longest = ({ count, widest } = { count: 0, widest: 0 }): number =>
    count === 0 ? 0 : (count + 1) * widest
  return new Map(
    graph.boxes.map(({ id }) => [
      id,
      Math.max(longest(sides.get(`out ${id}`)), longest(sides.get(`in ${id}`))),
    ]),
  )
}

/** The texts of a box and the room that they take. */
function sketch(
  box: Box,
  withRows: boolean,
): { w: number; h: number; title: string; lines: PlacedBox['lines']; hidden: number } {
  const title = fittedText(box.name, 300, sizes.title, true)
  const rows = withRows ? box.rows.slice(0, mostRows) : []
  const hidden = withRows ? box.rows.length - rows.length : 0
  const lines = rows.map((row) => ({
    text: fittedText(row.name === '' ? '(empty)' : row.name, widestName, sizes.text, row.key),
    type: fittedText(row.type, widestType, sizes.text),
    key: row.key,
  }))
  const lineWidths = lines.map(
    (line) =>
      textWidth(line.text, sizes.text, line.key) +
      (line.type === '' ? 0 : textWidth(line.type, sizes.text) + 18),
  )
  const w = Math.ceil(
    largest([textWidth(title, sizes.title, true), ...lineWidths], 84) +
      sizes.padding * 2 +
      sizes.band,
  )
  const count = lines.length + (hidden > 0 ? 1 : 0)
  return {
    w,
    h: sizes.headHeight + (count === 0 ? 0 : count * sizes.rowHeight + 8),
    title,
    lines,
    hidden,
  }
}

function placedLink(
  edge: ElkExtendedEdge,
  link: Link,
  origins: ReadonlyMap<string, Point>,
): PlacedLink {
  // Coordinates are those of the node that the edge was sorted into.
  const container = (edge as { container?: string }).container ?? 'root'
  const { x, y } = origins.get(container) ?? { x: 0, y: 0 }
  const [section] = edge.sections ?? []
  const points =
    section === undefined
      ? []
      : [section.startPoint, ...(section.bendPoints ?? []), section.endPoint].map((point) => ({
          x: point.x + x,
          y: point.y + y,
        }))
  const labels = (edge.labels ?? []).map((label): PlacedLabel => ({
    text: label.text ?? '',
    x: (label.x ?? 0) + x,
    y: (label.y ?? 0) + y,
    w: label.width ?? 0,
  }))
  // A link is told from its own source to its own target, however it was laid out.
  return { link, points: link.kind === 'extends' ? points.reverse() : points, labels }
}
