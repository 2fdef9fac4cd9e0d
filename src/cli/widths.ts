import stringWidth from 'fast-string-width'
import { wrapAnsi } from 'fast-wrap-ansi'
import { concealed, shown } from './colours.js'

/** How many columns a text takes, colours or not. */
export function widthOf(text: string): number {
  // Plain letters, which most texts are, need no looking up.
  return /^[ -~]*$/.test(text) ? text.length : stringWidth(shown(text))
}

/**
 * A text in lines of so many columns at most; colours go on from line to line.
 *
 * @param hard breaks words that are too long
 */
export function wrapped(text: string, width: number, hard = false): string[] {
  return concealed(wrapAnsi(shown(text), width, { hard })).split('\n')
}
