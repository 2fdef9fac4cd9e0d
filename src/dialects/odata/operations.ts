import type {
  InputField,
  Operation,
  OperationGroup,
  Origin,
  Outcome,
} from '../../contract/contract.js'
import { addAll } from '../../contract/lists.js'
import { present } from '../../contract/present.js'
import type { Notes } from '../notes.js'
import type { Csdl, Declared } from './csdl.js'
import { documented } from './documentation.js'
import { InvocationReader } from './invocations.js'
import type { EntitySpecifics, OperationSpecifics } from './specifics.js'
import { dataMetadata } from './namespaces.js'
import { OperationPaths } from './operation-paths.js'
import { ResourceReader, type Resource } from './resources.js'
import { subjectOf, type Subject } from './subject.js'
import type { TypeReader } from './types.js'
import { verbs, type Verb } from './verbs.js'

/** The one endpoint of a service, in the contract. */
export const endpointName = 'service'

/** What was read of an operation, before it has its place in the client. */
export interface FoundOperation {
  /** The path that it would have if it were the only one. */
  readonly path: readonly string[]
  readonly inputs: readonly InputField[]
  readonly outcome: Outcome
  readonly documentation: string | undefined
  readonly origin: Origin
  readonly specifics: OperationSpecifics
}

/**
 * Reads entity containers: sets and singletons with what can be done to them, functions and actions
 * (CSDL XML 4.01, sections 12 and 13).
 */
export class OperationReader {
  /** What was read of the sets and singletons. */
  readonly groups: OperationGroup[] = []
  private readonly csdl: Csdl
  private readonly types: TypeReader
  private readonly notes: Notes
  private readonly invocations: InvocationReader
  private readonly paths: OperationPaths
  private readonly found: Operation[] = []
  /** What the service says that it does not offer. */
  private readonly leftOut: { readonly name: string; readonly origin: Origin }[] = []

  constructor(csdl: Csdl, types: TypeReader, notes: Notes) {
    this.csdl = csdl
    this.types = types
    this.notes = notes
    this.paths = new OperationPaths(notes)
    this.invocations = new InvocationReader(csdl, types, notes, (found) => this.add(found))
  }

  /** The paths of operations that the service says it does not offer. */
  get notOffered(): string[] {
    return [...new Set(this.leftOut.map(({ name }) => name))]
  }

  readAll(): Operation[] {
    const resources = this.readContainers()
    for (const resource of resources) this.readResource(resource)
    this.noteLeftOut()
    this.invocations.readBound(resources)
    // Sets and singletons in the order of the metadata, each with all that is bound to it; then
    // what stands by itself.
    const positions = new Map(resources.map(({ name }, at) => [name, at]))
    const rank = ({ path }: Operation): number =>
      path.length === 1 ? resources.length : (positions.get(path[0] ?? '') ?? -1)
    return this.found.sort((a, b) => rank(a) - rank(b))
  }

  /** Sets, singletons, and what lies inside their entities; imports are read on the way. */
  private readContainers(): Resource[] {
    const reader = new ResourceReader(this.csdl, this.types, this.notes)
    const sets: Resource[] = []
    for (const container of this.csdl.all('EntityContainer'))
      for (const part of this.withParents(container)) {
        addAll(sets, reader.read(part))
        this.invocations.readImports(part)
      }
    reader.bind(sets)
    const names = new Set(sets.map(({ name }) => name))
    return [...sets, ...sets.flatMap((resource) => reader.inside(resource, names))]
  }

  /** A container, and those that it extends. */
  private withParents(container: Declared, within: readonly string[] = []): Declared[] {
    const { element } = container
    element.read = true
    element.attribute('Name')
    element.attribute('IsDefaultEntityContainer', dataMetadata)
    const written = element.attribute('Extends')
    const [parent] = written === undefined ? [] : this.csdl.overloads('EntityContainer', written)
    if (parent === undefined || within.includes(parent.name)) return [container]
    // What a document declares by itself is read there.
    if (this.csdl.all('EntityContainer').some(({ name }) => name === parent.name))
      return [container]
    return [container, ...this.withParents(parent, [...within, container.name])]
  }

  private readResource(resource: Resource): void {
    const subject = subjectOf(resource, this.types, this.csdl.version)
    for (const verb of verbs) {
      if (!verb.isFor(subject)) continue
      if (verb.wants === undefined || resource.capabilities[verb.wants] !== false)
        this.add(this.verbOperation(verb, subject, resource))
      else this.leftOut.push({ name: `${resource.name}.${verb.wants}`, origin: resource.origin })
    }
    const { name, documentation, origin, specifics } = resource
    this.groups.push({
      name,
      ...present({ documentation }),
      origin,
      holds: { type: specifics.entity, many: specifics.singleton !== true },
    })
  }

  private verbOperation(verb: Verb, subject: Subject, resource: Resource): FoundOperation {
    const { name, origin, capabilities, documentation } = resource
    const specifics: EntitySpecifics = {
      kind: verb.kind,
      ...resource.specifics,
      ...present({ restricted: capabilities.restricted }),
      ...verb.facts?.(subject),
    }
    const sentences = [verb.sentence(subject), documentation].filter((part) => part !== undefined)
    return {
      path: [name, verb.called ?? verb.kind],
      inputs: verb.inputs(subject, this.types),
      outcome: verb.outcome(subject),
      documentation: sentences.join('\n\n'),
      origin,
      specifics,
    }
  }

  private noteLeftOut(): void {
    const names = this.notOffered
    const [first] = this.leftOut
    if (first === undefined) return
    const more = names.length > 12 ? ` and ${names.length - 12} more` : ''
    const operations = `${names.slice(0, 12).join(', ')}${more}`
    this.notes.add('ignored', 'TM-2412', { operations }, first.origin)
  }

  private add(found: FoundOperation): void {
    const { inputs, outcome, documentation, origin, specifics } = found
    this.found.push({
      path: this.paths.give(found),
      inputs,
      outcome,
      faults: [],
      wire: { [endpointName]: {} },
      ...(specifics.kind === 'invoke' ? {} : { standard: true }),
      ...needsOf(specifics),
      ...this.identified(specifics),
      ...documented(documentation),
      origin,
      specifics,
    })
  }

  /** The entities of which an operation gives the keys. */
  private identified(specifics: OperationSpecifics): Pick<Operation, 'identifies'> {
    const place = specifics.kind === 'invoke' ? specifics.on : specifics
    if (place === undefined) return {}
    const targets = specifics.kind === 'invoke' ? {} : (specifics.targets ?? {})
    const places = [place, ...(place.within ?? []), ...Object.values(targets)]
    const entities = [...new Set(places.map(({ entity }) => entity))]
    return { identifies: entities.map((type) => ({ type, fields: this.types.identifying(type) })) }
  }
}

/** The types that an operation is about without giving or taking them. */
function needsOf(specifics: OperationSpecifics): Pick<Operation, 'needs'> {
  if (specifics.kind !== 'count' && specifics.kind !== 'changes' && specifics.kind !== 'aggregate')
    return {}
  return { needs: [specifics.entity] }
}
