import type { Contract, NamedType, Operation } from '../../contract/contract.js'
import { compareTexts } from '../../contract/ordering.js'
import { countedTypes, endpointsOf, operationsOf, pathOf } from '../../contract/queries.js'
import { graphOf, type Graph } from '../../diagram/graph.js'
import { inMarkup } from '../../printing/escaping.js'
import { joined, markup, type Markup } from '../../printing/safe-text.js'
import { adviceFor, mostBoxes } from '../draw-diagram.js'
import type { OpenContract } from '../contracts/open-contract.js'
import { byGroup, heldText } from '../describe/overview.js'
import { firstSentence } from '../describe/words.js'
import { describedFrom } from '../show-contract.js'
import { link, meaning, prose, tag } from './html-parts.js'
import { ThingWriter } from './reference-things.js'
import { pagePicture, pictureBar } from './picture.js'
import { dataText, pageText } from './shell.js'

/** Operations that belong together. */
interface Group {
  readonly name: string
  readonly operations: readonly Operation[]
  readonly holds: string | undefined
  readonly documentation: string | undefined
  /** Has it operations that every group of its kind has? */
  readonly isSet: boolean
}

/**
 * A page with everything in a contract: endpoints, operations with samples and calls, types, a
 * diagram; each in a line that unfolds, with an address of its own. Searchable, printable, light and
 * dark.
 */
export async function referencePage(open: OpenContract): Promise<Markup> {
  const described = await describedFrom({ ...open, whole: open.contract })
  const { contract } = described
  const operations = operationsOf(contract)
  const types = countedTypes(contract, operations).sort((a, b) => compareTexts(a.name, b.name))
  const writer = new ThingWriter(described, types, open.name)
  const graph = graphOf(contract)
  const isDrawn = graph.boxes.length > 0 && graph.boxes.length <= mostBoxes
  const groups = groupsOf(contract, operations)
  const body = joined(
    [
      navigation(contract, groups, types, graph),
      markup`<main>`,
      markup`<h1>${inMarkup(contract.title)}</h1>`,
      markup`<p class="faint">${inMarkup(open.name)}, ${inMarkup(contract.dialect)}: ${operations.length} operations, ${types.length} types</p>`,
      prose(contract.documentation),
      markup`<h2 id="endpoints">Endpoints</h2>`,
      ...endpointsOf(contract).map((endpoint) => writer.endpoint(endpoint)),
      ...operationsHtml(groups, writer),
      markup`<h2 id="types">Types</h2>`,
      ...types.map((type) => writer.type(type)),
      ...(await diagramHtml(graph, isDrawn, open)),
      ...notesHtml(contract),
      markup`</main>`,
      dataText('about', { contract: open.name }),
    ],
    '\n',
  )
  return pageText({
    title: `${contract.title}: reference`,
    kind: 'reference',
    body,
    styles: ['picture.css', 'reference.css'],
    scripts: [
      ...(isDrawn ? ['drawn.js', 'from-far.js', 'picture.js'] : []),
      'unfolding.js',
      'copy.js',
      'boxes.js',
      'reference.js',
      'printing.js',
    ],
  })
}

function groupsOf(contract: Contract, operations: readonly Operation[]): Group[] {
  const said = new Map(
    contract.services.flatMap(({ groups = [] }) => groups.map((group) => [group.name, group])),
  )
  return [...byGroup(operations)].map(([name, members]) => {
    const group = said.get(name)
    return {
      name,
      operations: members,
      holds: heldText(contract, group),
      documentation: group?.documentation,
      isSet: members.some(({ standard }) => standard === true),
    }
  })
}

/** More operations than these are folded in the contents, group by group. */
const mostUnfolded = 40

