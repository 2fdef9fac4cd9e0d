import type {
  BrokenOperation,
  Contract,
  Incoming,
  NamedType,
  Operation,
  Origin,
  Service,
  Type,
  TypeId,
} from '../contract/contract.js'
import { addTo } from '../contract/lists.js'
import { filled, present } from '../contract/present.js'
import { Problem, problemOfBroken } from '../contract/problem.js'
import { partsOf, typesOfOperation } from '../contract/queries.js'
import type { Notes } from './notes.js'

/** A document in which more is broken than this is not worth going on with. */
const mostBroken = 1000

/** So many things of a kind that are left out for one reason are named in its note. */
const mostNamed = 8

/** What a reader found of a contract, before it is known what of it is sound. */
type Found = Pick<Contract, 'services' | 'types' | 'incoming'>

/**
 * The parts of metadata that can't be read while the rest can. Readers go on behind them, and leave
 * something in the place of a broken type; what needs it is taken out by {@link soundPart}.
 */
export class BrokenParts {
  private readonly notes: Notes
  private readonly types = new Map<TypeId, Problem>()
  private readonly operations: BrokenOperation[] = []
  /** What each problem costs, by its text: it may be met in many ways. */
  private readonly costs = new Map<string, Cost>()
  private count = 0

  constructor(notes: Notes) {
    this.notes = notes
  }

  /**
   * Reads a part that the others can do without.
   *
   * @param otherwise what stands in its place when it is broken
   */
  attempt<Result>(read: () => Result, otherwise: (reason: Problem) => Result): Result {
    try {
      return read()
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      this.count += 1
      if (this.count > mostBroken) throw error
      return otherwise(error)
    }
  }

  /** Is nothing broken so far? */
  get isSound(): boolean {
    return this.costs.size === 0
  }

  /** Why a type is broken; undefined where it is not. */
  reasonOf(id: TypeId): Problem | undefined {
    return this.types.get(id)
  }

  /**
   * Remembers a broken part, to be told in a note.
   *
   * @param kind what people call such a thing
   */
  add(kind: string, { name, origin }: NamedPart, reason: Problem): void {
    const place = reason.place === undefined ? '' : JSON.stringify(reason.place)
    const key = `${reason.message} ${place}`
    const cost = this.costs.get(key) ?? { reason: reason.message, origin, parts: new Map() }
    this.costs.set(key, cost)
    const names = cost.parts.get(kind) ?? new Set()
    cost.parts.set(kind, names.add(name))
  }

  /** A broken type: whatever needs it goes with it. */
  addType(id: TypeId, type: NamedPart, reason: Problem): void {
    if (!this.types.has(id)) this.types.set(id, reason)
    this.add('type', type, reason)
  }

  /** An operation that can't be read itself. */
  addOperation(
    operation: Pick<BrokenOperation, 'path' | 'tags' | 'service'> & { readonly origin: Origin },
    reason: Problem,
  ): void {
    const { path, tags, service, origin } = operation
    const { code, message, advice, place, details } = reason
    this.operations.push({
      path,
      ...present({ tags, service }),
      reason: { code, message, advice, details, ...present({ place }) },
    })
    this.add('operation', { name: path.join('.'), origin }, reason)
  }

  /**
   * What of a contract can be had: no broken type, nothing that is made of one, and no operation
   * that needs one. Those are kept with the reason, and each reason is told in a note.
   *
   * @throws Problem the reason, where no operation is left
   */
  soundPart(found: Found): Found & Pick<Contract, 'broken'> {
    if (this.isSound) return found
    const needs = new Needs(found.types, this.types)
    const services = found.services.map((service) => this.soundService(service, needs))
    const incoming = found.incoming?.filter((each) => this.isSoundMessage(each, needs))
    const [first, ...others] = this.operations
    if (first !== undefined && services.every(({ operations }) => operations.length === 0))
      throw problemOfBroken([first, ...others])
    for (const { reason, origin, parts } of this.costs.values()) {
      const named = [...parts].map(([kind, names]) => inWords(kind, [...names]))
      this.notes.add('refused', 'TM-2020', { parts: named.join('; '), reason }, origin)
    }
    return {
      services,
      types: Object.fromEntries(
        Object.entries(found.types).filter(([id]) => needs.reasonForType(id) === undefined),
      ),
      ...present({ incoming }),
      ...filled({ broken: this.operations }),
    }
  }

  private soundService(service: Service, needs: Needs): Service {
    const operations = service.operations.filter((operation) => {
      const reason = needs.reasonForOperation(operation)
      if (reason !== undefined) this.addOperation({ ...operation, service: service.name }, reason)
      return reason === undefined
    })
    const groups = service.groups?.map(({ holds, ...group }) =>
      holds === undefined || needs.reasonForType(holds.type) !== undefined
        ? group
        : { ...group, holds },
    )
    return { ...service, operations, ...present({ groups }) }
  }

