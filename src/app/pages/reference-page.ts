import type { Contract, NamedType, Operation } from '../../contract/contract.js'
import { countedTypes, endpointsOf, operationsOf, pathOf } from '../../contract/queries.js'
import { graphOf } from '../../diagram/graph.js'
import { svgText } from '../../diagram/svg.js'
import { sampleInput } from '../../exercise/sample.js'
import { adviceFor, mostBoxes, pictureOf } from '../draw-diagram.js'
import type { OpenContract } from '../open-contract.js'
import { describedFrom } from '../show-contract.js'
import { describeEndpoint, describeOperation, describeType, type Described, type OperationDescription, type TypeDescription } from '../show/descriptions.js'
import type { FieldDescription } from '../show/fields.js'
import { byGroup } from '../show/overview.js'
import { escaped, pageText, pictureBar, pictureIn } from './shell.js'

/** A page with everything in a contract: endpoints, operations with samples, types, a diagram; searchable, printable, light and dark. */
export async function referencePage(open: OpenContract): Promise<string> {
  const described = await describedFrom({ ...open, whole: open.contract })
  const { contract } = described
  const operations = operationsOf(contract)
  const types = countedTypes(contract, operations).sort((a, b) => (a.name < b.name ? -1 : 1))
  const writer = new Writer(described, types)
  const graph = graphOf(contract)
  const isDrawn = graph.boxes.length > 0 && graph.boxes.length <= mostBoxes
  const groups = byGroup(operations)
  const body = [
    '<nav aria-label="Contents">',
    '<input id="search" type="search" placeholder="Find  ( / )" aria-label="Find in names and texts"><span id="found" class="faint" role="status"></span>',
    ...[...groups].map(([group, members]) => (group === '' ? contents('Operations', members.map((operation) => [`operation-${pathOf(operation)}`, pathOf(operation)])) : contents(group, members.map((operation) => [`operation-${pathOf(operation)}`, pathOf(operation).slice(group.length + 1)]), true))),
    contents('Types', types.map(({ name }) => [`type-${name}`, name])),
    '</nav>',
    '<main>',
    `<h1>${escaped(contract.title)}</h1>`,
    `<p class="faint">${escaped(open.name)}, ${contract.dialect}: ${operations.length} operations, ${types.length} types</p>`,
    prose(contract.documentation),
    '<h2>Endpoints</h2>',
    ...endpointsOf(contract).map((endpoint) => writer.endpoint(endpoint)),
    ...(isDrawn ? ['<h2>Diagram</h2>', `<div class="bar">${pictureBar()}</div>`, `<div class="stage">${pictureIn(svgText(await pictureOf(graph, 'right')))}</div>`] : graph.boxes.length === 0 ? [] : ['<h2>Diagram</h2>', `<p class="faint">${graph.boxes.length} types are too many for one picture. Draw a part: <code>tolmach diagram ${escaped(open.name)} part.html ${escaped(adviceFor(contract))}</code></p>`]),
    '<h2>Operations</h2>',
    ...operations.map((operation) => writer.operation(operation)),
    '<h2>Types</h2>',
    ...types.map((type) => writer.type(type)),
    ...(contract.notes.length === 0 ? [] : ['<h2>Notes</h2>', '<ul>', ...contract.notes.map((note) => `<li><code>${note.code}</code> ${escaped(`${note.origin.document}:${note.origin.line}  ${note.message}`)}</li>`), '</ul>']),
    '</main>',
  ].join('\n')
  return pageText({ title: `${contract.title}: reference`, kind: 'reference', body, scripts: isDrawn ? ['picture.js', 'reference.js'] : ['reference.js'] })
}

/** A part of the contents; names of what belongs to one group stand beside each other. */
function contents(title: string, entries: readonly (readonly [id: string, name: string])[], beside = false): string {
  return `<h2>${escaped(title)}</h2><ul${beside ? ' class="beside"' : ''}>${entries.map(([id, name]) => `<li><a href="#${encodeURIComponent(id)}">${escaped(name)}</a></li>`).join('')}</ul>`
}

