import type { Box, Graph, Link } from './graph.js'
import { endText } from './layout.js'
import { palette } from './shapes.js'

const arrows: Readonly<Record<Link['kind'], string>> = {
  leadsTo: 'arrowhead=vee',
  contains: 'dir=both, arrowtail=box, arrowhead=vee',
  extends: 'arrowhead=empty, penwidth=1.6',
  oneOf: 'dir=both, arrowtail=dot, arrowhead=none, style=dashed',
  uses: 'arrowhead=none, style=dotted',
}

/** A graph in the DOT language of Graphviz, with a cluster for each namespace where there are several. */
export function dotText(graph: Graph, towards: 'right' | 'down'): string {
  const ids = new Map(graph.boxes.map((box, at) => [box.id, `t${at}`]))
  const namespaces = [...new Set(graph.boxes.map(({ namespace }) => namespace))]
  const nodes = (boxes: readonly Box[], indent: string): string[] => boxes.map((box) => `${indent}${ids.get(box.id) ?? ''} [label=${labelOf(box, towards)}${box.documentation === undefined ? '' : `, tooltip=${quoted(box.documentation)}`}${box.kind === 'union' ? ', style="rounded,dashed"' : ''}, color="${palette[box.kind]}"]`)
  const clustered = namespaces.length > 1 ? namespaces.flatMap((namespace, at) => [`  subgraph cluster_${at} {`, `    label=${quoted(namespace)}`, ...nodes(graph.boxes.filter((box) => box.namespace === namespace), '    '), '  }']) : nodes(graph.boxes, '  ')
  return [
    `digraph ${quoted(graph.title)} {`,
    `  graph [rankdir=${towards === 'right' ? 'LR' : 'TB'}, fontname="Helvetica"]`,
    '  node [shape=record, fontname="Helvetica", fontsize=10]',
    '  edge [fontname="Helvetica", fontsize=9]',
    ...clustered,
    ...graph.links.map((link) => `  ${ids.get(link.from) ?? ''} -> ${ids.get(link.to) ?? ''} [${arrows[link.kind]}${endLabel('taillabel', endText(link.source))}${link.kind === 'uses' ? '' : endLabel('headlabel', endText(link.target))}]`),
    ...graph.listings.flatMap(({ title, entries }, at) => [`  list${at} [shape=note, label=${quoted([title, ...entries].join('\n')).replaceAll('\\n', '\\l').replace(/"$/, '\\l"')}]`]),
    '}',
    '',
  ].join('\n')
}

function endLabel(name: string, text: string): string {
  return text === '' ? '' : `, ${name}=${quoted(text)}`
}

/** A record label: name, then a line for each field, below each other: braces turn the direction, which is that of the whole graph. */
function labelOf(box: Box, towards: 'right' | 'down'): string {
  const rows = box.rows.map((row) => `${row.key ? '* ' : ''}${row.name}${row.type === '' ? '' : `: ${row.type}`}`)
  const inRecord = (text: string): string => text.replace(/[\\{}|<>"]/g, (c) => `\\${c}`).replace(/\s+/g, ' ')
  const label = `${inRecord(box.name)}${rows.length === 0 ? '' : `|${rows.map((row) => `${inRecord(row)}\\l`).join('')}`}`
  return towards === 'right' ? `"${label}"` : `"{${label}}"`
}

function quoted(text: string): string {
  return `"${text.replace(/\\/g, '\\\\').replace(/"/g, '\\"').replace(/\r?\n/g, '\\n')}"`
}
