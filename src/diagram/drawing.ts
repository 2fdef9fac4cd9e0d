import { addAll, largest } from '../contract/lists.js'
import { marked, present } from '../contract/present.js'
import { textWidth } from './fonts.js'
import type { BoxKind, End, Graph, Link } from './graph.js'
import type { Layout, PlacedBox, PlacedLink } from './placed.js'
import { endText, sizes } from './sketch.js'
import type { Paint, Picture, Point, Shape } from './shapes.js'

const margin = 24
/** Entries of a list beside the boxes; more are counted. */
const mostEntries = 40

/** Where the boxes begin on a page that tells everything else beside the picture. */
export const pageMargin = margin

/** A graph that was laid out, without title, lists and legend: a page has them beside it. */
export function bareDrawingOf(graph: Graph, layout: Layout): Picture {
  return {
    width: Math.ceil(layout.width + pageMargin * 2),
    height: Math.ceil(layout.height + pageMargin * 2),
    title: graph.title,
    shapes: moved(drawnGraph(graph, layout), pageMargin, pageMargin),
  }
}

function drawnGraph(graph: Graph, layout: Layout): Shape[] {
  const names = new Map(graph.boxes.map(({ id, name }) => [id, name]))
  return [
    ...layout.clusters.map(drawnCluster),
    ...layout.links.map((link) => drawnLink(link, (id) => names.get(id) ?? id)),
    ...layout.boxes.map(drawnBox),
  ]
}

/**
 * A graph that was laid out, as shapes: a title, the boxes with their links, lists and a legend
 * below them.
 */
export function drawingOf(graph: Graph, layout: Layout): Picture {
  const head = 44
  const body = drawnGraph(graph, layout)
  const heading = headingOf(graph)
  const legend = legendOf(graph)
  const lists = listsOf(graph, Math.max(layout.width, legend.w, 560))
  const bottom = head + margin + layout.height + (layout.height === 0 ? 0 : 28)
  const listsTop = bottom + legend.h + (lists.h === 0 ? 0 : 22)
  const width = Math.max(layout.width, legend.w, lists.w, heading.w)
  return {
    width: Math.ceil(width + margin * 2),
    height: Math.ceil(listsTop + lists.h + margin),
    title: graph.title,
    shapes: [
      ...heading.shapes,
      ...moved(body, margin, head + margin / 2),
      ...moved(legend.shapes, margin, bottom),
      ...moved(lists.shapes, margin, listsTop),
    ],
  }
}

/** The title, and how much of the contract is shown. */
function headingOf({ title, boxes, whole }: Graph): { w: number; shapes: Shape[] } {
  const gap = 14
  const part = boxes.length < whole ? ` of ${whole}` : ''
  const subtitle = `${boxes.length}${part} types`
  const y = margin + 8
  const titleWidth = textWidth(title, 17, true)
  return {
    w: titleWidth + textWidth(subtitle, sizes.text) + gap,
    shapes: [
      { kind: 'text', x: margin, y, text: title, size: 17, bold: true, paint: 'ink' },
      {
        kind: 'text',
        x: margin + titleWidth + gap,
        y,
        text: subtitle,
        size: sizes.text,
        paint: 'faint',
      },
    ],
  }
}

function drawnCluster({ name, count, x, y, w, h }: Layout['clusters'][number]): Shape {
  return {
    kind: 'group',
    about: { role: 'cluster', id: name, name: `${name} (${String(count)})` },
    shapes: [
      { kind: 'rectangle', x, y, w, h, radius: 8, fill: 'cluster' },
      {
        kind: 'text',
        x: x + 14,
        y: y + 19,
        text: name === '' ? '(no namespace)' : name,
        size: sizes.text,
        paint: 'faint',
      },
    ],
  }
}

const kindWords: Readonly<Record<BoxKind, string>> = {
  entity: 'entity',
  record: 'record',
  enumeration: 'enumeration',
  union: 'one of several',
}

