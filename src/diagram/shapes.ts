/**
 * A picture as plain shapes, which every format can draw. Coordinates are in pixels, from the left
 * upper corner.
 */
export interface Picture {
  readonly width: number
  readonly height: number
  readonly title: string
  readonly shapes: readonly Shape[]
}

/** Colours by what they are for; {@link palette} has them. */
export type Paint =
  | 'paper'
  | 'card'
  | 'ink'
  | 'faint'
  | 'line'
  | 'entity'
  | 'record'
  | 'enumeration'
  | 'union'
  | 'cluster'

export interface Point {
  readonly x: number
  readonly y: number
}

/** What shapes have in common. */
export interface Stroke {
  readonly fill?: Paint
  readonly stroke?: Paint
  readonly width?: number
  /** Lengths of strokes and gaps. */
  readonly dash?: readonly number[]
}

export type Shape =
  | ({
      readonly kind: 'rectangle'
      readonly x: number
      readonly y: number
      readonly w: number
      readonly h: number
      readonly radius?: number
    } & Stroke)
  | ({ readonly kind: 'line'; readonly points: readonly Point[] } & Stroke)
  | ({ readonly kind: 'polygon'; readonly points: readonly Point[] } & Stroke)
  | ({
      readonly kind: 'circle'
      readonly x: number
      readonly y: number
      readonly r: number
    } & Stroke)
  | {
      readonly kind: 'text'
      readonly x: number
      readonly y: number
      readonly text: string
      readonly size: number
      readonly bold?: true
      readonly paint: Paint
      readonly anchor?: 'start' | 'middle' | 'end'
      /** Of a text on a link: which end it belongs to. */
      readonly role?: 'source' | 'target'
    }
  /** Shapes that are one thing: what it is, and a text that is shown when somebody points at it. */
  | {
      readonly kind: 'group'
      readonly about?: {
        readonly role: 'type' | 'link' | 'cluster'
        readonly id: string
        readonly name: string
        readonly others?: string
      }
      readonly hint?: string
      /** What is seen from near only. */
      readonly role?: 'fields'
      readonly shapes: readonly Shape[]
    }

/**
 * Calm colours that differ in lightness, so that they are told apart in grey and by whoever sees
 * colours differently; shapes tell the same again.
 */
export const palette: Readonly<Record<Paint, string>> = {
  paper: '#fcfcfa',
  card: '#ffffff',
  ink: '#22303a',
  faint: '#57646d',
  line: '#7b878f',
  entity: '#2f5d73',
  record: '#6b9490',
  enumeration: '#a3740f',
  union: '#8a6ea3',
  cluster: '#eef1f0',
}
