import type { UndirectedGraph } from 'graphology'
import type { Graph } from './graph.js'

/** The package is one function; its types say that it is a module. */
type Louvain = (
  graph: UndirectedGraph,
  options: { randomWalk: boolean; rng: () => number },
) => Readonly<Record<string, number>>

/**
 * Sorts the types of a large graph into groups that hang together more closely than with others, by
 * the method of Louvain. Each group is called after its type with the most links.
 *
 * @returns the name of the group of each type, by its id
 */
export async function groupsByCloseness({ boxes, links }: Graph): Promise<Map<string, string>> {
  const [{ UndirectedGraph }, { default: louvain }] = await Promise.all([
    import('graphology'),
    import('graphology-communities-louvain') as unknown as Promise<{ default: Louvain }>,
  ])
  const graph = new UndirectedGraph()
  for (const { id } of boxes) graph.addNode(id)
  for (const { from, to } of links) if (from !== to) graph.mergeEdge(from, to)
  // The same graph gives the same groups.
  const found = louvain(graph, { randomWalk: false, rng: () => 0.5 })
  const first = new Map<number, { name: string; links: number }>()
  for (const { id, name } of boxes) {
    const group = found[id] ?? -1
    const count = graph.degree(id)
    if (count > (first.get(group)?.links ?? -1)) first.set(group, { name, links: count })
  }
  // What hangs together with nothing is one group.
  return new Map(
    boxes.map(({ id }) => [
      id,
      graph.degree(id) === 0 ? 'on their own' : `around ${first.get(found[id] ?? -1)?.name ?? ''}`,
    ]),
  )
}