/** A box: each kind has a colour, and a form of its own that tells it without. */
function drawnBox(placed: PlacedBox): Shape {
  const { box, x, y, w, h, title, lines, hidden } = placed
  const { headHeight, rowHeight } = sizes
  const left = leftOf(placed)
  const what = `${box.abstract ? 'abstract ' : ''}${kindWords[box.kind]}`
  const rowsTop = y + headHeight
  return {
    kind: 'group',
    about: { role: 'type', id: box.id, name: box.name },
    ...present({ hint: box.documentation }),
    shapes: [
      frameOf(box.kind, x, y, w, h),
      ...bandOf(box.kind, x, y, h),
      {
        kind: 'text',
        x: left,
        y: y + 15,
        text: title,
        size: sizes.title,
        bold: true,
        paint: 'ink',
      },
      { kind: 'text', x: left, y: y + 28, text: what, size: 9, paint: 'faint' },
      ...(lines.length > 0
        ? [
            {
              kind: 'group' as const,
              role: 'fields' as const,
              shapes: [
                ...lines.flatMap((line, at) =>
                  drawnRow(line, placed, rowsTop + 14 + at * rowHeight),
                ),
                lineBelowHead(placed),
                ...(hidden > 0
                  ? [restOf(hidden, left, rowsTop + 14 + lines.length * rowHeight)]
                  : []),
              ],
            },
          ]
        : []),
    ],
  }
}

/** Where the texts of a box begin. */
function leftOf({ x }: PlacedBox): number {
  return x + sizes.band + sizes.padding
}

function drawnRow(
  { text, type, key }: PlacedBox['lines'][number],
  box: PlacedBox,
  baseline: number,
): Shape[] {
  const name: Shape = {
    kind: 'text',
    x: leftOf(box),
    y: baseline,
    text,
    size: sizes.text,
    ...marked({ bold: key }),
    paint: 'ink',
  }
  const mark: Shape = underline(leftOf(box), baseline, textWidth(text, sizes.text, key))
  const typeText: Shape = {
    kind: 'text',
    x: box.x + box.w - sizes.padding,
    y: baseline,
    text: type,
    size: sizes.text,
    paint: 'faint',
    anchor: 'end',
  }
  return [...(key ? [mark] : []), name, ...(type === '' ? [] : [typeText])]
}

/** Keys are underlined. */
function underline(x: number, baseline: number, width: number): Shape {
  const y = baseline + 2.5
  return {
    kind: 'line',
    points: [
      { x, y },
      { x: x + width, y },
    ],
    stroke: 'ink',
    width: 1,
  }
}

function lineBelowHead({ x, y, w }: PlacedBox): Shape {
  const below = y + sizes.headHeight
  return {
    kind: 'line',
    points: [
      { x: x + sizes.band, y: below },
      { x: x + w, y: below },
    ],
    stroke: 'cluster',
    width: 1,
  }
}

function restOf(hidden: number, x: number, y: number): Shape {
  return { kind: 'text', x, y, text: `… and ${hidden} more`, size: sizes.text, paint: 'faint' }
}

function frameOf(kind: BoxKind, x: number, y: number, w: number, h: number): Shape {
  const stroke = { fill: 'card', stroke: 'line', width: 1 } as const
  if (kind === 'enumeration') {
    const cut = 10
    return {
      kind: 'polygon',
      points: [
        { x, y },
        { x: x + w - cut, y },
        { x: x + w, y: y + cut },
        { x: x + w, y: y + h },
        { x, y: y + h },
      ],
      ...stroke,
    }
  }
  if (kind === 'union')
    return { kind: 'rectangle', x, y, w, h, radius: 14, ...stroke, dash: [5, 3] }
  return { kind: 'rectangle', x, y, w, h, radius: kind === 'entity' ? 0 : 6, ...stroke }
}

/**
 * The band at the left: whole for entities, in two parts for records, in many for enumerations,
 * none for what is one of several.
 */
function bandOf(kind: BoxKind, x: number, y: number, h: number): Shape[] {
  const piece = (top: number, height: number, fill: Paint): Shape => ({
    kind: 'rectangle',
    x,
    y: top,
    w: sizes.band,
    h: height,
    fill,
  })
  if (kind === 'entity') return [piece(y, h, 'entity')]
  if (kind === 'record') return [piece(y + Math.min(7, h / 4), h - Math.min(14, h / 2), 'record')]
  if (kind === 'enumeration')
    return Array.from({ length: Math.max(1, Math.floor(h / 8)) }, (_, at) =>
      piece(y + at * 8 + 1, 5, 'enumeration'),
    )
  return [
    {
      kind: 'circle',
      x: x + sizes.band + 1,
      y: y + Math.min(15, h / 2),
      r: Math.min(4, h / 4),
      fill: 'union',
    },
  ]
}

