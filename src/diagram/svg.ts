import { fontFamily, textWidth } from './fonts.js'
import { palette, type Picture, type Point, type Shape, type Stroke } from './shapes.js'
import { inMarkup } from '../printing/escaping.js'
import { joined, markup, type Markup } from '../printing/safe-text.js'

/**
 * A picture as SVG 1.1. Documentation is shown when somebody points at a shape; boxes and links
 * bear `data-` attributes that say what they stand for, and colours have classes, so that a page
 * can give them others.
 *
 * @param place in a page it is as large as the page lets it be
 */
export function svgText(
  { width, height, title, shapes }: Picture,
  place: 'file' | 'page' = 'file',
): Markup {
  const size =
    place === 'page' ? markup`class="picture"` : markup`width="${width}" height="${height}"`
  return joined(
    [
      markup`<svg xmlns="http://www.w3.org/2000/svg" ${size} viewBox="0 0 ${width} ${height}" font-family="'${inMarkup(fontFamily)}', Verdana, sans-serif" role="img">`,
      markup`<title>${inMarkup(title)}</title>`,
      markup`<rect class="paint-paper" width="${width}" height="${height}" fill="${inMarkup(palette.paper)}"/>`,
      ...shapes.map(shapeText),
      markup`</svg>`,
      markup``,
    ],
    '\n',
  )
}

/** A few shapes by themselves, as large as they are, in a page whose style has the colours. */
export function symbolText(width: number, height: number, shapes: readonly Shape[]): Markup {
  return markup`<svg width="${width}" height="${height}" viewBox="-1 0 ${width + 2} ${height}" font-family="'${inMarkup(fontFamily)}', Verdana, sans-serif" aria-hidden="true">${joined(shapes.map(shapeText), '')}</svg>`
}

function shapeText(shape: Shape): Markup {
  switch (shape.kind) {
    case 'rectangle':
      return markup`<rect x="${n(shape.x)}" y="${n(shape.y)}" width="${n(shape.w)}" height="${n(shape.h)}"${shape.radius === undefined || shape.radius === 0 ? markup`` : markup` rx="${shape.radius}"`}${strokeText(shape)}/>`
    case 'line':
      return markup`<polyline points="${pointsText(shape.points)}"${strokeText(shape)}/>`
    case 'polygon':
      return markup`<polygon points="${pointsText(shape.points)}"${strokeText(shape)}/>`
    case 'circle':
      return markup`<circle cx="${n(shape.x)}" cy="${n(shape.y)}" r="${n(shape.r)}"${strokeText(shape)}/>`
    case 'text': {
      const anchor =
        shape.anchor === undefined || shape.anchor === 'start'
          ? markup``
          : markup` text-anchor="${inMarkup(shape.anchor)}"`
      // Where another font stands in, texts still take the room that was reckoned.
      const length = markup` textLength="${n(textWidth(shape.text, shape.size, shape.bold))}" lengthAdjust="spacingAndGlyphs"`
      const weight = shape.bold === true ? markup` font-weight="bold"` : markup``
      const role = shape.role === undefined ? markup`` : markup` ${inMarkup(shape.role)}`
      const paint = markup`class="paint-${inMarkup(shape.paint)}${role}" fill="${inMarkup(palette[shape.paint])}"`
      return markup`<text x="${n(shape.x)}" y="${n(shape.y)}" font-size="${shape.size}"${weight}${anchor}${length} ${paint} xml:space="preserve">${inMarkup(shape.text)}</text>`
    }
    case 'group': {
      const { about, hint, role, shapes } = shape
      const kind = about?.role ?? role
      const named = kind === undefined ? markup`` : markup` class="${inMarkup(kind)}"`
      const to =
        about?.others === undefined ? markup`` : markup` data-to="${inMarkup(about.others)}"`
      const data =
        about === undefined
          ? named
          : markup`${named} data-id="${inMarkup(about.id)}" data-name="${inMarkup(about.name)}"${to}`
      return joined(
        [
          markup`<g${data}>`,
          ...(hint === undefined ? [] : [markup`<title>${inMarkup(hint)}</title>`]),
          ...shapes.map(shapeText),
          markup`</g>`,
        ],
        '\n',
      )
    }
  }
}

function strokeText({ fill, stroke, width, dash }: Stroke): Markup {
  const classes = [
    ...(fill === undefined ? [] : [`paint-${fill}`]),
    ...(stroke === undefined ? [] : [`stroke-${stroke}`]),
  ]
  return markup` class="${inMarkup(classes.join(' '))}" fill="${fill === undefined ? markup`none` : inMarkup(palette[fill])}"${stroke === undefined ? markup`` : markup` stroke="${inMarkup(palette[stroke])}" stroke-width="${width ?? 1}"`}${dash === undefined ? markup`` : markup` stroke-dasharray="${inMarkup(dash.join(' '))}"`}`
}

function pointsText(points: readonly Point[]): Markup {
  return joined(
    points.map(({ x, y }) => markup`${n(x)},${n(y)}`),
    ' ',
  )
}

/** A number with at most two digits behind the point. */
function n(value: number): number {
  return Math.round(value * 100) / 100
}
