import { fontFiles } from './fonts.js'
import { palette, type Picture, type Point, type Shape, type Stroke } from './shapes.js'

/** PDF readers take pages up to this many points a side (ISO 32000-1, annex C). */
const longestSide = 14_400
/** A pixel is 1/96 of an inch, a point 1/72. */
const pointsPerPixel = 0.75

/**
 * A picture as PDF: one page of its size, with texts that can be searched and copied.
 *
 * @returns the bytes of the file, the same for the same picture
 */
export async function pdfBytes(picture: Picture): Promise<Uint8Array> {
  const { default: PdfDocument } = await import('pdfkit')
  const scale = Math.min(pointsPerPixel, longestSide / picture.width, longestSide / picture.height)
  const size: [number, number] = [picture.width * scale, picture.height * scale]
  // Without a date of its own, the same picture gives the same bytes.
  const document = new PdfDocument({
    size,
    margin: 0,
    // None of those that every reader has: texts are in a font that the file brings along.
    font: '',
    info: {
      Title: picture.title,
      Producer: 'Tolmach',
      Creator: 'Tolmach',
      CreationDate: new Date(0),
      ModDate: new Date(0),
    },
  })
  const chunks: Buffer[] = []
  const done = new Promise<Uint8Array>((resolve, reject) => {
    document.on('data', (chunk: Buffer) => chunks.push(chunk))
    document.on('end', () => resolve(Buffer.concat(chunks)))
    document.on('error', reject)
  })
  document.registerFont('regular', fontFiles.regular).registerFont('bold', fontFiles.bold)
  document.rect(0, 0, ...size).fill(palette.paper)
  document.scale(scale)
  for (const shape of picture.shapes) draw(document, shape)
  document.end()
  return done
}

function draw(document: PDFKit.PDFDocument, shape: Shape): void {
  switch (shape.kind) {
    case 'group':
      for (const each of shape.shapes) draw(document, each)
      return
    case 'text': {
      document
        .font(shape.bold === true ? 'bold' : 'regular')
        .fontSize(shape.size)
        .fillColor(palette[shape.paint])
      const width = document.widthOfString(shape.text)
      const left = shape.x - width * before[shape.anchor ?? 'start']
      document.text(shape.text, left, shape.y, { lineBreak: false, baseline: 'alphabetic' })
      return
    }
    case 'rectangle':
      if (shape.radius === undefined || shape.radius === 0)
        document.rect(shape.x, shape.y, shape.w, shape.h)
      else document.roundedRect(shape.x, shape.y, shape.w, shape.h, shape.radius)
      return paint(document, shape)
    case 'circle':
      document.circle(shape.x, shape.y, shape.r)
      return paint(document, shape)
    case 'polygon':
      document.polygon(...pairs(shape.points))
      return paint(document, shape)
    case 'line': {
      const [first, ...rest] = shape.points
      if (first === undefined) return
      document.moveTo(first.x, first.y)
      for (const { x, y } of rest) document.lineTo(x, y)
      return paint(document, shape)
    }
  }
}

function paint(document: PDFKit.PDFDocument, { fill, stroke, width = 1, dash }: Stroke): void {
  if (stroke !== undefined) document.lineWidth(width)
  if (dash === undefined) document.undash()
  else document.dash(dash[0] ?? 1, { space: dash[1] ?? 1 })
  if (fill !== undefined && stroke !== undefined)
    document.fillAndStroke(palette[fill], palette[stroke])
  else if (fill !== undefined) document.fill(palette[fill])
  else if (stroke !== undefined) document.stroke(palette[stroke])
}

function pairs(points: readonly Point[]): [number, number][] {
  return points.map(({ x, y }) => [x, y])
}

/** How much of a text stands before its anchor. */
const before = { start: 0, middle: 0.5, end: 1 } as const
