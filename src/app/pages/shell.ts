import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { escaped } from '../../diagram/svg.js'
import { packageFolder } from '../package-files.js'

export { escaped }

/**
 * A page that needs nothing but itself: style and scripts are in it, and it may load nothing from anywhere.
 *
 * @param scripts names of files in assets/, in the order in which they run
 */
export function pageText(page: { readonly title: string; readonly kind: 'diagram' | 'reference' | 'answer' | 'rehearsal'; readonly body: string; readonly scripts: readonly string[] }): string {
  return [
    '<!doctype html>',
    '<html lang="en">',
    '<head>',
    '<meta charset="utf-8">',
    '<meta http-equiv="Content-Security-Policy" content="default-src \'none\'; style-src \'unsafe-inline\'; script-src \'unsafe-inline\'">',
    '<meta name="viewport" content="width=device-width, initial-scale=1">',
    '<meta name="generator" content="Tolmach">',
    `<title>${escaped(page.title)}</title>`,
    `<style>\n${asset('page.css')}</style>`,
    '</head>',
    `<body class="${page.kind}">`,
    page.body,
    ...page.scripts.map((name) => `<script>\n${asset(name)}</script>`),
    '</body>',
    '</html>',
    '',
  ].join('\n')
}

/** Facts for the scripts of a page; nothing in them can end the element. */
export function dataText(id: string, value: unknown): string {
  return `<script type="application/json" id="${id}">${JSON.stringify(value).replace(/</g, '\\u003c').replace(/\u2028/g, '\\u2028').replace(/\u2029/g, '\\u2029')}</script>`
}

/** The bar above a picture: search and zoom. */
export function pictureBar(): string {
  return '<input id="picture-search" type="search" placeholder="Find in the picture" aria-label="Find in the picture"><span id="picture-found" class="faint" role="status"></span><button id="picture-in" aria-label="Larger">+</button><button id="picture-out" aria-label="Smaller">−</button><button id="picture-fit">Fit</button>'
}

/** A picture for a page: as large as the page lets it be. */
export function pictureIn(svg: string): string {
  return svg.replace(/^<svg ([^>]*?)width="[^"]*" height="[^"]*"/, '<svg class="picture" $1')
}

function asset(name: string): string {
  return readFileSync(join(packageFolder, 'src', 'app', 'pages', 'assets', name), 'utf8')
}