function drawnLink({ link, points, labels }: PlacedLink, nameOf: (id: string) => string): Shape {
  const shapes: Shape[] = lineOf(link.kind, points, link.source.name !== undefined)
  for (const label of labels)
    shapes.push({
      kind: 'text',
      x: label.x + 2,
      y: label.y + 11,
      text: label.text,
      size: sizes.label,
      paint: 'ink',
      role: label.end,
    })
  return {
    kind: 'group',
    about: { role: 'link', id: link.from, others: link.to, name: linkText(link, nameOf) },
    hint: [linkText(link, nameOf), link.documentation]
      .filter((part) => part !== undefined)
      .join('\n\n'),
    shapes,
  }
}

/** A link in words. */
export function linkText(link: Link, nameOf: (id: string) => string): string {
  const [from, to] = [nameOf(link.from), nameOf(link.to)]
  if (link.kind === 'extends') return `${from} is a kind of ${to}`
  if (link.kind === 'oneOf') return `${to} is one of ${from}`
  if (link.kind === 'uses') return `${from} uses ${to} (${link.target.name ?? ''})`
  const said = (end: End): string => endText(end).replace('  ', ' ')
  const verb = link.kind === 'contains' ? 'contains' : 'leads to'
  const back = said(link.source)
  const association = link.association === undefined ? '' : ` (${link.association})`
  return `${from} ${verb} ${to}: ${said(link.target)}${back === '' ? '' : `; back: ${back}`}${association}`
}

/**
 * The line with what stands at its ends: an open arrow where a field leads, a square where
 * something contains, a hollow arrow to what is extended, a circle at the union.
 */
function lineOf(kind: Link['kind'], points: readonly Point[], leadsBack = false): Shape[] {
  const [start, second] = points
  const [end, before] = [points.at(-1), points.at(-2)]
  if (start === undefined || second === undefined || end === undefined || before === undefined)
    return []
  const line = { kind: 'line', stroke: 'line', width: 1.3 } as const
  switch (kind) {
    case 'leadsTo':
      return [
        { ...line, points },
        { ...line, points: arrow(before, end, 8, 4) },
        ...(leadsBack ? [{ ...line, points: arrow(second, start, 8, 4) }] : []),
      ]
    case 'contains':
      return [
        { ...line, points },
        { ...line, points: arrow(before, end, 8, 4) },
        { kind: 'polygon', points: square(second, start), fill: 'line' },
      ]
    case 'extends':
      return [
        { ...line, points, width: 2 },
        {
          kind: 'polygon',
          points: arrow(before, end, 11, 6),
          fill: 'card',
          stroke: 'line',
          width: 1.3,
        },
      ]
    case 'oneOf':
      return [
        { ...line, points, dash: [6, 3] },
        { kind: 'circle', x: start.x, y: start.y, r: 3.5, fill: 'union' },
      ]
    case 'uses':
      return [{ ...line, points, dash: [2, 3], width: 1 }]
  }
}

/** Both sides of an arrow's point, with the point between them. */
function arrow(from: Point, to: Point, length: number, half: number): Point[] {
  const { along, across } = directions(from, to)
  const foot = { x: to.x - along.x * length, y: to.y - along.y * length }
  return [
    { x: foot.x + across.x * half, y: foot.y + across.y * half },
    to,
    { x: foot.x - across.x * half, y: foot.y - across.y * half },
  ]
}

/** A square at the end of a line that comes from elsewhere. */
function square(from: Point, to: Point): Point[] {
  const { along, across } = directions(from, to)
  const corner = (back: number, side: number): Point => ({
    x: to.x - along.x * back + across.x * side,
    y: to.y - along.y * back + across.y * side,
  })
  return [corner(0, -3.5), corner(7, -3.5), corner(7, 3.5), corner(0, 3.5)]
}

