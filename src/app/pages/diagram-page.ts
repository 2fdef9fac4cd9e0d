import { namedType } from '../../contract/queries.js'
import { linkText } from '../../diagram/drawing.js'
import type { Box, Graph } from '../../diagram/graph.js'
import { Locator } from '../locate-thing.js'
import type { OpenContract } from '../contracts/open-contract.js'
import { describedFrom } from '../show-contract.js'
import { whatText } from '../describe/words.js'
import { dataText, pageText, pictureBar } from './shell.js'
import { inMarkup } from '../../printing/escaping.js'
import { joined, markup, type Markup } from '../../printing/safe-text.js'

/**
 * A page with one picture: zoom, pan, search; a click on a type shows its fields and where its
 * generated code is.
 */
export async function diagramPage(open: OpenContract, graph: Graph, svg: Markup): Promise<Markup> {
  const locator = new Locator(open, await describedFrom(open))
  const facts: Record<string, object> = {}
  for (const box of graph.boxes) facts[box.id] = await factsOf(box, graph, locator)
  const body = joined(
    [
      markup`<header class="bar"><h1>${inMarkup(graph.title)}</h1><span class="faint">${graph.boxes.length}${graph.boxes.length < graph.whole ? markup` of ${graph.whole}` : markup``} types</span>${pictureBar()}</header>`,
      markup`<div class="stage">${svg}</div>`,
      markup`<aside hidden aria-label="The type that was chosen"></aside>`,
      dataText('facts', facts),
    ],
    '\n',
  )
  return pageText({
    title: `${graph.title}: diagram`,
    kind: 'diagram',
    body,
    styles: ['picture.css', 'diagram.css'],
    scripts: ['picture.js', 'diagram.js'],
  })
}

async function factsOf(box: Box, graph: Graph, locator: Locator): Promise<object> {
  const { contract } = locator.described
  const type = namedType(contract, box.id)
  const place = await locator.typePlace(type)
  const nameOf = (id: string): string => graph.boxes.find((each) => each.id === id)?.name ?? id
  return {
    name: box.name,
    what: [
      whatText(contract, type).replace(/^record/, box.kind === 'entity' ? 'entity' : 'record'),
      box.namespace,
    ]
      .filter((part) => part !== '')
      .join('; '),
    documentation: box.documentation,
    rows: box.rows.map((row) => [
      `${row.key ? '◆ ' : ''}${row.name}`,
      row.type,
      row.documentation ?? '',
    ]),
    links: graph.links
      .filter(({ from, to }) => from === box.id || to === box.id)
      .map((link) => ({
        text: linkText(link, nameOf),
        to: link.from === box.id ? link.to : link.from,
      })),
    code: place === undefined ? undefined : { file: place.file, line: place.line, url: place.url },
  }
}
