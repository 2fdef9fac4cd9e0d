import { largest } from '../contract/lists.js'
import { fittedText, textWidth } from './fonts.js'
import { mostWithRows, type Box, type End, type Graph } from './graph.js'
import type { PlacedBox } from './placed.js'

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

/** What stands in the boxes, which are large enough for the links that end at them. */
export function sketchesOf(
  graph: Graph,
  towards: 'right' | 'down',
  withRows = graph.boxes.length <= mostWithRows,
): Map<string, Sketch> {
  const room = roomForEnds(graph, towards)
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

export type Sketch = ReturnType<typeof sketch>

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
