import type { Contract, NamedType, Operation } from '../../contract/contract.js'
import { compareTexts } from '../../contract/ordering.js'
import { countedTypes, endpointsOf, operationsOf, pathOf } from '../../contract/queries.js'
import { graphOf, type Graph } from '../../diagram/graph.js'
import { svgText } from '../../diagram/svg.js'
import { sampleInput } from '../../exercise/sample.js'
import { inMarkup, linkInMarkup } from '../../printing/escaping.js'
import { joined, markup, type Markup } from '../../printing/safe-text.js'
import { adviceFor, mostBoxes, pictureOf } from '../draw-diagram.js'
import type { OpenContract } from '../contracts/open-contract.js'
import { describedFrom } from '../show-contract.js'
import {
  describeEndpoint,
  describeOperation,
  describeType,
  type Described,
  type OperationDescription,
  type TypeDescription,
} from '../describe/descriptions.js'
import type { FieldDescription } from '../describe/fields.js'
import { byGroup } from '../describe/overview.js'
import { pageText, pictureBar } from './shell.js'

/**
 * A page with everything in a contract: endpoints, operations with samples, types, a diagram;
 * searchable, printable, light and dark.
 */
export async function referencePage(open: OpenContract): Promise<Markup> {
  const described = await describedFrom({ ...open, whole: open.contract })
  const { contract } = described
  const operations = operationsOf(contract)
  const types = countedTypes(contract, operations).sort((a, b) => compareTexts(a.name, b.name))
  const writer = new Writer(described, types)
  const graph = graphOf(contract)
  const isDrawn = graph.boxes.length > 0 && graph.boxes.length <= mostBoxes
  const body = joined(
    [
      ...navigation(operations, types),
      markup`<main>`,
      markup`<h1>${inMarkup(contract.title)}</h1>`,
      markup`<p class="faint">${inMarkup(open.name)}, ${inMarkup(contract.dialect)}: ${operations.length} operations, ${types.length} types</p>`,
      prose(contract.documentation),
      markup`<h2>Endpoints</h2>`,
      ...endpointsOf(contract).map((endpoint) => writer.endpoint(endpoint)),
      ...(await diagramOf(graph, isDrawn, open)),
      markup`<h2>Operations</h2>`,
      ...operations.map((operation) => writer.operation(operation)),
      markup`<h2>Types</h2>`,
      ...types.map((type) => writer.type(type)),
      ...notesOf(contract),
      markup`</main>`,
    ],
    '\n',
  )
  return pageText({
    title: `${contract.title}: reference`,
    kind: 'reference',
    body,
    scripts: isDrawn ? ['picture.js', 'reference.js'] : ['reference.js'],
  })
}

function navigation(operations: readonly Operation[], types: readonly NamedType[]): Markup[] {
  const groups = [...byGroup(operations)].map(([group, members]) => {
    const from = group === '' ? 0 : group.length + 1
    const entries = members.map((operation) => {
      const path = pathOf(operation)
      return [`operation-${path}`, path.slice(from)] as const
    })
    return contents(group === '' ? 'Operations' : group, entries, group !== '')
  })
  return [
    markup`<nav aria-label="Contents">`,
    markup`<input id="search" type="search" placeholder="Find  ( / )" aria-label="Find in names and texts"><span id="found" class="faint" role="status"></span>`,
    ...groups,
    contents(
      'Types',
      types.map(({ name }) => [`type-${name}`, name]),
    ),
    markup`</nav>`,
  ]
}

async function diagramOf(
  graph: Graph,
  isDrawn: boolean,
  { name, contract }: OpenContract,
): Promise<Markup[]> {
  if (graph.boxes.length === 0) return []
  const heading = markup`<h2>Diagram</h2>`
  if (!isDrawn)
    return [
      heading,
      markup`<p class="faint">${graph.boxes.length} types are too many for one picture. Draw a part: <code>tolmach diagram ${inMarkup(name)} part.html ${inMarkup(adviceFor(contract))}</code></p>`,
    ]
  return [
    heading,
    markup`<div class="bar">${pictureBar()}</div>`,
    markup`<div class="stage">${svgText(await pictureOf(graph, 'right'), 'page')}</div>`,
  ]
}

function notesOf({ notes }: Contract): Markup[] {
  if (notes.length === 0) return []
  const lines = notes.map(({ code, origin, message }) => {
    const told = inMarkup(`${origin.document}:${origin.line}  ${message}`)
    return markup`<li><code>${inMarkup(code)}</code> ${told}</li>`
  })
  return [markup`<h2>Notes</h2>`, markup`<ul>`, ...lines, markup`</ul>`]
}

