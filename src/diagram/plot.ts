import { largest } from '../contract/lists.js'
import { problem } from '../contract/problem.js'
import { fittedText, textWidth } from './fonts.js'
import type { Paint, Picture, Point, Shape } from './shapes.js'

/** What is to be drawn: a column to go along, and columns of numbers. */
export interface Plotted {
  readonly title: string
  readonly subtitle: string
  /** Names of the columns: that which is gone along, then those of numbers. */
  readonly headings: readonly string[]
  readonly rows: readonly (readonly string[])[]
}

const width = 960
const height = 540
const room = { left: 84, right: 32, top: 84, bottom: 64 } as const
const inner = { w: width - room.left - room.right, h: height - room.top - room.bottom }
const textSize = 12

/** So many lines or bars beside each other are told apart. */
const styles: readonly { readonly paint: Paint; readonly dash?: readonly number[] }[] = [
  { paint: 'entity' },
  { paint: 'enumeration', dash: [8, 4] },
  { paint: 'union', dash: [2, 3] },
  { paint: 'record', dash: [10, 3, 2, 3] },
]
/** More bars than this are not told from each other. */
const mostBars = 120

/**
 * Rows as a picture: a line for each column of numbers where the first column has dates, times or
 * numbers, else bars. What is missing leaves a gap.
 *
 * @throws Problem TM-1010 for columns that hold no numbers, too many columns, and too many bars
 */
export async function plotOf({ title, subtitle, headings, rows }: Plotted): Promise<Picture> {
  const [first = '', ...names] = headings
  if (names.length === 0 || names.length > styles.length)
    throw refused(
      `it names ${String(headings.length)} columns`,
      `Name the column to go along, and one to ${String(styles.length)} columns of numbers: --plot "Day, Dues".`,
    )
  const along = axisOf(rows.map(([text = '']) => text))
  const series = names.map((name, at) => rows.map((row) => numberIn(row[at + 1] ?? '', name)))
  const { scaleLinear } = await import('d3-scale')
  const all = series.flat().filter((value) => value !== undefined)
  const up = scaleLinear()
    .domain([
      -largest(
        all.map((value) => -value),
        0,
      ),
      largest(all, 0) || 1,
    ])
    .nice()
    .range([room.top + inner.h, room.top])
  const [only = ''] = names
  const y = room.top - 12
  return {
    width,
    height,
    title,
    shapes: [
      ...head(title, subtitle),
      ...levels(up.ticks(6), up.tickFormat(6), up),
      ...(along.kind === 'names'
        ? await barsOf(along.values, series, up)
        : await linesOf(along, series, up)),
      ...(names.length > 1
        ? legend(names, along.kind === 'names')
        : [
            {
              kind: 'text' as const,
              x: room.left,
              y,
              text: only,
              size: textSize,
              paint: 'faint' as const,
            },
          ]),
      {
        kind: 'text',
        x: room.left + inner.w,
        y: height - 16,
        text: first,
        size: textSize,
        paint: 'faint',
        anchor: 'end',
      },
    ],
  }
}

/** The numbers of each column, row by row. */
type Series = readonly (readonly (number | undefined)[])[]
type Scale = (value: number) => number

/** For each row bars beside each other. */
async function barsOf(names: readonly string[], series: Series, up: Scale): Promise<Shape[]> {
  if (names.length * series.length > mostBars)
    throw refused(
      `${String(names.length)} rows are too many bars`,
      'Go along a column of dates or numbers, or have fewer rows: --pick, or the inputs of the call.',
    )
  const { scaleBand } = await import('d3-scale')
  const places = scaleBand<number>()
    .domain(names.keys())
    .range([room.left, room.left + inner.w])
    .padding(0.25)
  const w = places.bandwidth() / series.length
  const bars = series.flatMap((values, which) =>
    values.flatMap((value, at) =>
      value === undefined ? [] : [bar(value, (places(at) ?? 0) + which * w, w, up, which)],
    ),
  )
  // Names that have no room beside each other are told now and then.
  const widest = largest(
    names.map((name) => textWidth(name, textSize)),
    1,
  )
  const step = Math.ceil((Math.min(widest, 60) + 8) / places.step())
  const told = names.flatMap((name, at) => {
    const text = fittedText(name, places.step() * step - 6, textSize)
    return at % step === 0 ? [below((places(at) ?? 0) + places.bandwidth() / 2, text)] : []
  })
  return [...bars, ...told]
}

/** A line for each column. */
async function linesOf(
  { kind, values }: Exclude<Axis, { kind: 'names' }>,
  series: Series,
  up: Scale,
): Promise<Shape[]> {
  const [{ scaleLinear, scaleUtc }, { line }] = await Promise.all([
    import('d3-scale'),
    import('d3-shape'),
  ])
  const there = values.filter((value) => value !== undefined)
  const domain: [number, number] = [-largest(there.map((value) => -value)), largest(there)]
  const range: [number, number] = [room.left, room.left + inner.w]
  const times = scaleUtc(domain, range)
  const numbers = scaleLinear(domain, range)
  const place: Scale = kind === 'times' ? times : numbers
  const ticks =
    kind === 'times'
      ? times.ticks(8).map((tick) => below(times(tick), times.tickFormat(8)(tick)))
      : numbers.ticks(8).map((tick) => below(numbers(tick), numbers.tickFormat(8)(tick)))
  const order = values
    .flatMap((value, at) => (value === undefined ? [] : [{ value, at }]))
    .sort((one, other) => one.value - other.value)
  const lines = series.flatMap((column, which) => {
    const path = line<(typeof order)[number]>()
      .defined(({ at }) => column[at] !== undefined)
      .x(({ value }) => place(value))
      .y(({ at }) => up(column[at] ?? 0))
      .digits(2)(order)
    return runsIn(path ?? '').flatMap((run) => lineOf(run, which))
  })
  return [...lines, ...ticks]
}