  private isSoundMessage(message: Incoming, needs: Needs): boolean {
    const reason = message.type === undefined ? undefined : needs.reasonForValue(message.type)
    if (reason !== undefined) this.add('message', message, reason)
    return reason === undefined
  }
}

/** What one broken place costs. */
interface Cost {
  readonly reason: string
  readonly origin: Origin
  /** The names of what is left out, by their kinds. */
  readonly parts: Map<string, Set<string>>
}

/** Things of a kind by their names, as notes tell of them. */
function inWords(kind: string, names: readonly string[]): string {
  const [only = '', ...others] = names
  if (others.length === 0) return only === '' ? `${kind} without a name` : `${kind} "${only}"`
  const more = names.length - mostNamed
  const named = names.slice(0, mostNamed).map((name) => `"${name}"`)
  return `${kind}s ${named.join(', ')}${more > 0 ? ` and ${String(more)} more` : ''}`
}

/** Something with a name, in a document. */
interface NamedPart {
  readonly name: string
  readonly origin: Origin
}

/**
 * Which types can't be had because of broken ones. A type needs its base, and whatever may stand in
 * its members; where a value of a type is wanted, one of any type that extends it may come.
 */
class Needs {
  /** Why a type itself can't be had. */
  private readonly ofTypes = new Map<TypeId, Problem>()
  /** Why values of a type can't, whatever extends it. */
  private readonly ofValues = new Map<TypeId, Problem>()

  constructor(types: Readonly<Record<TypeId, NamedType>>, broken: ReadonlyMap<TypeId, Problem>) {
    const madeOf = new Map<TypeId, TypeId[]>()
    const holding = new Map<TypeId, TypeId[]>()
    for (const type of Object.values(types)) {
      for (const id of namedInside(insideOf(type))) addTo(holding, id, type.id)
      for (const id of foundationsOf(type)) addTo(madeOf, id, type.id)
    }
    const waiting = [...broken]
    for (let next = waiting.pop(); next !== undefined; next = waiting.pop()) {
      const [id, reason] = next
      if (this.ofTypes.has(id)) continue
      this.ofTypes.set(id, reason)
      for (const other of madeOf.get(id) ?? []) waiting.push([other, reason])
      for (const kind of this.kindsOf(id, types)) {
        if (this.ofValues.has(kind)) break
        this.ofValues.set(kind, reason)
        for (const other of holding.get(kind) ?? []) waiting.push([other, reason])
      }
    }
  }

  reasonForType(id: TypeId): Problem | undefined {
    return this.ofTypes.get(id)
  }

  reasonForValue(type: Type): Problem | undefined {
    return firstFound(namedInside([type]), (id) => this.ofValues.get(id))
  }

  reasonForOperation(operation: Operation): Problem | undefined {
    const about = [
      ...(operation.needs ?? []),
      ...(operation.identifies ?? []).map(({ type }) => type),
    ]
    return (
      firstFound(namedInside(typesOfOperation(operation)), (id) => this.ofValues.get(id)) ??
      firstFound(about, (id) => this.ofTypes.get(id))
    )
  }

  /** A type, and those that it is a kind of. */
  private *kindsOf(id: TypeId, types: Readonly<Record<TypeId, NamedType>>): Generator<TypeId> {
    const seen = new Set<TypeId>()
    for (let at: TypeId | undefined = id; at !== undefined && !seen.has(at);) {
      yield at
      seen.add(at)
      const type: NamedType | undefined = types[at]
      at = type?.kind === 'record' ? type.base?.to : undefined
    }
  }
}

function firstFound<Item, Found>(
  items: Iterable<Item>,
  find: (item: Item) => Found | undefined,
): Found | undefined {
  for (const item of items) {
    const found = find(item)
    if (found !== undefined) return found
  }
  return undefined
}

/** What a type can't be without: its base, and the type that it is a shape of. */
function foundationsOf(type: NamedType): TypeId[] {
  if (type.kind !== 'record') return []
  return [type.base?.to, type.variantOf].filter((id) => id !== undefined)
}

/** The types directly inside a type, without its base. */
function insideOf(type: NamedType): Type[] {
  if (type.kind === 'reference') return [{ kind: 'reference', to: type.to }]
  return partsOf(type).filter((part) => type.kind !== 'record' || part !== type.base)
}

/** The types that are named anywhere inside these. */
function namedInside(types: readonly Type[]): Set<TypeId> {
  const found = new Set<TypeId>()
  const waiting = [...types]
  for (let type = waiting.pop(); type !== undefined; type = waiting.pop())
    if (type.kind === 'reference') found.add(type.to)
    else for (const part of partsOf(type)) waiting.push(part)
  return found
}
