import { fontFamily, textWidth } from './fonts.js'
import { palette, type Picture, type Point, type Shape, type Stroke } from './shapes.js'

/**
 * A picture as SVG 1.1. Documentation is shown when somebody points at a shape; boxes and links bear `data-` attributes that say what they
 * stand for, and colours have classes, so that a page can give them others.
 */
export function svgText({ width, height, title, shapes }: Picture): string {
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}" font-family="'${fontFamily}', Verdana, sans-serif" role="img">`,
    `<title>${escaped(title)}</title>`,
    `<rect class="paint-paper" width="${width}" height="${height}" fill="${palette.paper}"/>`,
    ...shapes.map(shapeText),
    '</svg>',
    '',
  ].join('\n')
}

function shapeText(shape: Shape): string {
  switch (shape.kind) {
    case 'rectangle':
      return `<rect x="${n(shape.x)}" y="${n(shape.y)}" width="${n(shape.w)}" height="${n(shape.h)}"${shape.radius === undefined || shape.radius === 0 ? '' : ` rx="${shape.radius}"`}${strokeText(shape)}/>`
    case 'line':
      return `<polyline points="${pointsText(shape.points)}"${strokeText(shape)}/>`
    case 'polygon':
      return `<polygon points="${pointsText(shape.points)}"${strokeText(shape)}/>`
    case 'circle':
      return `<circle cx="${n(shape.x)}" cy="${n(shape.y)}" r="${n(shape.r)}"${strokeText(shape)}/>`
    case 'text': {
      const anchor = shape.anchor === undefined || shape.anchor === 'start' ? '' : ` text-anchor="${shape.anchor}"`
      // Where another font stands in, texts still take the room that was reckoned.
      const length = ` textLength="${n(textWidth(shape.text, shape.size, shape.bold))}" lengthAdjust="spacingAndGlyphs"`
      return `<text x="${n(shape.x)}" y="${n(shape.y)}" font-size="${shape.size}"${shape.bold === true ? ' font-weight="bold"' : ''}${anchor}${length} class="paint-${shape.paint}" fill="${palette[shape.paint]}" xml:space="preserve">${escaped(shape.text)}</text>`
    }
    case 'group': {
      const { about, hint, shapes } = shape
      const data = about === undefined ? '' : ` class="${about.role}" data-id="${escaped(about.id)}" data-name="${escaped(about.name)}"${about.others === undefined ? '' : ` data-to="${escaped(about.others)}"`}`
      return [`<g${data}>`, ...(hint === undefined ? [] : [`<title>${escaped(hint)}</title>`]), ...shapes.map(shapeText), '</g>'].join('\n')
    }
  }
}

function strokeText({ fill, stroke, width, dash }: Stroke): string {
  const classes = [...(fill === undefined ? [] : [`paint-${fill}`]), ...(stroke === undefined ? [] : [`stroke-${stroke}`])]
  return ` class="${classes.join(' ')}" fill="${fill === undefined ? 'none' : palette[fill]}"${stroke === undefined ? '' : ` stroke="${palette[stroke]}" stroke-width="${width ?? 1}"`}${dash === undefined ? '' : ` stroke-dasharray="${dash.join(' ')}"`}`
}

function pointsText(points: readonly Point[]): string {
  return points.map(({ x, y }) => `${n(x)},${n(y)}`).join(' ')
}

/** A number with at most two digits behind the point. */
function n(value: number): string {
  return String(Math.round(value * 100) / 100)
}

/** Text from metadata, so that it can't become markup; what XML can't carry is left out. */
export function escaped(text: string): string {
  return text.replace(/[^\t\n\r\u{20}-\u{d7ff}\u{e000}-\u{fffd}\u{10000}-\u{10ffff}]/gu, '').replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`)
}
