import picocolors from 'picocolors'
import { visible } from '../app/visible.js'

/**
 * Colours for texts on their way to a terminal. What starts a colour is kept as a mark that no
 * document or answer can have, until the text is written: so whatever else looks like a command to
 * the terminal came from elsewhere, and is shown instead of obeyed.
 */
const mark = `\u0000${Math.random().toString(36).slice(2)}${Math.random().toString(36).slice(2)}\u0000`
const escape = '\u001b'

type Colour = (text: string | number) => string

/**
 * A colour of the library's, with marks in place of what the terminal obeys; inside of another one
 * it goes back to that.
 */
function colour(of: Colour): Colour {
  const [open = '', close = ''] = of('|').replaceAll(escape, mark).split('|')
  if (open === '') return String
  return (text) => `${open}${String(text).replaceAll(close, `${close}${open}`)}${close}`
}

export const pc = {
  isColorSupported: picocolors.isColorSupported,
  bold: colour(picocolors.bold),
  dim: colour(picocolors.dim),
  underline: colour(picocolors.underline),
  red: colour(picocolors.red),
  green: colour(picocolors.green),
  yellow: colour(picocolors.yellow),
  cyan: colour(picocolors.cyan),
}

/**
 * A text as a terminal may have it: our own colours, and everything else that it would obey written
 * out (`\u001b`).
 */
export function shown(text: string): string {
  return visible(text, mark).replaceAll(mark, escape)
}

/**
 * A text that was made of what {@link shown} gave, by something that knows colours: as it was
 * before, so that it can be part of others.
 */
export function concealed(text: string): string {
  return text.replaceAll(escape, mark)
}

/**
 * A text that leads to an address, on terminals that follow links (OSC 8); the text alone
 * elsewhere.
 */
export function linked(text: string, url: string): string {
  return process.stdout.isTTY && pc.isColorSupported
    ? `${mark}]8;;${visible(url)}${mark}\\${text}${mark}]8;;${mark}\\`
    : text
}
