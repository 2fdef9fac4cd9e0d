import { fontFamily, fontFiles } from './fonts.js'
import { palette, type Picture } from './shapes.js'
import { svgText } from './svg.js'

/**
 * Pixels that a picture may have, on a side and in all: what programs that open pictures can stand.
 */
const longestSide = 16_000
const mostPixels = 48_000_000

/**
 * A picture as PNG, twice as fine as it is large, unless that would be too large.
 *
 * @returns the bytes of the file
 */
export async function pngBytes(picture: Picture): Promise<Uint8Array> {
  const { Resvg } = await import('@resvg/resvg-js')
  const zoom = Math.min(
    2,
    longestSide / picture.width,
    longestSide / picture.height,
    Math.sqrt(mostPixels / (picture.width * picture.height)),
  )
  const image = new Resvg(svgText(picture), {
    fitTo: { mode: 'zoom', value: zoom },
    background: palette.paper,
    font: {
      fontFiles: [fontFiles.regular, fontFiles.bold],
      loadSystemFonts: false,
      defaultFontFamily: fontFamily,
    },
  })
  return image.render().asPng()
}
