import { largest } from '../contract/lists.js'
import type { ELK as Elk, ElkExtendedEdge, ElkNode } from 'elkjs/lib/elk-api.js'
import { mostWithRows, type Box, type End, type Graph, type Link } from './graph.js'
import { fittedText, textWidth } from './fonts.js'
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
  const room = roomForEnds(graph, towards)
  const sketches = new Map(
    graph.boxes.map((box) => {
      const drawn = sketch(box, graph.boxes.length <= mostWithRows)
      const least = room.get(box.id) ?? 0
      return [
        box.id,
        towards === 'right'
          ? { ...drawn, h: Math.max(drawn.h, least) }
          : { ...drawn, w: Math.max(drawn.w, least) },
      ]
    }),
  )
  const namespaces = [...new Set(graph.boxes.map(({ namespace }) => namespace))]
  const isClustered = namespaces.length > 1 && graph.boxes.length > 12
  const nodeOf = (box: Box): ElkNode => ({
    id: `t:${box.id}`,
    width: sketches.get(box.id)?.w ?? 0,
    height: sketches.get(box.id)?.h ?? 0,
  })
  const children: ElkNode[] = isClustered
    ? namespaces.map((namespace) => ({
        id: `n:${namespace}`,
        layoutOptions: { 'elk.padding': '[top=30,left=14,bottom=14,right=14]', ...spacing },
        children: graph.boxes.filter((box) => box.namespace === namespace).map(nodeOf),
      }))
    : graph.boxes.map(nodeOf)
  const edges = graph.links.map((link, at): ElkExtendedEdge => {
    // Kinds stand behind what they are kinds of, and wholes before their parts.
    const [from, to] = link.kind === 'extends' ? [link.to, link.from] : [link.from, link.to]
    const [tail, head] =
      link.kind === 'extends' ? [link.target, link.source] : [link.source, link.target]
    const ends =
      link.kind === 'uses'
        ? []
        : ([
            ['TAIL', tail],
            ['HEAD', head],
          ] as const)
    const labels = ends.flatMap(([placement, end]) => {
      const text = endText(end)
      return text === ''
        ? []
        : [
            {
              id: `l:${at}:${placement}`,
              text,
              width: textWidth(text, sizes.label) + 4,
              height: 15,
              layoutOptions: { 'elk.edgeLabels.placement': placement },
            },
          ]
    })
    return { id: `e:${at}`, sources: [`t:${from}`], targets: [`t:${to}`], labels }
  })
  const elk = new ElkClass()
  const laid: ElkNode = await elk.layout<ElkNode>({
    id: 'root',
    layoutOptions: {
      'elk.algorithm': 'layered',
      'elk.direction': towards === 'right' ? 'RIGHT' : 'DOWN',
      'elk.edgeRouting': 'ORTHOGONAL',
      'elk.aspectRatio': '1.6',
      'elk.separateConnectedComponents': 'true',
      'elk.randomSeed': '1',
      'elk.layered.nodePlacement.strategy': 'BRANDES_KOEPF',
      'elk.layered.nodePlacement.bk.fixedAlignment': 'BALANCED',
      'elk.layered.compaction.postCompaction.strategy': 'EDGE_LENGTH',
      ...(isClustered ? { 'elk.hierarchyHandling': 'INCLUDE_CHILDREN' } : {}),
      ...spacing,
    },
    children,
    edges,
  })
  const placed = new Map<string, { x: number; y: number; w: number; h: number }>()
  const clusters: PlacedCluster[] = []
  for (const node of laid.children ?? []) {
    const { x = 0, y = 0, width = 0, height = 0 } = node
    if (isClustered) clusters.push({ name: node.id.slice(2), x, y, w: width, h: height })
    for (const each of node.children ?? [])
      placed.set(each.id, {
        x: x + (each.x ?? 0),
        y: y + (each.y ?? 0),
        w: each.width ?? 0,
        h: each.height ?? 0,
      })
    if (!isClustered) placed.set(node.id, { x, y, w: width, h: height })
  }
  const boxes = graph.boxes.map((box): PlacedBox => {
    const at = placed.get(`t:${box.id}`) ?? { x: 0, y: 0, w: 0, h: 0 }
    const { title = box.name, lines = [], hidden = 0 } = sketches.get(box.id) ?? {}
    return { box, ...at, title, lines, hidden }
  })
  const origins = new Map(clusters.map(({ name, x, y }) => [`n:${name}`, { x, y }]))
  const links = (laid.edges ?? []).map((edge, at): PlacedLink =>
    placedLink(edge, graph.links[at] as Link, origins),
  )
  return { width: laid.width ?? 0, height: laid.height ?? 0, boxes, links, clusters }
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