function prose(text: string | undefined): string {
  return text === undefined ? '' : text.split(/\n\s*\n/).map((paragraph) => `<p>${escaped(paragraph.trim()).replace(/\n/g, '<br>')}</p>`).join('')
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

  endpoint(endpoint: Parameters<typeof describeEndpoint>[1]): string {
    const { name, protocol, address, documentation, credentials, headers, operations } = describeEndpoint(this.described, endpoint)
    const wanted = credentials.map((each) => `${escaped(each.wanted)}${each.operations === undefined ? '' : ` (${each.operations.map((path) => this.linked(path)).join(', ')})`}`).join('<br>')
    return section(`endpoint-${name}`, name, [tag(protocol)], [prose(documentation), facts([['address', `<code>${escaped(address)}</code>`], ['credentials', wanted === 'none' ? 'none that the metadata names' : wanted], ...(headers.length === 0 ? [] : [['message headers', escaped(headers.join(', '))] as const]), ['operations', String(operations.length)]])])
  }

  operation(operation: Operation): string {
    const shown = describeOperation(this.described, operation)
    return section(`operation-${shown.name}`, shown.name, shown.deprecated ? [tag('deprecated')] : [], [
      prose(shown.documentation),
      heading('Inputs', shown.inputs.length === 0 ? '<p class="faint">none</p>' : this.fields(shown.inputs)),
      shown.headers.length === 0 ? '' : heading('Message headers', this.fields(shown.headers)),
      heading(`Outcome: ${this.linked(shown.outcomeType)}`, this.outcome(shown)),
      shown.faults.length === 0 ? '' : heading('Faults', rows(shown.faults.map((each) => [escaped(each.name), this.linked(each.type), escaped(each.documentation ?? '')]))),
      heading('In TypeScript', `<pre>${escaped([shown.signature, ...(shown.declarations.length === 0 ? [] : ['', ...shown.declarations])].join('\n'))}</pre>`),
      this.samples(operation),
      `<details><summary>On the wire</summary>${facts(shown.wire.everywhere.map(([label, value]) => [label, escaped(value)]))}${shown.wire.endpoints.map(({ endpoint, facts: own }) => `<h4>${escaped(endpoint)}</h4>${facts(own.map(([label, value]) => [label, escaped(value)]))}`).join('')}<p class="faint">declared at ${escaped(shown.origin)}</p></details>`,
    ])
  }

  private outcome({ outcome }: OperationDescription): string {
    const inside = outcome.length === 1 ? (outcome[0]?.fields ?? []) : outcome
    return inside.length === 0 ? '' : this.fields(inside)
  }

  /** Inputs that satisfy the contract: the least, and one with everything. */
  private samples(operation: Operation): string {
    if (operation.inputs.length === 0) return ''
    const rules = this.described.dialect.rules?.(this.contract)
    const [least, most] = [false, true].map((full) => JSON.stringify(sampleInput(this.contract, operation, { full, rules }), null, 2))
    return `<details><summary>A sample input</summary><pre>${escaped(least ?? '')}</pre></details>${most === least ? '' : `<details><summary>A sample input with everything</summary><pre>${escaped(most ?? '')}</pre></details>`}`
  }

  type(type: NamedType): string {
    const shown: TypeDescription = describeType(this.described, type.id)
    return section(`type-${shown.name}`, shown.name, [tag(shown.what)], [
      prose(shown.documentation),
      shown.extends === undefined ? '' : `<p>extends ${this.linked(shown.extends)}</p>`,
      shown.extendedBy.length === 0 ? '' : `<p>extended by ${shown.extendedBy.map((name) => this.linked(name)).join(', ')}</p>`,
      shown.fields.length === 0 ? '' : heading('Fields', this.fields(shown.fields)),
      shown.values.length === 0 ? '' : heading('Values', rows(shown.values.map((each) => [`<code>${escaped(each.value)}</code>`, escaped(each.documentation ?? '')]))),
      shown.rules.length === 0 ? '' : heading('Rules', `<ul>${shown.rules.map((rule) => `<li>${escaped(rule)}</li>`).join('')}</ul>`),
      shown.usedBy.length === 0 ? '' : heading('Used by', `<p>${shown.usedBy.map((name) => this.linked(name)).join(', ')}</p>`),
      shown.declarations.length === 0 ? '' : `<details><summary>In TypeScript</summary><pre>${escaped(shown.declarations.join('\n'))}</pre><p class="faint">declared at ${escaped(shown.origin)}</p></details>`,
    ])
  }

  private fields(fields: readonly FieldDescription[]): string {
    const lines = (each: FieldDescription, depth: number): string[] => [
      `<tr><td class="name" style="padding-left:${depth * 1.2}em">${escaped(each.name)}</td><td>${this.linked(each.type)}</td><td class="faint word">${each.required ? 'required' : ''}</td><td>${escaped(each.rules)}</td><td>${escaped(each.documentation ?? '')}</td></tr>`,
      ...each.fields.flatMap((inner) => lines(inner, depth + 1)),
    ]
    return `<table><thead><tr><th>name</th><th>type</th><th></th><th>rules</th><th>meaning</th></tr></thead><tbody>${fields.flatMap((each) => lines(each, 0)).join('')}</tbody></table>`
  }

  /** A text in which the names of operations and types lead to them. */
  private linked(text: string): string {
    if (this.operationNames.has(text)) return link(`operation-${text}`, text)
    return text.split(/([^\p{L}\p{N}_$.-]+)/u).map((part) => (this.typeNames.has(part) ? link(`type-${part}`, part) : this.typeNames.has(part.replace(/(?:\[\])+$/, '')) ? part : escaped(part))).join('')
  }
}

function link(id: string, text: string): string {
  return `<a href="#${encodeURIComponent(id)}">${escaped(text)}</a>`
}

function section(id: string, title: string, tags: readonly string[], parts: readonly string[]): string {
  return `<section id="${escaped(id)}"><h3>${escaped(title)}${tags.join('')}</h3>${parts.filter((part) => part !== '').join('\n')}</section>`
}

function tag(text: string): string {
  return `<span class="tag">${escaped(text)}</span>`
}

function heading(title: string, body: string): string {
  return `<h4>${title}</h4>${body}`
}

function facts(pairs: readonly (readonly [string, string])[]): string {
  return rows(pairs.map(([label, value]) => [`<span class="faint">${escaped(label)}</span>`, value]), ' class="facts"')
}

function rows(cells: readonly (readonly string[])[], attributes = ''): string {
  return cells.length === 0 ? '' : `<table${attributes}><tbody>${cells.map((row) => `<tr>${row.map((cell, at) => `<td${at === 0 ? ' class="name"' : ''}>${cell}</td>`).join('')}</tr>`).join('')}</tbody></table>`
}
