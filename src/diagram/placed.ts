import type { Box, Link } from './graph.js'
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
  /** Which end of the link it stands at. */
  readonly end: 'source' | 'target'
}

export interface PlacedLink {
  readonly link: Link
  readonly points: readonly Point[]
  readonly labels: readonly PlacedLabel[]
}

/** Boxes of one namespace, or that are close to each other, with a frame around them. */
export interface PlacedCluster {
  readonly name: string
  /** So many boxes are in it. */
  readonly count: number
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
