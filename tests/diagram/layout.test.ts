import { describe, expect, test } from '@jest/globals'
import * as fc from 'fast-check'
import type { Box, Graph, Link } from '../../src/diagram/graph.js'
import { layOut, type Places } from '../../src/diagram/layout.js'
import type { PlacedBox } from '../../src/diagram/placed.js'
import type { Point } from '../../src/diagram/shapes.js'

const boxNamed = (name: string, rows: number): Box => ({
  id: `ns.${name}`,
  name,
  kind: 'record',
  abstract: false,
  namespace: '',
  rows: Array.from({ length: rows }, (_, at) => ({
    name: `field${String(at)}`,
    type: 'text',
    key: at === 0,
    documentation: undefined,
  })),
  documentation: undefined,
})

/** Graphs of so many boxes, whose links lead anywhere. */
const graphs = (least: number, most: number): fc.Arbitrary<Graph> =>
  fc.array(fc.integer({ min: 0, max: 8 }), { minLength: least, maxLength: most }).chain((sizes) => {
    const boxes = sizes.map((rows, at) => boxNamed(`T${String(at)}`, rows))
    const end = fc.integer({ min: 0, max: boxes.length - 1 })
    return fc.array(fc.tuple(end, end), { maxLength: boxes.length * 2 }).map((pairs) => ({
      title: 'random',
      boxes,
      links: pairs.map(([from, to]): Link => ({
        kind: 'leadsTo',
        from: boxes[from]?.id ?? '',
        to: boxes[to]?.id ?? '',
        source: {},
        target: { name: 'way', multiplicity: '*' },
        documentation: undefined,
      })),
      listings: [],
      whole: boxes.length,
    }))
  })

const overlap = (one: PlacedBox, other: PlacedBox): boolean =>
  one.x < other.x + other.w &&
  other.x < one.x + one.w &&
  one.y < other.y + other.h &&
  other.y < one.y + one.h

const overlaps = (boxes: readonly PlacedBox[]): string[] =>
  boxes.flatMap((one, at) =>
    boxes
      .slice(at + 1)
      .flatMap((other) => (overlap(one, other) ? [`${one.box.name} ${other.box.name}`] : [])),
  )

/** Is a point on the border of a box, as nearly as numbers tell? */
const isOn = ({ x, y, w, h }: PlacedBox, point: Point | undefined): boolean => {
  if (point === undefined) return false
  const near = (one: number, other: number): boolean => Math.abs(one - other) < 1
  const inX = point.x > x - 1 && point.x < x + w + 1
  const inY = point.y > y - 1 && point.y < y + h + 1
  return (
    (inY && (near(point.x, x) || near(point.x, x + w))) ||
    (inX && (near(point.y, y) || near(point.y, y + h)))
  )
}

describe('the layout of graphs', () => {
  test('of many types: group by group, nothing over anything else, links from border to border', async () => {
    await fc.assert(
      fc.asyncProperty(graphs(82, 120), async (graph) => {
        const { boxes, links, clusters, width, height } = await layOut(graph, 'right')
        expect(boxes).toHaveLength(graph.boxes.length)
        expect(overlaps(boxes)).toEqual([])
        expect(links.map(({ link }) => link)).toEqual(graph.links)
        const at = new Map(boxes.map((each) => [each.box.id, each]))
        for (const { link, points } of links) {
          expect(isOn(at.get(link.from) as PlacedBox, points[0])).toBe(true)
          expect(isOn(at.get(link.to) as PlacedBox, points.at(-1))).toBe(true)
        }
        // Every box is in one frame, and counted there.
        expect(clusters.reduce((sum, { count }) => sum + count, 0)).toBe(boxes.length)
        for (const { x, y, w, h } of boxes) {
          const frames = clusters.filter(
            (frame) =>
              x >= frame.x &&
              y >= frame.y &&
              x + w <= frame.x + frame.w &&
              y + h <= frame.y + frame.h,
          )
          expect(frames).toHaveLength(1)
          expect(x + w <= width && y + h <= height).toBe(true)
        }
      }),
      { numRuns: 8 },
    )
  })

  test('by hand: what was put stays where it was put, the others stand beside, links from border to border', async () => {
    const coordinate = fc.integer({ min: -3000, max: 3000 })
    const arranged = graphs(2, 14).chain((graph) =>
      fc.tuple(
        fc.constant(graph),
        fc.dictionary(
          fc.constantFrom(...graph.boxes.map(({ id }) => id)),
          fc.record({ x: coordinate, y: coordinate }),
          { minKeys: 1 },
        ),
      ),
    )
    await fc.assert(
      fc.asyncProperty(arranged, async ([graph, wanted]) => {
        const places: Places = new Map(Object.entries(wanted))
        const { boxes, links } = await layOut(graph, 'right', places)
        const at = new Map(boxes.map((each) => [each.box.id, each]))
        const [[first = '', origin = { x: 0, y: 0 }] = []] = places
        for (const [id, { x, y }] of places) {
          expect((at.get(id)?.x ?? 0) - (at.get(first)?.x ?? 0)).toBeCloseTo(x - origin.x, 6)
          expect((at.get(id)?.y ?? 0) - (at.get(first)?.y ?? 0)).toBeCloseTo(y - origin.y, 6)
        }
        // Who puts boxes over each other has them so.
        expect(overlaps(boxes.filter(({ box }) => !places.has(box.id)))).toEqual([])
        expect(
          Math.min(...boxes.map(({ x }) => x), ...boxes.map(({ y }) => y)),
        ).toBeGreaterThanOrEqual(-0.001)
        for (const { link, points } of links) {
          expect(isOn(at.get(link.from) as PlacedBox, points[0])).toBe(true)
          expect(isOn(at.get(link.to) as PlacedBox, points.at(-1))).toBe(true)
        }
      }),
      { numRuns: 60 },
    )
  })

  test('the same graph gives the same picture', async () => {
    const [graph] = fc.sample(graphs(90, 90), 1)
    expect(await layOut(graph as Graph, 'right')).toEqual(await layOut(graph as Graph, 'right'))
  })
})
