import { addTo, largest } from '../contract/lists.js'
import { groupsByCloseness } from './closeness.js'
import { textWidth } from './fonts.js'
import { mostWithRows, type Box, type Graph, type Link } from './graph.js'
import { laidInLayers } from './layers.js'
import type { Layout, PlacedBox, PlacedCluster, PlacedLabel, PlacedLink } from './placed.js'
import { placedAtEnd, routed } from './routing.js'
import type { Point } from './shapes.js'
import { endText, sketchesOf, sizes } from './sketch.js'

/** Left upper corners of boxes, by the ids of their types. */
export type Places = ReadonlyMap<string, Point>

/**
 * Lays a graph out: boxes where somebody put them, others in layers, in which links lead one way as
 * far as they can. Large graphs are laid out group by group.
 *
 * @param places where somebody put boxes
 * @returns places in pixels from the left upper corner
 */
export async function layOut(
  graph: Graph,
  towards: 'right' | 'down',
  places: Places = new Map(),
): Promise<Layout> {
  const { boxes } = graph
  if (boxes.some(({ id }) => places.has(id))) return laidByHand(graph, towards, places)
  const namespaces = new Map(boxes.map(({ id, namespace }) => [id, namespace]))
  const isSplit = new Set(namespaces.values()).size > 1
  if (boxes.length > mostWithRows)
    return laidInGroups(graph, towards, isSplit ? namespaces : await groupsByCloseness(graph))
  const groups = isSplit && boxes.length > 12 ? namespaces : new Map<string, string>()
  return laidInLayers(graph, { towards, groups })
}

/** Boxes where somebody put them, the others in a block beside; links from side to side. */
async function laidByHand(
  graph: Graph,
  towards: 'right' | 'down',
  places: Places,
): Promise<Layout> {
  const sketches = sketchesOf(graph, towards)
  const put = graph.boxes.flatMap((box): PlacedBox[] => {
    const at = places.get(box.id)
    const drawn = sketches.get(box.id)
    return at === undefined || drawn === undefined ? [] : [{ box, ...drawn, ...at }]
  })
  const others = partOf(graph, new Set(graph.boxes.filter(({ id }) => !places.has(id))))
  const withRows = graph.boxes.length <= mostWithRows
  const rest = await laidInLayers(others, { towards, withRows })
  const right = largest(put.map(({ x, w }) => x + w)) + gapBeside
  const top = smallest(put.map(({ y }) => y))
  const all = [...put, ...rest.boxes.map((box) => shifted(box, right, top))]
  const left = smallest(all.map(({ x }) => x))
  const highest = smallest(all.map(({ y }) => y))
  const boxes = all.map((box) => shifted(box, -left, -highest))
  return framed({ boxes, links: linksBetween(graph, boxes), clusters: [] })
}

/** Between the boxes that somebody put somewhere and the others, and between groups. */
const gapBeside = 72

/** Every group laid out by itself, and then side by side; links between them from side to side. */
async function laidInGroups(
  graph: Graph,
  towards: 'right' | 'down',
  groups: ReadonlyMap<string, string>,
): Promise<Layout> {
  const members = new Map<string, Box[]>()
  for (const box of graph.boxes) addTo(members, groups.get(box.id) ?? '', box)
  const parts: { name: string; layout: Layout }[] = []
  for (const [name, boxes] of members) {
    const part = partOf(graph, new Set(boxes))
    parts.push({ name, layout: await laidInLayers(part, { towards, withRows: false }) })
  }
  const frames = packed(parts)
  const boxes = frames.flatMap(({ x, y, layout }) =>
    layout.boxes.map((box) => shifted(box, x + inset.side, y + inset.top)),
  )
  const inside = new Map(
    frames.flatMap(({ x, y, layout }) =>
      layout.links.map((each) => [each.link, shiftedLink(each, x + inset.side, y + inset.top)]),
    ),
  )
  const between = linksBetween(graph, boxes)
  return framed({
    boxes,
    links: between.map((each) => inside.get(each.link) ?? each),
    clusters: frames.map(({ name, x, y, w, h, layout }) => ({
      name,
      count: layout.boxes.length,
      x,
      y,
      w,
      h,
    })),
  })
}

/** Between a group's frame and what is in it. */
const inset = { side: 14, top: 30 } as const

type Frame = Omit<PlacedCluster, 'count'> & { readonly layout: Layout }

