import { inDot, inDotRecord } from '../printing/escaping.js'
import { dot, joined, type DotText } from '../printing/safe-text.js'
import type { Box, Graph, Link } from './graph.js'
import type { Places } from './layout.js'
import { endText } from './sketch.js'
import { palette, type Point } from './shapes.js'

const arrows: Readonly<Record<Link['kind'], DotText>> = {
  leadsTo: dot`arrowhead=vee`,
  contains: dot`dir=both, arrowtail=box, arrowhead=vee`,
  extends: dot`arrowhead=empty, penwidth=1.6`,
  oneOf: dot`dir=both, arrowtail=dot, arrowhead=none, style=dashed`,
  uses: dot`arrowhead=none, style=dotted`,
}

/**
 * A graph in the DOT language of Graphviz, with a cluster for each namespace where there are
 * several. Where somebody put types, it asks for the layout that leaves them there.
 *
 * @param places where somebody put types
 */
export function dotText(
  graph: Graph,
  towards: 'right' | 'down',
  places: Places = new Map(),
): DotText {
  const ids = new Map(graph.boxes.map((box, at) => [box.id, dot`t${at}`]))
  const idOf = (id: string): DotText => ids.get(id) ?? dot``
  const namespaces = [...new Set(graph.boxes.map(({ namespace }) => namespace))]
  const nodes = (boxes: readonly Box[]): DotText[] =>
    boxes.map((box) => dot`${idOf(box.id)} [${nodeAttributes(box, towards, places.get(box.id))}]`)
  const isPlaced = graph.boxes.some(({ id }) => places.has(id))
  const placing = isPlaced ? dot`, layout=neato, splines=ortho, overlap=false` : dot``
  const cluster = (namespace: string, at: number): DotText[] => [
    dot`  subgraph cluster_${at} {`,
    dot`    label=${inDot(namespace)}`,
    ...nodes(graph.boxes.filter((box) => box.namespace === namespace)).map(
      (node) => dot`    ${node}`,
    ),
    dot`  }`,
  ]
  return joined(
    [
      dot`digraph ${inDot(graph.title)} {`,
      dot`  graph [rankdir=${towards === 'right' ? dot`LR` : dot`TB`}, fontname="Helvetica"${placing}]`,
      dot`  node [shape=record, fontname="Helvetica", fontsize=10]`,
      dot`  edge [fontname="Helvetica", fontsize=9]`,
      ...(namespaces.length > 1
        ? namespaces.flatMap(cluster)
        : nodes(graph.boxes).map((node) => dot`  ${node}`)),
      ...graph.links.map(
        (link) => dot`  ${idOf(link.from)} -> ${idOf(link.to)} [${edgeAttributes(link)}]`,
      ),
      ...graph.listings.map(
        ({ title, entries }, at) =>
          dot`  list${at} [shape=note, label="${joined([title, ...entries].map(noteLine), '')}"]`,
      ),
      dot`}`,
      dot``,
    ],
    '\n',
  )
}

function nodeAttributes(box: Box, towards: 'right' | 'down', place: Point | undefined): DotText {
  return joined(
    [
      dot`label=${labelOf(box, towards)}`,
      ...(box.documentation === undefined ? [] : [dot`tooltip=${inDot(box.documentation)}`]),
      ...(box.kind === 'union' ? [dot`style="rounded,dashed"`] : []),
      dot`color=${inDot(palette[box.kind])}`,
      // Points, from the left lower corner.
      ...(place === undefined ? [] : [dot`pos="${place.x * 0.75},${place.y * -0.75}!"`]),
    ],
    ', ',
  )
}

function edgeAttributes(link: Link): DotText {
  const tail = endLabel(dot`taillabel`, endText(link.source))
  const head = link.kind === 'uses' ? [] : endLabel(dot`headlabel`, endText(link.target))
  return joined([arrows[link.kind], ...tail, ...head], ', ')
}

function endLabel(name: DotText, text: string): DotText[] {
  return text === '' ? [] : [dot`${name}=${inDot(text)}`]
}

/**
 * A record label: name, then a line for each field, below each other: braces turn the direction,
 * which is that of the whole graph.
 */
function labelOf(box: Box, towards: 'right' | 'down'): DotText {
  const rows = box.rows.map(
    (row) =>
      dot`${inDotRecord(`${row.key ? '* ' : ''}${row.name}${row.type === '' ? '' : `: ${row.type}`}`)}\\l`,
  )
  const label = dot`${inDotRecord(box.name)}${rows.length === 0 ? dot`` : dot`|${joined(rows, '')}`}`
  return towards === 'right' ? dot`"${label}"` : dot`"{${label}}"`
}

/** A line of a note, which stands to the left. */
function noteLine(text: string): DotText {
  return dot`${inDotRecord(text)}\\l`
}
