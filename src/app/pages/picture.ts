import { bareDrawingOf } from '../../diagram/drawing.js'
import type { Graph } from '../../diagram/graph.js'
import { layOut, sharesOf, type Places } from '../../diagram/layout.js'
import type { Layout } from '../../diagram/placed.js'
import { placedAtEnd, routed } from '../../diagram/routing.js'
import { svgText } from '../../diagram/svg.js'
import { ourOwnMarkup } from '../../printing/escaping.js'
import { joined, markup, type Markup } from '../../printing/safe-text.js'

/** A picture in a page, and where everything in it is. */
export interface PagePicture {
  readonly svg: Markup
  readonly layout: Layout
}

/** A graph as a picture for a page, which tells title, lists and legend beside it. */
export async function pagePicture(
  graph: Graph,
  towards: 'right' | 'down',
  places: Places = new Map(),
): Promise<PagePicture> {
  const layout = await layOut(graph, towards, places)
  return { svg: svgText(bareDrawingOf(graph, layout), 'page'), layout }
}

/** The bar above a picture: search and zoom. */
export function pictureBar(): Markup {
  return joined(
    [
      markup`<input id="picture-search" type="search" placeholder="Find in the picture" aria-label="Find in the picture"><span id="picture-found" class="faint" role="status"></span>`,
      markup`<button id="picture-in" aria-label="Larger">+</button><button id="picture-out" aria-label="Smaller">−</button><button id="picture-fit">Fit</button>`,
    ],
    '',
  )
}

/** How links run while somebody moves a box: as they will run in the picture afterwards. */
export function routingScript(): Markup {
  return markup`<script>\nwindow.routing = { routed: ${ourOwnMarkup(routed.toString())}, placedAtEnd: ${ourOwnMarkup(placedAtEnd.toString())} }\n</script>`
}

/** What a script needs to know of the links, in the order in which they are drawn. */
export function linkFacts(graph: Graph): object[] {
  const shares = sharesOf(graph)
  return graph.links.map(({ from, to, kind }, at) => ({ from, to, kind, shares: shares[at] }))
}
