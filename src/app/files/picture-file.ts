import { extname } from 'node:path'
import type { Picture } from '../../diagram/shapes.js'

/** A picture in the format of a file's ending: PNG, PDF, else SVG. */
export async function pictureFile(picture: Picture, file: string): Promise<string | Uint8Array> {
  const ending = extname(file).toLowerCase()
  if (ending === '.png') return (await import('../../diagram/png.js')).pngBytes(picture)
  if (ending === '.pdf') return (await import('../../diagram/pdf.js')).pdfBytes(picture)
  return (await import('../../diagram/svg.js')).svgText(picture)
}
