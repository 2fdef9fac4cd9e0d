import type { ELK as Elk, ElkExtendedEdge, ElkNode } from 'elkjs/lib/elk-api.js'
import { addTo } from '../contract/lists.js'
import { textWidth } from './fonts.js'
import { mostWithRows, type Box, type Graph, type Link } from './graph.js'
import type { Layout, PlacedBox, PlacedCluster, PlacedLabel, PlacedLink } from './placed.js'
import type { Rectangle } from './routing.js'
import type { Point } from './shapes.js'
import { endText, sizes, sketchesOf } from './sketch.js'

/** How a graph is laid out in layers. */
export interface LayerOptions {
  readonly towards: 'right' | 'down'
  /** Are fields drawn? By the number of boxes when left out. */
  readonly withRows?: boolean
  /** The groups that boxes have frames around, by the ids of their types. */
  readonly groups?: ReadonlyMap<string, string>
}

/** Lays a graph out by the layered method of elkjs: links lead one way, as far as they can. */
export async function laidInLayers(
  graph: Graph,
  { towards, withRows = graph.boxes.length <= mostWithRows, groups = new Map() }: LayerOptions,
): Promise<Layout> {
  const { default: ElkClass } = (await import('elkjs/lib/elk.bundled.js')) as unknown as {
    default: new () => Elk
  }
  const sketches = sketchesOf(graph, towards, withRows)
  const members = new Map<string, Box[]>()
  for (const box of graph.boxes) addTo(members, groups.get(box.id) ?? '', box)
  const names = [...members.keys()]
  const isClustered = names.length > 1
  const nodeOf = ({ id }: Box): ElkNode => ({
    id: `t:${id}`,
    width: sketches.get(id)?.w ?? 0,
    height: sketches.get(id)?.h ?? 0,
  })
  const clusterOf = (name: string): ElkNode => ({
    id: `n:${name}`,
    layoutOptions: { 'elk.padding': '[top=30,left=14,bottom=14,right=14]', ...spacing },
    children: (members.get(name) ?? []).map(nodeOf),
  })
  const laid: ElkNode = await new ElkClass().layout<ElkNode>({
    id: 'root',
    layoutOptions: {
      ...layered,
      'elk.direction': towards === 'right' ? 'RIGHT' : 'DOWN',
      ...(isClustered ? { 'elk.hierarchyHandling': 'INCLUDE_CHILDREN' } : {}),
      ...spacing,
    },
    children: isClustered ? names.map(clusterOf) : graph.boxes.map(nodeOf),
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
  return children.map(({ id, x = 0, y = 0, width = 0, height = 0, children: inside = [] }) => ({
    name: id.slice(2),
    count: inside.length,
    x,
    y,
    w: width,
    h: height,
  }))
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
    end: (label.id?.endsWith('TAIL') === true) === (link.kind !== 'extends') ? 'source' : 'target',
  }))
  // A link is told from its own source to its own target, however it was laid out.
  return { link, points: link.kind === 'extends' ? points.reverse() : points, labels }
}
