import type { Box, Graph, Link } from './graph.js'

const lines: Readonly<Record<Link['kind'], string>> = { leadsTo: '-->', contains: '*--', extends: '--|>', oneOf: '..>', uses: '..' }

/** A graph as the text of a Mermaid class diagram. */
export function mermaidText(graph: Graph, towards: 'right' | 'down'): string {
  const ids = new Map(graph.boxes.map((box, at) => [box.id, `t${at}`]))
  const namespaces = [...new Set(graph.boxes.map(({ namespace }) => namespace))]
  const all = (boxes: readonly Box[], indent: string): string[] => boxes.flatMap((box) => boxLines(box, ids.get(box.id) ?? '', indent))
  const boxes = namespaces.length > 1 ? namespaces.flatMap((namespace, at) => [`  namespace ${plainName(namespace, at)} {`, ...all(graph.boxes.filter((box) => box.namespace === namespace), '    '), '  }']) : all(graph.boxes, '  ')
  return [
    'classDiagram',
    `  direction ${towards === 'right' ? 'LR' : 'TB'}`,
    ...boxes,
    ...graph.boxes.flatMap((box) => (box.kind === 'entity' ? [] : [`  <<${box.kind}>> ${ids.get(box.id) ?? ''}`])),
    ...graph.links.map((link) => linkLine(link, ids)),
    ...graph.listings.flatMap(({ title, entries }) => [`  note ${quoted([title, ...entries].join('\\n'))}`]),
    '',
  ].join('\n')
}

function boxLines(box: Box, id: string, indent: string): string[] {
  const head = `${indent}class ${id}[${quoted(box.name)}]`
  return box.rows.length === 0 ? [head] : [`${head} {`, ...box.rows.map((row) => `${indent}  ${row.key ? '+' : ''}${member(row.name)}${row.type === '' ? '' : ` ${member(row.type)}`}`), `${indent}}`]
}

function linkLine(link: Link, ids: ReadonlyMap<string, string>): string {
  const multiplicity = (text: string | undefined): string => (text === undefined ? '' : `${quoted(text)} `)
  const names = [link.target.name, link.source.name === undefined ? undefined : `back: ${link.source.name}`].filter((part) => part !== undefined).join(', ')
  const left = multiplicity(link.source.multiplicity)
  const right = multiplicity(link.target.multiplicity)
  return `  ${ids.get(link.from) ?? ''} ${left}${lines[link.kind]} ${right}${ids.get(link.to) ?? ''}${names === '' ? '' : ` : ${names.replace(/[\n:;"]/g, ' ')}`}`
}

/** A text inside the braces of a class: what would end it, or be read as a method or a type, is left out. */
function member(text: string): string {
  return text.replace(/[{}()~<>"\n;]/g, ' ').trim()
}

function plainName(namespace: string, at: number): string {
  const name = namespace.replace(/[^A-Za-z0-9]+/g, '_').replace(/^_+|_+$/g, '')
  return `${name === '' ? 'none' : name}_${at}`
}

function quoted(text: string): string {
  return `"${text.replace(/"/g, '\'').replace(/[[\]]/g, ' ')}"`
}