/** Frames in rows, the high ones first, about as wide as windows are. */
function packed(parts: readonly { readonly name: string; readonly layout: Layout }[]): Frame[] {
  const frames = parts
    .map(({ name, layout }) => ({
      name,
      layout,
      w: layout.width + inset.side * 2,
      h: layout.height + inset.top + inset.side,
    }))
    .sort((one, other) => other.h - one.h)
  const widest = largest(frames.map(({ w }) => w))
  const area = frames.reduce((sum, { w, h }) => sum + (w + gapBeside) * (h + gapBeside), 0)
  const side = (all: readonly Frame[]): number =>
    Math.max(
      largest(all.map(({ x, w }) => x + w)) / windowShape,
      largest(all.map(({ y, h }) => y + h)),
    )
  const [best = []] = [1, 1.2, 1.4, 1.7, 2, 2.5]
    .map((by) => inRows(frames, Math.max(widest, Math.sqrt(area * windowShape) * by)))
    .sort((one, other) => side(one) - side(other))
  return best
}

/** So much wider than high windows are. */
const windowShape = 1.5

function inRows(frames: readonly Omit<Frame, 'x' | 'y'>[], room: number): Frame[] {
  let x = 0
  let y = 0
  let rowHeight = 0
  return frames.map((frame) => {
    if (x > 0 && x + frame.w > room) {
      x = 0
      y += rowHeight + gapBeside
      rowHeight = 0
    }
    const placed = { ...frame, x, y }
    x += frame.w + gapBeside
    rowHeight = Math.max(rowHeight, frame.h)
    return placed
  })
}

/** Some boxes of a graph, with the links between them. */
function partOf(graph: Graph, boxes: ReadonlySet<Box>): Graph {
  const ids = new Set([...boxes].map(({ id }) => id))
  const links = graph.links.filter(({ from, to }) => ids.has(from) && ids.has(to))
  return { ...graph, boxes: [...boxes], links }
}

function linksBetween(graph: Graph, boxes: readonly PlacedBox[]): PlacedLink[] {
  const byId = new Map(boxes.map((each) => [each.box.id, each]))
  const shares = sharesOf(graph)
  return graph.links.map((link, at) => {
    const [from, to] = [byId.get(link.from), byId.get(link.to)]
    if (from === undefined || to === undefined) return { link, points: [], labels: [] }
    const points = routed(from, to, shares[at] ?? [0.5, 0.5])
    return { link, points, labels: labelsAtEnds(link, points) }
  })
}

/** A layout with the size that all of it takes. */
function framed(layout: Omit<Layout, 'width' | 'height'>): Layout {
  const rectangles = [...layout.boxes, ...layout.clusters]
  const points = layout.links.flatMap((link) => link.points)
  const width = largest(
    rectangles.map(({ x, w }) => x + w),
    0,
  )
  const height = largest(
    rectangles.map(({ y, h }) => y + h),
    0,
  )
  return {
    ...layout,
    width: largest(
      points.map(({ x }) => x),
      width,
    ),
    height: largest(
      points.map(({ y }) => y),
      height,
    ),
  }
}

function shifted<Thing extends Point>(thing: Thing, dx: number, dy: number): Thing {
  return { ...thing, x: thing.x + dx, y: thing.y + dy }
}

function shiftedLink({ link, points, labels }: PlacedLink, dx: number, dy: number): PlacedLink {
  return {
    link,
    points: points.map((point) => shifted(point, dx, dy)),
    labels: labels.map((label) => shifted(label, dx, dy)),
  }
}

function smallest(numbers: readonly number[]): number {
  return -largest(numbers.map((number) => -number))
}

/** Where along the sides of its boxes each link ends, so that those of one box are apart. */
export function sharesOf({ links }: Graph): (readonly [number, number])[] {
  const counts = new Map<string, number>()
  const next = (id: string): number => {
    const count = (counts.get(id) ?? 0) + 1
    counts.set(id, count)
    return count
  }
  const numbered = links.map(({ from, to }) => [next(from), next(to)] as const)
  return numbered.map(([leaving, arriving], at) => [
    leaving / ((counts.get(links[at]?.from ?? '') ?? 1) + 1),
    arriving / ((counts.get(links[at]?.to ?? '') ?? 1) + 1),
  ])
}

function labelsAtEnds(link: Link, points: readonly Point[]): PlacedLabel[] {
  if (link.kind === 'uses') return []
  const ends = [
    ['source', endText(link.source), points[0], points[1]],
    ['target', endText(link.target), points.at(-1), points.at(-2)],
  ] as const
  return ends.flatMap(([end, text, at, next]) => {
    if (text === '' || at === undefined || next === undefined) return []
    const w = textWidth(text, sizes.label) + 4
    return [{ text, w, end, ...placedAtEnd(at, next, w) }]
  })
}
