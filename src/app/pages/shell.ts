import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { inMarkup, jsonInMarkup, ourOwnMarkup } from '../../printing/escaping.js'
import { joined, markup, type Markup } from '../../printing/safe-text.js'
import { packageFolder } from '../package-files.js'

/**
 * A page that needs nothing but itself: style and scripts are in it, and it may load nothing from
 * anywhere.
 *
 * @param styles names of files in assets/ beside that of every page
 * @param scripts names of files in assets/, in the order in which they run
 */
export function pageText(page: {
  readonly title: string
  readonly kind: 'diagram' | 'reference' | 'answer' | 'rehearsal' | 'comparison'
  readonly body: Markup
  readonly styles: readonly string[]
  readonly scripts: readonly string[]
}): Markup {
  return joined(
    [
      markup`<!doctype html>`,
      markup`<html lang="en">`,
      markup`<head>`,
      markup`<meta charset="utf-8">`,
      markup`<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'; script-src 'unsafe-inline'">`,
      markup`<meta name="viewport" content="width=device-width, initial-scale=1">`,
      markup`<meta name="generator" content="Tolmach">`,
      markup`<title>${inMarkup(page.title)}</title>`,
      markup`<style>\n${joined(['page.css', ...page.styles].map(asset), '')}</style>`,
      markup`</head>`,
      markup`<body class="${inMarkup(page.kind)}">`,
      page.body,
      ...page.scripts.map((name) => markup`<script>\n${asset(name)}</script>`),
      markup`</body>`,
      markup`</html>`,
      markup``,
    ],
    '\n',
  )
}

/** Facts for the scripts of a page, where they stand or by an id. */
export function dataText(id: string | undefined, value: unknown): Markup {
  const named = id === undefined ? markup`` : markup` id="${inMarkup(id)}"`
  return markup`<script type="application/json"${named}>${jsonInMarkup(value)}</script>`
}

function asset(name: string): Markup {
  return ourOwnMarkup(
    readFileSync(join(packageFolder, 'src', 'app', 'pages', 'assets', name), 'utf8'),
  )
}
