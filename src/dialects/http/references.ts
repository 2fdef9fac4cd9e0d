import { problem } from '../../contract/problem.js'
import { nodeAt, parseData, type DataNode } from '../../documents/data-tree.js'
import type { Documents, LoadedDocument } from '../../documents/documents.js'

/** The documents of a description as trees, and what `$ref` in them means (OpenAPI 3.1, section 4.6; JSON Reference). */
export class References {
  readonly root: DataNode
  private readonly trees = new Map<string, DataNode>()
  private readonly documents: Documents

  private constructor(documents: Documents, root: DataNode) {
    this.documents = documents
    this.root = root
    this.trees.set(documents.root.label, root)
  }

  /** Parses a description and every document it refers to. */
  static async load(documents: Documents): Promise<References> {
    const references = new References(documents, parseData(documents.root.text, documents.root.label))
    const waiting: LoadedDocument[] = [documents.root]
    for (let document = waiting.pop(); document !== undefined; document = waiting.pop()) {
      for (const node of refNodes(references.trees.get(document.label))) {
        const [location = ''] = String(node.value).split('#')
        if (location === '') continue
        const target = await documents.follow(location, document, node.origin)
        if (references.trees.has(target.label)) continue
        references.trees.set(target.label, parseData(target.text, target.label))
        waiting.push(target)
      }
    }
    return references
  }

  /**
   * What a node stands for: itself, or what its `$ref` leads to in the end.
   *
   * @throws Problem TM-2302 when that leads nowhere, TM-2303 when it goes in a circle; both show the chain
   */
  settle(node: DataNode): DataNode {
    const chain: string[] = []
    let current = node
    for (let reference = current.members.get('$ref'); reference !== undefined && typeof reference.value === 'string'; reference = current.members.get('$ref')) {
      current.read = true
      reference.read = true
      const shown = reference.value
      if (chain.includes(`${current.origin.document} ${shown}`)) throw problem('TM-2303', { chain: [...chain.map((each) => each.split(' ')[1] ?? ''), shown].join(' -> ') }, { place: reference.origin })
      chain.push(`${current.origin.document} ${shown}`)
      const target = this.target(shown, current.origin.document)
      if (target === undefined) {
        const before = chain.slice(0, -1).map((each) => each.split(' ')[1] ?? '')
        throw problem('TM-2302', { reference: shown, chain: before.length === 0 ? '' : ` (reached through ${before.join(' -> ')})` }, { place: reference.origin })
      }
      current = target
    }
    current.read = true
    return current
  }

  /** The trees of all documents. */
  all(): DataNode[] {
    return [...this.trees.values()]
  }

  /** What a node's `$ref` leads to in the end, or undefined; marks nothing. */
  peek(node: DataNode): DataNode | undefined {
    let current: DataNode | undefined = node
    for (let step = 0; step < 100 && current !== undefined; step += 1) {
      const reference: string | number | boolean | null | undefined = current.members.get('$ref')?.value
      if (typeof reference !== 'string') return current
      current = this.target(reference, current.origin.document)
    }
    return undefined
  }

  /** A stable id for a node: the document (unless it is the root) and its JSON Pointer. */
  idOf(node: DataNode): string {
    const { document } = node.origin
    return `${document === this.documents.root.label ? '' : document}#${node.pointer}`
  }

  private target(reference: string, from: string): DataNode | undefined {
    const [location = '', pointer = ''] = reference.split('#')
    const document = this.documents.all().find((each) => each.label === from)
    const label = location === '' ? from : document?.refers.get(location)
    const tree = this.trees.get(label ?? '')
    return tree === undefined ? undefined : nodeAt(tree, pointer)
  }
}

/** Every `$ref` of a document, except where it is the name of a property. */
function refNodes(root: DataNode | undefined): DataNode[] {
  const found: DataNode[] = []
  const visit = (node: DataNode, isMap: boolean): void => {
    for (const [name, member] of node.members) {
      if (name === '$ref' && typeof member.value === 'string' && !isMap) found.push(member)
      else visit(member, !isMap && name === 'properties')
    }
    for (const item of node.items) visit(item, false)
  }
  if (root !== undefined) visit(root, false)
  return found
}
