import type { Point } from './shapes.js'

/** Where a box is. */
export interface Rectangle {
  readonly x: number
  readonly y: number
  readonly w: number
  readonly h: number
}

/**
 * The way of a link between boxes that were put where they are by hand: from side to side, with one
 * turn there and back. Pages draw with this very function while somebody moves a box, so that it may
 * use nothing from outside of itself.
 *
 * @param shares where along the side of each box it ends, from 0 to 1
 */
export function routed(
  from: Rectangle,
  to: Rectangle,
  shares: readonly [leaving: number, arriving: number],
): Point[] {
  const least = 24
  const [leaving, arriving] = shares
  const between = (start: number, end: number): number =>
    start + (end - start) * (0.3 + 0.4 * leaving)
  const isRight = to.x - (from.x + from.w) >= least
  const isLeft = from.x - (to.x + to.w) >= least
  if (isRight || isLeft) {
    const start = { x: isRight ? from.x + from.w : from.x, y: from.y + from.h * leaving }
    const end = { x: isRight ? to.x : to.x + to.w, y: to.y + to.h * arriving }
    const x = between(start.x, end.x)
    return [start, { x, y: start.y }, { x, y: end.y }, end]
  }
  const isBelow = to.y >= from.y + from.h
  const isAbove = from.y >= to.y + to.h
  if (isBelow || isAbove) {
    const start = { x: from.x + from.w * leaving, y: isBelow ? from.y + from.h : from.y }
    const end = { x: to.x + to.w * arriving, y: isBelow ? to.y : to.y + to.h }
    const y = between(start.y, end.y)
    return [start, { x: start.x, y }, { x: end.x, y }, end]
  }
  // To itself, or to what it overlaps: around by the right.
  const x = Math.max(from.x + from.w, to.x + to.w) + least
  const start = { x: from.x + from.w, y: from.y + from.h * leaving }
  const end = { x: to.x + to.w, y: to.y + to.h * arriving }
  return [start, { x, y: start.y }, { x, y: end.y }, end]
}

/**
 * Where a text stands at an end of a link: beside the line, outside of the box. Pages use this very
 * function, too.
 *
 * @param end the end, and the point of the line next to it
 * @param width how wide the text is
 * @returns its left upper corner; it is 15 high
 */
export function placedAtEnd(end: Point, next: Point, width: number): Point {
  if (end.y === next.y) return { x: next.x >= end.x ? end.x + 4 : end.x - 4 - width, y: end.y - 15 }
  return { x: end.x + 3, y: next.y >= end.y ? end.y + 2 : end.y - 17 }
}
