import { existsSync, readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { fileURLToPath } from 'node:url'
import { create, type Font } from 'fontkit'

/**
 * The font that pictures are drawn in: it ships with the program, so that a picture is the same on
 * every machine, and has letters for most scripts that are written from left to right.
 */
export const fontFamily = 'DejaVu Sans'

/** Its files: regular, and bold. */
export const fontFiles: { readonly regular: string; readonly bold: string } = {
  regular: fontFile('DejaVuSans.ttf'),
  bold: fontFile('DejaVuSans-Bold.ttf'),
}

/** A file of the font: beside the built program, else that of the package it was copied from. */
function fontFile(name: string): string {
  const beside = fileURLToPath(new URL(`../pictures/${name}`, import.meta.url))
  if (existsSync(beside)) return beside
  return createRequire(import.meta.url).resolve(`dejavu-fonts-ttf/ttf/${name}`)
}

const loaded = new Map<string, Font>()
const widths = new Map<string, number>()

/** How wide a text is in the font of the pictures, in the unit of `size`. */
export function textWidth(text: string, size: number, bold = false): number {
  let width = 0
  for (const character of text) width += characterWidth(character, bold)
  return width * size
}

/** A text cut to a width, with an ellipsis. */
export function fittedText(text: string, width: number, size: number, bold = false): string {
  if (textWidth(text, size, bold) <= width) return text
  const characters = [...text]
  while (characters.length > 1 && textWidth(`${characters.join('')}…`, size, bold) > width)
    characters.pop()
  return `${characters.join('').trimEnd()}…`
}

/** A character's width in ems. */
function characterWidth(character: string, bold: boolean): number {
  const key = `${bold ? 'b' : 'r'}${character}`
  let width = widths.get(key)
  if (width === undefined) {
    const font = fontOf(bold ? fontFiles.bold : fontFiles.regular)
    width = font.layout(character).advanceWidth / font.unitsPerEm
    widths.set(key, width)
  }
  return width
}

function fontOf(file: string): Font {
  let font = loaded.get(file)
  if (font === undefined) {
    font = create(readFileSync(file)) as Font
    loaded.set(file, font)
  }
  return font
}
