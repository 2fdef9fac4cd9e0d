import { namedType } from '../../contract/queries.js'
import { legendEntries, linkText, pageMargin } from '../../diagram/drawing.js'
import type { Box, Graph, Link } from '../../diagram/graph.js'
import type { Places } from '../../diagram/layout.js'
import type { Layout } from '../../diagram/placed.js'
import { symbolText } from '../../diagram/svg.js'
import type { View } from '../../diagram/view.js'
import { addTo, alone } from '../../contract/lists.js'
import { compareTexts } from '../../contract/ordering.js'
import { inMarkup, linkInMarkup } from '../../printing/escaping.js'
import { joined, markup, type Markup } from '../../printing/safe-text.js'
import type { OpenContract } from '../contracts/open-contract.js'
import { whatText } from '../describe/words.js'
import { Locator } from '../locate-thing.js'
import { describedFrom } from '../show-contract.js'
import { linkFacts, pagePicture, pictureBar, routingScript } from './picture.js'
import { dataText, pageText } from './shell.js'

/**
 * A page with one picture: a list of the types, zoom, pan, search; a click on a type shows its
 * fields and where its generated code is; types can be moved, and the arrangement be kept.
 *
 * @param name what the view is called in the project file, or is to be
 */
export async function diagramPage(
  open: OpenContract,
  graph: Graph,
  { view, places, name = 'arranged' }: { view: View; places: Places; name?: string | undefined },
): Promise<Markup> {
  const { svg, layout } = await pagePicture(graph, view.towards ?? 'right', places)
  const locator = new Locator(open, await describedFrom(open))
  const keys = keysOf(graph)
  const facts = await factsOf(graph, locator)
  const { places: _places, ...selection } = view
  const part = graph.boxes.length < graph.whole ? markup` of ${graph.whole}` : markup``
  const body = joined(
    [
      markup`<header class="bar"><h1>${inMarkup(graph.title)}</h1>`,
      markup`<span class="faint">${graph.boxes.length}${part} types</span>`,
      markup`<button id="list-button" aria-expanded="false" aria-controls="list">List</button>`,
      pictureBar(),
      markup`<button id="keep">Keep arrangement</button></header>`,
      listHtml(graph, keys),
      markup`<main class="stage">${svg}<div id="map" aria-hidden="true"></div></main>`,
      markup`<aside id="chosen" hidden aria-label="The type that was chosen"></aside>`,
      keepDialog(open.name, name),
      dataText('facts', {
        types: facts,
        keys,
        links: linkFacts(graph),
        boxes: boxesOf(layout),
        margin: pageMargin,
        name,
        selection,
      }),
      routingScript(),
    ],
    '\n',
  )
  return pageText({
    title: `${graph.title}: diagram`,
    kind: 'diagram',
    body,
    styles: ['picture.css', 'diagram.css'],
    scripts: ['drawn.js', 'from-far.js', 'picture.js', 'copy.js', 'diagram.js', 'arrange.js'],
  })
}

/** The lines that keep an arrangement, and where they belong. */
function keepDialog(contract: string, view: string): Markup {
  return joined(
    [
      markup`<dialog id="kept" aria-labelledby="kept-title">`,
      markup`<h2 id="kept-title">Keep this arrangement</h2>`,
      markup`<p>Put these lines under <code>contracts: ${inMarkup(contract)}:</code> in tolmach.yaml; then`,
      markup`every picture with <code>--view ${inMarkup(view)}</code> is arranged like this.</p>`,
      markup`<pre tabindex="0"></pre>`,
      markup`<p class="bar"><button id="kept-copy">Copy</button><button id="kept-close">Close</button></p>`,
      markup`</dialog>`,
    ],
    '\n',
  )
}

/** What each type is called in addresses and views: its name, or its id where others share that. */
function keysOf({ boxes }: Graph): Record<string, string> {
  const single = alone(boxes, ({ name }) => name)
  return Object.fromEntries(boxes.map(({ id, name }) => [id, single.has(name) ? name : id]))
}

function boxesOf({ boxes }: Layout): Record<string, readonly number[]> {
  return Object.fromEntries(boxes.map(({ box, x, y, w, h }) => [box.id, [x, y, w, h]]))
}

/** The types by name, and what stands below the picture in other formats. */
function listHtml(graph: Graph, keys: Readonly<Record<string, string>>): Markup {
  const types = [...graph.boxes].sort((a, b) => compareTexts(a.name, b.name))
  const entry = ({ id, name }: Box): Markup =>
    markup`<li><a href="${linkInMarkup(keys[id] ?? id)}">${inMarkup(name)}</a></li>`
  const legend = legendEntries(graph).map(
    ({ width, shapes, word }) =>
      markup`<li>${symbolText(width, 18, shapes)} ${inMarkup(word)}</li>`,
  )
  const folded = (title: string, lines: readonly Markup[], attributes: Markup): Markup =>
    markup`<details${attributes}><summary>${inMarkup(title)}</summary><ul>${joined(lines, '')}</ul></details>`
  return joined(
    [
      markup`<nav id="list" aria-label="What is in the picture">`,
      folded('Types', types.map(entry), markup` class="types" open`),
      ...graph.listings.map(({ title, entries }) =>
        folded(
          `${title.slice(0, 1).toUpperCase()}${title.slice(1)}`,
          entries.map((each) => markup`<li>${inMarkup(each)}</li>`),
          markup``,
        ),
      ),
      folded('Legend', legend, markup` class="picture legend" open`),
      markup`</nav>`,
    ],
    '\n',
  )
}

/** What is told of each type when it is chosen. */
async function factsOf(graph: Graph, locator: Locator): Promise<Record<string, object>> {
  const linksOf = new Map<string, Link[]>()
  for (const link of graph.links)
    for (const id of new Set([link.from, link.to])) addTo(linksOf, id, link)
  const names = new Map(graph.boxes.map(({ id, name }) => [id, name]))
  const facts: Record<string, object> = {}
  for (const box of graph.boxes)
    facts[box.id] = {
      ...(await boxFacts(box, locator)),
      links: (linksOf.get(box.id) ?? []).map((link) => ({
        text: linkText(link, (id) => names.get(id) ?? id),
        to: link.from === box.id ? link.to : link.from,
      })),
    }
  return facts
}

async function boxFacts(box: Box, locator: Locator): Promise<object> {
  const { contract } = locator.described
  const type = namedType(contract, box.id)
  const place = await locator.typePlace(type)
  const what = whatText(contract, type)
  return {
    name: box.name,
    what: [box.kind === 'entity' ? what.replace(/^record/, 'entity') : what, box.namespace]
      .filter((part) => part !== '')
      .join('; '),
    documentation: box.documentation,
    rows: box.rows.map(({ name, type: of, key, documentation = '' }) => ({
      name,
      type: of,
      key,
      documentation,
    })),
    code: place === undefined ? undefined : { file: place.file, line: place.line, url: place.url },
  }
}