/** The contents: what there is, foldable, and a search in it. */
function navigation(
  contract: Contract,
  groups: readonly Group[],
  types: readonly NamedType[],
  graph: Graph,
): Markup {
  const operation = (from: number) => (each: Operation) => {
    const path = pathOf(each)
    return [`operation-${path}`, path.slice(from)] as const
  }
  const isShort = groups.reduce((sum, each) => sum + each.operations.length, 0) <= mostUnfolded
  const named = groups.map(({ name, operations }) =>
    contents(
      name === '' ? 'Operations' : name,
      operations.map(operation(name === '' ? 0 : name.length + 1)),
      isShort,
    ),
  )
  const places = [
    link('endpoints', 'Endpoints'),
    ...(graph.boxes.length === 0 ? [] : [link('diagram', 'Diagram')]),
    ...(contract.notes.length === 0
      ? []
      : [link('notes', `Notes (${String(contract.notes.length)})`)]),
  ]
  return joined(
    [
      markup`<nav aria-label="Contents">`,
      markup`<div class="find"><input id="search" type="search" placeholder="Find  ( / )" aria-label="Find in names and texts"><button id="menu" aria-expanded="false" aria-controls="contents">Contents</button></div>`,
      markup`<p id="found" class="faint" role="status"></p>`,
      markup`<div id="contents">`,
      markup`<ul class="places">${joined(
        places.map((place) => markup`<li>${place}</li>`),
        '',
      )}</ul>`,
      ...named,
      contents(
        'Types',
        types.map(({ name }) => [`type-${name}`, name]),
        types.length <= mostUnfolded,
      ),
      markup`</div>`,
      markup`</nav>`,
    ],
    '\n',
  )
}

/** A part of the contents. */
function contents(
  title: string,
  entries: readonly (readonly [id: string, name: string])[],
  isOpen: boolean,
): Markup {
  const lines = entries.map(([id, name]) => markup`<li>${link(id, name)}</li>`)
  return markup`<details class="part"${isOpen ? markup` open` : markup``}><summary>${inMarkup(title)} <span>${entries.length}</span></summary><ul>${joined(lines, '')}</ul></details>`
}

/** Operations of their own first; then the sets, each with what it has beside the standard ones. */
function operationsHtml(groups: readonly Group[], writer: ThingWriter): Markup[] {
  const sets = groups.filter(({ isSet }) => isSet)
  const others = groups.filter(({ isSet }) => !isSet)
  return [
    ...(others.length === 0 ? [] : [markup`<h2 id="operations">Operations</h2>`]),
    ...others.flatMap(({ name, documentation, operations }) => [
      ...(name === ''
        ? []
        : [
            markup`<h3 class="group" id="${inMarkup(`group-${name}`)}">${inMarkup(name)}</h3>`,
            prose(documentation),
          ]),
      ...operations.map((operation) => writer.operation(operation, true)),
    ]),
    ...(sets.length === 0 ? [] : [markup`<h2 id="sets">Sets</h2>`]),
    ...sets.map((set) => setHtml(set, writer)),
  ]
}

function setHtml({ name, holds, documentation, operations }: Group, writer: ThingWriter): Markup {
  const own = operations.filter(({ standard }) => standard !== true)
  const standard = operations.filter((operation) => operation.standard === true)
  const written = (each: readonly Operation[]): Markup[] =>
    each.map((operation) => writer.operation(operation, true))
  return joined(
    [
      markup`<details class="set" id="${inMarkup(`group-${name}`)}"><summary><h3>${inMarkup(name)}</h3>${holds === undefined ? markup`` : tag(holds)}<span class="faint">${operations.length} operations</span>${meaning(firstSentence(documentation))}</summary>`,
      prose(documentation),
      ...written(own),
      ...(own.length === 0 ? [] : [markup`<p class="faint">as every set has</p>`]),
      ...written(standard),
      markup`</details>`,
    ],
    '\n',
  )
}

async function diagramHtml(
  graph: Graph,
  isDrawn: boolean,
  { name, contract }: OpenContract,
): Promise<Markup[]> {
  if (graph.boxes.length === 0) return []
  const heading = markup`<h2 id="diagram">Diagram</h2>`
  if (!isDrawn)
    return [
      heading,
      markup`<p class="faint">${graph.boxes.length} types are too many for one picture. Draw a part: <code>tolmach diagram ${inMarkup(name)} part.html ${inMarkup(adviceFor(contract))}</code></p>`,
    ]
  return [
    heading,
    markup`<div class="bar">${pictureBar()}</div>`,
    markup`<div class="stage">${(await pagePicture(graph, 'right')).svg}</div>`,
  ]
}

function notesHtml({ notes }: Contract): Markup[] {
  if (notes.length === 0) return []
  const lines = notes.map(({ code, origin, message }) => {
    const told = inMarkup(`${origin.document}:${origin.line}  ${message}`)
    return markup`<li><code>${inMarkup(code)}</code> ${told}</li>`
  })
  return [markup`<h2 id="notes">Notes</h2>`, markup`<ul>`, ...lines, markup`</ul>`]
}