/** A part of the contents; names of what belongs to one group stand beside each other. */
function contents(
  title: string,
  entries: readonly (readonly [id: string, name: string])[],
  beside = false,
): Markup {
  return markup`<h2>${inMarkup(title)}</h2><ul${beside ? markup` class="beside"` : markup``}>${joined(
    entries.map(
      ([id, name]) => markup`<li><a href="${linkInMarkup(id)}">${inMarkup(name)}</a></li>`,
    ),
    '',
  )}</ul>`
}

function prose(text: string | undefined): Markup {
  return text === undefined
    ? markup``
    : joined(
        text
          .split(/\n\s*\n/)
          .map(
            (paragraph) =>
              markup`<p>${joined(paragraph.trim().split('\n').map(inMarkup), '<br>')}</p>`,
          ),
        '',
      )
}

/** Writes the sections of the page. */
class Writer {
  private readonly described: Described
  private readonly contract: Contract
  private readonly typeNames: ReadonlySet<string>
  private readonly operationNames: ReadonlySet<string>

  constructor(described: Described, types: readonly NamedType[]) {
    this.described = described
    this.contract = described.contract
    this.typeNames = new Set(types.map(({ name }) => name))
    this.operationNames = new Set(operationsOf(described.contract).map(pathOf))
  }

  endpoint(endpoint: Parameters<typeof describeEndpoint>[1]): Markup {
    const { name, protocol, address, documentation, credentials, headers, operations } =
      describeEndpoint(this.described, endpoint)
    const wanted = joined(
      credentials.map(
        (each) =>
          markup`${inMarkup(each.wanted)}${
            each.operations === undefined
              ? markup``
              : markup` (${joined(
                  each.operations.map((path) => this.linked(path)),
                  ', ',
                )})`
          }`,
      ),
      '<br>',
    )
    return section(
      `endpoint-${name}`,
      name,
      [tag(protocol)],
      [
        prose(documentation),
        facts([
          ['address', markup`<code>${inMarkup(address)}</code>`],
          ['credentials', wanted === 'none' ? markup`none that the metadata names` : wanted],
          ...(headers.length === 0
            ? []
            : [['message headers', inMarkup(headers.join(', '))] as const]),
          ['operations', markup`${operations.length}`],
        ]),
      ],
    )
  }

  operation(operation: Operation): Markup {
    const shown = describeOperation(this.described, operation)
    return section(
      `operation-${shown.name}`,
      shown.name,
      shown.deprecated ? [tag('deprecated')] : [],
      [
        prose(shown.documentation),
        heading(
          markup`Inputs`,
          shown.inputs.length === 0 ? markup`<p class="faint">none</p>` : this.fields(shown.inputs),
        ),
        shown.headers.length === 0
          ? markup``
          : heading(markup`Message headers`, this.fields(shown.headers)),
        heading(markup`Outcome: ${this.linked(shown.outcomeType)}`, this.outcome(shown)),
        shown.faults.length === 0
          ? markup``
          : heading(
              markup`Faults`,
              rows(
                shown.faults.map((each) => [
                  inMarkup(each.name),
                  this.linked(each.type),
                  inMarkup(each.documentation ?? ''),
                ]),
              ),
            ),
        heading(
          markup`In TypeScript`,
          markup`<pre>${inMarkup([shown.signature, ...(shown.declarations.length === 0 ? [] : ['', ...shown.declarations])].join('\n'))}</pre>`,
        ),
        this.samples(operation),
        markup`<details><summary>On the wire</summary>${facts(shown.wire.everywhere.map(([label, value]) => [label, inMarkup(value)]))}${joined(
          shown.wire.endpoints.map(
            ({ endpoint, facts: own }) =>
              markup`<h4>${inMarkup(endpoint)}</h4>${facts(own.map(([label, value]) => [label, inMarkup(value)]))}`,
          ),
          '',
        )}<p class="faint">declared at ${inMarkup(shown.origin)}</p></details>`,
      ],
    )
  }

  private outcome({ outcome }: OperationDescription): Markup {
    const inside = outcome.length === 1 ? (outcome[0]?.fields ?? []) : outcome
    return inside.length === 0 ? markup`` : this.fields(inside)
  }

  /** Inputs that satisfy the contract: the least, and one with everything. */
  private samples(operation: Operation): Markup {
    if (operation.inputs.length === 0) return markup``
    const rules = this.described.dialect.rules?.(this.contract)
    const [least, most] = [false, true].map((full) =>
      JSON.stringify(sampleInput(this.contract, operation, { full, rules }), null, 2),
    )
    return markup`<details><summary>A sample input</summary><pre>${inMarkup(least ?? '')}</pre></details>${most === least ? markup`` : markup`<details><summary>A sample input with everything</summary><pre>${inMarkup(most ?? '')}</pre></details>`}`
  }