function directions(from: Point, to: Point): { along: Point; across: Point } {
  const length = Math.hypot(to.x - from.x, to.y - from.y) || 1
  const along = { x: (to.x - from.x) / length, y: (to.y - from.y) / length }
  return { along, across: { x: -along.y, y: along.x } }
}

const linkWords: readonly (readonly [Link['kind'], string])[] = [
  ['leadsTo', 'a field leads to it'],
  ['contains', 'is a part of it'],
  ['extends', 'is a kind of it'],
  ['oneOf', 'is one of them'],
  ['uses', 'has values of it'],
]

/** One form and what it means; the form stands in a row that is 18 high. */
export interface LegendEntry {
  readonly width: number
  readonly shapes: readonly Shape[]
  readonly word: string
}

/** What the forms mean, of those that are there. */
export function legendEntries(graph: Graph): LegendEntry[] {
  const kinds = (['entity', 'record', 'enumeration', 'union'] as const).filter((kind) =>
    graph.boxes.some((box) => box.kind === kind),
  )
  const line = [
    { x: 0, y: 9 },
    { x: 30, y: 9 },
  ]
  const hasKeys = graph.boxes.some((box) => box.rows.some(({ key }) => key))
  return [
    ...kinds.map((kind) => ({
      width: 26,
      shapes: [frameOf(kind, 0, 1, 26, 16), ...bandOf(kind, 0, 1, 16)],
      word: kindWords[kind],
    })),
    ...linkWords
      .filter(([kind]) => graph.links.some((link) => link.kind === kind))
      .map(([kind, word]) => ({ width: 30, shapes: lineOf(kind, line), word })),
    ...(hasKeys ? [{ width: 18, shapes: keyForm, word: 'is part of the key' }] : []),
  ]
}

const keyForm: readonly Shape[] = [
  { kind: 'text', x: 0, y: 13, text: 'No', size: 11, bold: true, paint: 'ink' },
  underline(0, 13, textWidth('No', 11, true)),
]

function legendOf(graph: Graph): { w: number; h: number; shapes: Shape[] } {
  const shapes: Shape[] = []
  let x = 0
  for (const { width, shapes: form, word } of legendEntries(graph)) {
    addAll(shapes, moved(form, x, 0))
    x += width + 6
    shapes.push({ kind: 'text', x, y: 13, text: word, size: 10, paint: 'faint' })
    x += textWidth(word, 10) + 22
  }
  return { w: Math.max(0, x - 22), h: shapes.length === 0 ? 0 : 18, shapes }
}

/** Sets and operations in columns. */
function listsOf(graph: Graph, width: number): { w: number; h: number; shapes: Shape[] } {
  const shapes: Shape[] = []
  let y = 0
  let widest = 0
  for (const { title, entries } of graph.listings) {
    const shown = entries.slice(0, mostEntries)
    const texts =
      entries.length > shown.length
        ? [...shown, `… and ${entries.length - shown.length} more`]
        : shown
    shapes.push({
      kind: 'text',
      x: 0,
      y: y + 12,
      text: title,
      size: sizes.text,
      bold: true,
      paint: 'ink',
    })
    const column =
      largest(
        texts.map((text) => textWidth(text, sizes.text)),
        0,
      ) + 24
    const columns = Math.max(1, Math.floor((width - 90 + 24) / column))
    texts.forEach((text, at) =>
      shapes.push({
        kind: 'text',
        x: 90 + (at % columns) * column,
        y: y + 12 + Math.floor(at / columns) * sizes.rowHeight,
        text,
        size: sizes.text,
        paint: 'faint',
      }),
    )
    widest = Math.max(widest, 90 + Math.min(columns, texts.length) * column - 24)
    y += Math.ceil(texts.length / columns) * sizes.rowHeight + 6
  }
  return { w: widest, h: y, shapes }
}

function moved(shapes: readonly Shape[], dx: number, dy: number): Shape[] {
  const point = ({ x, y }: Point): Point => ({ x: x + dx, y: y + dy })
  return shapes.map((shape): Shape => {
    switch (shape.kind) {
      case 'group':
        return { ...shape, shapes: moved(shape.shapes, dx, dy) }
      case 'line':
      case 'polygon':
        return { ...shape, points: shape.points.map(point) }
      default:
        return { ...shape, ...point(shape) }
    }
  })
}
