import { inMermaid, memberInMermaid } from '../printing/escaping.js'
import { joined, mermaid, type MermaidText } from '../printing/safe-text.js'
import type { Box, Graph, Link } from './graph.js'

const lines: Readonly<Record<Link['kind'], MermaidText>> = {
  leadsTo: mermaid`-->`,
  contains: mermaid`*--`,
  extends: mermaid`--|>`,
  oneOf: mermaid`..>`,
  uses: mermaid`..`,
}

/** A graph as the text of a Mermaid class diagram. */
export function mermaidText(graph: Graph, towards: 'right' | 'down'): MermaidText {
  const ids = new Map(graph.boxes.map((box, at) => [box.id, mermaid`t${at}`]))
  const idOf = (id: string): MermaidText => ids.get(id) ?? mermaid``
  const namespaces = [...new Set(graph.boxes.map(({ namespace }) => namespace))]
  const all = (boxes: readonly Box[], indent: MermaidText): MermaidText[] =>
    boxes.flatMap((box) => boxLines(box, idOf(box.id)).map((line) => mermaid`${indent}${line}`))
  const inNamespace = (namespace: string, at: number): MermaidText[] => [
    mermaid`  namespace ${namespaceName(namespace, at)} {`,
    ...all(
      graph.boxes.filter((box) => box.namespace === namespace),
      mermaid`    `,
    ),
    mermaid`  }`,
  ]
  return joined(
    [
      mermaid`classDiagram`,
      mermaid`  direction ${towards === 'right' ? mermaid`LR` : mermaid`TB`}`,
      ...(namespaces.length > 1 ? namespaces.flatMap(inNamespace) : all(graph.boxes, mermaid`  `)),
      ...graph.boxes.flatMap((box) =>
        box.kind === 'entity' ? [] : [mermaid`  <<${memberInMermaid(box.kind)}>> ${idOf(box.id)}`],
      ),
      ...graph.links.map((link) => linkLine(link, idOf)),
      // Notes have line breaks as the two characters \n.
      ...graph.listings.map(
        ({ title, entries }) => mermaid`  note ${inMermaid([title, ...entries].join('\\n'))}`,
      ),
      mermaid``,
    ],
    '\n',
  )
}

function boxLines(box: Box, id: MermaidText): MermaidText[] {
  const head = mermaid`class ${id}[${inMermaid(box.name)}]`
  const row = ({ key, name, type }: Box['rows'][number]): MermaidText =>
    mermaid`  ${key ? mermaid`+` : mermaid``}${memberInMermaid(name)}${type === '' ? mermaid`` : mermaid` ${memberInMermaid(type)}`}`
  return box.rows.length === 0 ? [head] : [mermaid`${head} {`, ...box.rows.map(row), mermaid`}`]
}

function linkLine(link: Link, idOf: (id: string) => MermaidText): MermaidText {
  const multiplicity = (text: string | undefined): MermaidText =>
    text === undefined ? mermaid`` : mermaid`${inMermaid(text)} `
  const names = [
    link.target.name,
    link.source.name === undefined ? undefined : `back: ${link.source.name}`,
  ]
    .filter((part) => part !== undefined)
    .join(', ')
  const label = names === '' ? mermaid`` : mermaid` : ${memberInMermaid(names)}`
  return mermaid`  ${idOf(link.from)} ${multiplicity(link.source.multiplicity)}${lines[link.kind]} ${multiplicity(link.target.multiplicity)}${idOf(link.to)}${label}`
}

/** A namespace's name of letters, digits and `_`, told from others by its number. */
function namespaceName(namespace: string, at: number): MermaidText {
  const name = namespace.replace(/[^A-Za-z0-9]+/g, '_').replace(/^_+|_+$/g, '')
  return mermaid`${memberInMermaid(name === '' ? 'none' : name)}_${at}`
}
