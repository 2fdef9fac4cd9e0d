import { SaxesParser } from 'saxes'
import type { StartTag, TagAttribute } from './start-tag.js'
import type { Deviation } from '../failures.js'
import { soapEncoding, soapEncoding12 } from './namespaces.js'
import type { References } from './operation.js'
import type { Parts } from './parts.js'
import type { Pieces } from './pieces.js'
import { deepest, NotXml, Reading, writeInPieces, type Frame } from './xml-reader.js'

/**
 * Messages whose elements refer to each other: those that SOAP itself encodes (SOAP 1.1, section
 * 5.2.1; SOAP 1.2 part 2, section 3.1.5), and literal ones of services that do it all the same.
 * They are read from a tree, because what is referred to may come later.
 */

/**
 * How many elements an answer may unfold to when everything that is referred to is put in its
 * place: so many times its own, and as many as a small one needs.
 */
const mostTimes = 20
const mostOfSmall = 200_000

interface Node {
  readonly tag: StartTag
  readonly parent: Node | undefined
  readonly children: (Node | string)[]
}

/** Messages that SOAP itself encodes. */
export const encodedMessages: References = {
  parse: (xml, hear, root, parts) => parseWithReferences(xml, hear, root, true, parts),
}

/** Literal messages whose elements refer to each other all the same. */
export const literalMessages: References = {
  parse: (xml, hear, root, parts) => parseWithReferences(xml, hear, root, false, parts),
}

/**
 * Parses a document as parseDocument does, with every reference replaced by what it refers to.
 *
 * @param encoded is it encoded by SOAP's own rules? Else an attribute that is no reference stays
 *   an attribute.
 */
function* parseWithReferences(
  xml: string,
  onDeviation: (deviation: Deviation) => void,
  root: (tag: StartTag, reading: Reading) => Frame,
  encoded: boolean,
  parts: Parts | undefined,
): Pieces<void> {
  const tree = yield* readTree(xml)
  const { top } = tree
  if (top === undefined) throw new NotXml('there is no element in it')
  const player = new TreeReplay(tree, encoded, onDeviation, parts)
  player.play(top, (tag) => root(tag, player.reading))
}

interface Tree {
  readonly top: Node | undefined
  readonly byId: ReadonlyMap<string, Node>
  readonly references: ReadonlySet<string>
  /** How many elements there are. */
  readonly count: number
}

function* readTree(xml: string): Pieces<Tree> {
  const parser = new SaxesParser({ xmlns: true as const, position: false as const })
  const byId = new Map<string, Node>()
  const references = new Set<string>()
  let top: Node | undefined
  let current: Node | undefined
  let depth = 0
  let count = 0
  parser.on('error', (error) => {
    throw new NotXml(error.message)
  })
  parser.on('doctype', () => {
    throw new NotXml('it has a DTD, which is refused')
  })
  parser.on('opentag', (tag) => {
    depth += 1
    count += 1
    if (depth > deepest) throw new NotXml(`elements are nested more than ${String(deepest)} deep`)
    const node: Node = { tag, parent: current, children: [] }
    current?.children.push(node)
    top ??= node
    current = node
    const id = attributeOf(tag, 'id')
    if (id !== undefined) byId.set(id, node)
    const reference = attributeOf(tag, 'href')
    if (reference?.startsWith('#') === true) references.add(reference.slice(1))
  })
  const text = (piece: string): void => void current?.children.push(piece)
  parser.on('text', text)
  parser.on('cdata', text)
  parser.on('closetag', () => {
    current = current?.parent
    depth -= 1
  })
  yield* writeInPieces(parser, xml)
  return { top, byId, references, count }
}

/** Sends a tree to frames, in the order in which its elements belong. */
class TreeReplay {
  readonly reading: Reading
  private readonly byId: ReadonlyMap<string, Node>
  private readonly references: ReadonlySet<string>
  private readonly encoded: boolean
  /** The elements inside of which the player is. */
  private readonly within: Node[] = []
  private played = 0
  private readonly most: number