function refused(reason: string, remedy: string): Error {
  return problem('TM-1010', { option: '--plot', reason, remedy })
}

type Axis =
  | { readonly kind: 'times' | 'numbers'; readonly values: readonly (number | undefined)[] }
  | { readonly kind: 'names'; readonly values: readonly string[] }

/** Dates and times, numbers, or names, by what all of the texts are. */
function axisOf(texts: readonly string[]): Axis {
  const isMissing = (text: string): boolean => text === '' || text === 'null'
  const there = texts.filter((text) => !isMissing(text))
  const isTime = (text: string): boolean =>
    /^\d{4}-\d\d(?:-\d\d)?(?:T.+)?$/.test(text) && !Number.isNaN(Date.parse(inUtc(text)))
  if (there.length > 0 && there.every(isTime))
    return {
      kind: 'times',
      values: texts.map((text) => (isMissing(text) ? undefined : Date.parse(inUtc(text)))),
    }
  if (there.length > 0 && there.every(isNumber))
    return {
      kind: 'numbers',
      values: texts.map((text) => (isMissing(text) ? undefined : Number(text))),
    }
  return { kind: 'names', values: texts }
}

/** A time that says no offset is taken as it stands, on every machine alike. */
function inUtc(text: string): string {
  return /T/.test(text) && !/(?:Z|[+-]\d\d:?\d\d)$/.test(text) ? `${text}Z` : text
}

function isNumber(text: string): boolean {
  return /^[+-]?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?$/.test(text)
}

function numberIn(text: string, name: string): number | undefined {
  if (text === '' || text === 'null') return undefined
  if (!isNumber(text))
    throw refused(
      `the column ${name} holds "${text}", which is no number`,
      'Name a column of numbers behind the first one.',
    )
  return Number(text)
}

function head(title: string, subtitle: string): Shape[] {
  return [
    {
      kind: 'text',
      x: room.left,
      y: 34,
      text: fittedText(title, inner.w, 17, true),
      size: 17,
      bold: true,
      paint: 'ink',
    },
    {
      kind: 'text',
      x: room.left,
      y: 53,
      text: fittedText(subtitle, inner.w, textSize),
      size: textSize,
      paint: 'faint',
    },
  ]
}

/** The levels of the numbers, with a thin line each. */
function levels(
  ticks: readonly number[],
  format: (tick: number) => string,
  up: (tick: number) => number,
): Shape[] {
  return ticks.flatMap((tick): Shape[] => [
    {
      kind: 'line',
      points: [
        { x: room.left, y: up(tick) },
        { x: room.left + inner.w, y: up(tick) },
      ],
      stroke: tick === 0 ? 'line' : 'cluster',
      width: 1,
    },
    {
      kind: 'text',
      x: room.left - 10,
      y: up(tick) + 4,
      text: format(tick),
      size: textSize,
      paint: 'faint',
      anchor: 'end',
    },
  ])
}

function bar(
  value: number,
  x: number,
  w: number,
  up: (value: number) => number,
  which: number,
): Shape {
  const [top, bottom] = [Math.min(up(value), up(0)), Math.max(up(value), up(0))]
  return {
    kind: 'rectangle',
    x,
    y: top,
    w: Math.max(1, w - 1),
    h: bottom - top,
    fill: styles[which]?.paint ?? 'entity',
  }
}

/** A line; few points are marked, and one alone is nothing but a mark. */
function lineOf(points: readonly Point[], which: number): Shape[] {
  const { paint = 'entity', dash } = styles[which] ?? {}
  const marks = points.length > 60 ? [] : points
  return [
    ...(points.length < 2
      ? []
      : [
          {
            kind: 'line' as const,
            points,
            stroke: paint,
            width: 2,
            ...(dash === undefined ? {} : { dash }),
          },
        ]),
    ...marks.map(({ x, y }) => ({ kind: 'circle' as const, x, y, r: 3, fill: paint })),
  ]
}

/** The runs of points in a path: `M1,2L3,4M5,6Z`. */
function runsIn(path: string): Point[][] {
  return path
    .split('M')
    .filter((run) => run !== '')
    .map((run) =>
      run
        .replace(/Z$/, '')
        .split('L')
        .map((point) => {
          const [x = 0, y = 0] = point.split(',').map(Number)
          return { x, y }
        }),
    )
}

function below(x: number, text: string): Shape {
  return {
    kind: 'text',
    x,
    y: room.top + inner.h + 22,
    text,
    size: textSize,
    paint: 'faint',
    anchor: 'middle',
  }
}

function legend(names: readonly string[], isOfBars: boolean): Shape[] {
  let x: number = room.left
  return names.flatMap((name, which): Shape[] => {
    const { paint = 'entity', dash } = styles[which] ?? {}
    const at = x
    x += 34 + textWidth(name, textSize) + 24
    const y = room.top - 16
    const points = [
      { x: at, y },
      { x: at + 28, y },
    ]
    const form: Shape = isOfBars
      ? { kind: 'rectangle', x: at + 14, y: y - 6, w: 14, h: 12, fill: paint }
      : { kind: 'line', points, stroke: paint, width: 3, ...(dash === undefined ? {} : { dash }) }
    return [form, { kind: 'text', x: at + 34, y: y + 4, text: name, size: textSize, paint: 'ink' }]
  })
}