  type(type: NamedType): Markup {
    const shown: TypeDescription = describeType(this.described, type.id, 'own')
    const { name, documentation, fields, values, rules, usedBy, declarations, extendedBy } = shown
    const base = shown.extends
    const fieldsTitle =
      base === undefined ? markup`Fields` : markup`Fields besides those of ${this.linked(base)}`
    const valueRows = values.map((each) => [
      markup`<code>${inMarkup(each.value)}</code>`,
      inMarkup(each.documentation ?? ''),
    ])
    const ruleLines = rules.map((rule) => markup`<li>${inMarkup(rule)}</li>`)
    return section(
      `type-${name}`,
      name,
      [tag(shown.what)],
      [
        prose(documentation),
        base === undefined ? markup`` : markup`<p>extends ${this.linked(base)}</p>`,
        whereAny(extendedBy, markup`<p>extended by ${this.allLinked(extendedBy)}</p>`),
        whereAny(fields, heading(fieldsTitle, this.fields(fields))),
        whereAny(values, heading(markup`Values`, rows(valueRows))),
        whereAny(rules, heading(markup`Rules`, markup`<ul>${joined(ruleLines, '')}</ul>`)),
        whereAny(usedBy, heading(markup`Used by`, markup`<p>${this.allLinked(usedBy)}</p>`)),
        whereAny(
          declarations,
          markup`<details><summary>In TypeScript</summary><pre>${inMarkup(declarations.join('\n'))}</pre><p class="faint">declared at ${inMarkup(shown.origin)}</p></details>`,
        ),
      ],
    )
  }

  private allLinked(names: readonly string[]): Markup {
    return joined(
      names.map((name) => this.linked(name)),
      ', ',
    )
  }

  private fields(fields: readonly FieldDescription[]): Markup {
    const lines = (each: FieldDescription, depth: number): Markup[] => [
      markup`<tr><td class="name" style="padding-left:${depth * 1.2}em">${inMarkup(each.name)}</td><td>${this.linked(each.type)}</td><td class="faint word">${each.required ? markup`yes` : markup``}</td><td>${inMarkup(each.rules)}</td><td>${inMarkup(each.documentation ?? '')}</td></tr>`,
      ...each.fields.flatMap((inner) => lines(inner, depth + 1)),
    ]
    return markup`<table><thead><tr><th>name</th><th>type</th><th>required</th><th>rules</th><th>meaning</th></tr></thead><tbody>${joined(
      fields.flatMap((each) => lines(each, 0)),
      '',
    )}</tbody></table>`
  }

  /** A text in which the names of operations and types lead to them. */
  private linked(text: string): Markup {
    if (this.operationNames.has(text)) return link(`operation-${text}`, text)
    return joined(
      text
        .split(/([^\p{L}\p{N}_$.-]+)/u)
        .map((part) => (this.typeNames.has(part) ? link(`type-${part}`, part) : inMarkup(part))),
      '',
    )
  }
}

function link(id: string, text: string): Markup {
  return markup`<a href="${linkInMarkup(id)}">${inMarkup(text)}</a>`
}

function section(
  id: string,
  title: string,
  tags: readonly Markup[],
  parts: readonly Markup[],
): Markup {
  return markup`<section id="${inMarkup(id)}"><h3>${inMarkup(title)}${joined(tags, '')}</h3>${joined(
    parts.filter((part) => part !== ''),
    '\n',
  )}</section>`
}

function tag(text: string): Markup {
  return markup`<span class="tag">${inMarkup(text)}</span>`
}

function heading(title: Markup, body: Markup): Markup {
  return markup`<h4>${title}</h4>${body}`
}

function facts(pairs: readonly (readonly [label: string, value: Markup])[]): Markup {
  return rows(
    pairs.map(([label, value]) => [markup`<span class="faint">${inMarkup(label)}</span>`, value]),
    markup` class="facts"`,
  )
}

function rows(cells: readonly (readonly Markup[])[], attributes: Markup = markup``): Markup {
  return cells.length === 0
    ? markup``
    : markup`<table${attributes}><tbody>${joined(
        cells.map(
          (row) =>
            markup`<tr>${joined(
              row.map(
                (cell, at) =>
                  markup`<td${at === 0 ? markup` class="name"` : markup``}>${cell}</td>`,
              ),
              '',
            )}</tr>`,
        ),
        '',
      )}</tbody></table>`
}

/** What is shown only where there is something to show. */
function whereAny(all: readonly unknown[], shown: Markup): Markup {
  return all.length === 0 ? markup`` : shown
}