  constructor(
    { byId, references, count }: Tree,
    encoded: boolean,
    onDeviation: (deviation: Deviation) => void,
    parts: Parts | undefined,
  ) {
    this.byId = byId
    this.references = references
    this.encoded = encoded
    this.most = Math.max(mostOfSmall, mostTimes * count)
    this.reading = new Reading(
      { resolve: (prefix) => namespaceAt(this.within.at(-1), prefix) },
      onDeviation,
      parts,
    )
  }

  /** Plays an element, or what it refers to; `begin` makes its frame. */
  play(node: Node, begin: (tag: StartTag) => Frame): void {
    const target = this.targetOf(node)
    if (target === undefined) {
      this.reading.deviate('refers to something that is not in the answer', node.tag.local)
      return
    }
    if (target !== node && !this.encoded)
      this.reading.deviate('refers to another element, as only encoded messages do', node.tag.local)
    if (this.within.includes(target)) {
      this.reading.deviate('refers back to what it is inside of; that is left out', node.tag.local)
      return
    }
    this.played += 1
    if (this.played > this.most) throw new NotXml('its references unfold without end')
    this.within.push(target)
    this.reading.enter(node.tag.local)
    const attributes = { ...placing(node), ...this.contentAttributes(target) }
    const frame = begin({ ...node.tag, attributes })
    const isBody = node.tag.local === 'Body' && this.within.length === 2
    const holdsReferredTo = isBody && target.children.some(isAnswer)
    for (const child of target.children) {
      if (typeof child === 'string') frame.text(child)
      else if (
        !(holdsReferredTo && !isAnswer(child)) &&
        child.tag.uri !== 'http://www.w3.org/2003/05/soap-rpc'
      )
        this.play(child, (tag) => frame.child(tag))
    }
    frame.end()
    this.reading.leave()
    this.within.pop()
  }

  /** What an element stands for: itself, unless it refers to another one. */
  private targetOf(node: Node): Node | undefined {
    const reference =
      attributeOf(node.tag, 'href')?.replace(/^#/, '') ??
      Object.values(node.tag.attributes).find(
        (each) => each.local === 'ref' && each.uri === soapEncoding12,
      )?.value
    if (reference === undefined) return node
    const target = node.children.some((child) => typeof child !== 'string' || child.trim() !== '')
      ? undefined
      : this.byId.get(reference)
    return this.encoded ? target : (target ?? node)
  }

  /**
   * The attributes that are content, or tell of an array: not the others with which the encoding
   * helps itself.
   */
  private contentAttributes({ tag }: Node): StartTag['attributes'] {
    const helps = ({ uri, local }: TagAttribute): boolean =>
      ((uri === soapEncoding || uri === soapEncoding12) && !ofArrays.includes(local)) ||
      local === 'encodingStyle' ||
      (uri === '' && local === 'id' && (this.encoded || this.isReferredTo(tag))) ||
      (uri === '' && local === 'href' && this.encoded)
    return Object.fromEntries(
      Object.entries(tag.attributes).filter(([, attribute]) => !helps(attribute)),
    )
  }

  private isReferredTo(tag: StartTag): boolean {
    return this.references.has(attributeOf(tag, 'id') ?? '')
  }
}

/** Attributes of the encoding that tell how an array is laid out. */
const ofArrays = ['arrayType', 'arraySize', 'position', 'offset']

/** What an element says of its place in an array, also where it refers to another one. */
function placing({ tag }: Node): StartTag['attributes'] {
  return Object.fromEntries(
    Object.entries(tag.attributes).filter(
      ([, { local, uri }]) => local === 'position' && uri === soapEncoding,
    ),
  )
}

/** An element of the body that isn't there to be referred to, as those beside the answer are. */
function isAnswer(child: Node | string): boolean {
  return typeof child !== 'string' && attributeOf(child.tag, 'id') === undefined
}

/** An attribute of the encoding: without a namespace in version 1.1, in its own in version 1.2. */
function attributeOf(tag: StartTag, name: string): string | undefined {
  return Object.values(tag.attributes).find(
    (each) => each.local === name && (each.uri === '' || each.uri === soapEncoding12),
  )?.value
}

function namespaceAt(node: Node | undefined, prefix: string): string | undefined {
  for (let at = node; at !== undefined; at = at.parent)
    if (Object.hasOwn(at.tag.ns, prefix)) return at.tag.ns[prefix]
  return undefined
}
