import type { Field, Origin, TypeId } from '../../contract/contract.js'
import { addTo } from '../../contract/lists.js'
import { marked } from '../../contract/present.js'
import type { Problem } from '../../contract/problem.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import { pascalCase } from '../../naming/identifiers.js'
import type { Notes } from '../notes.js'
import { readCapabilities, unrestricted, type Capabilities } from './capabilities.js'
import type { Csdl, Declared } from './csdl.js'
import { fieldSpecifics, type ResourceSpecifics } from './specifics.js'
import type { TypeReader } from './types.js'
import { verbs } from './verbs.js'

/** An entity set, a singleton, or what lies inside entities. */
export interface Resource {
  /** What it is called in the client. */
  readonly name: string
  readonly specifics: ResourceSpecifics
  readonly documentation: string | undefined
  readonly origin: Origin
  readonly capabilities: Capabilities
  /** The service guards its entities against changes that were lost. */
  readonly guarded: boolean
}

interface Placed {
  readonly sets: ReadonlySet<string>
  readonly byEntity: ReadonlyMap<TypeId, readonly Resource[]>
  readonly byKind: ReadonlyMap<TypeId, readonly Resource[]>
}

/** Entities inside entities are followed so deep. */
const deepest = 3
/** So many are followed. */
const mostInside = 2000

/**
 * Reads what an entity container has, and what lies inside of that (CSDL XML 4.01, sections 8.4 and
 * 13.2 to 13.4).
 */
export class ResourceReader {
  private readonly csdl: Csdl
  private readonly types: TypeReader
  private readonly notes: Notes
  /** Targets of navigation properties: by set and path, or by association and role. */
  private readonly bindings = new Map<string, string>()
  private insides = 0

  constructor(csdl: Csdl, types: TypeReader, notes: Notes) {
    this.csdl = csdl
    this.types = types
    this.notes = notes
  }

  /** The sets and singletons of a container. */
  read(container: Declared): Resource[] {
    const { name: containerName, element } = container
    const read = (each: XmlElement, typeAttribute: string): Resource => {
      const name = each.attribute('Name') ?? ''
      for (const attribute of ['IncludeInServiceDocument', 'Nullable']) each.attribute(attribute)
      const path = `${containerName}/${name}`
      const entity = this.csdl.structuredType(each.attribute(typeAttribute) ?? '', each).name
      for (const binding of each.take(each.namespace, 'NavigationPropertyBinding'))
        this.bindings.set(
          `${name}/${withoutTypes(binding.attribute('Path') ?? '')}`,
          binding.attribute('Target') ?? '',
        )
      const capabilities = readCapabilities(
        this.csdl,
        each,
        path,
        container,
        this.types.propertyElements(entity),
      )
      const documentation =
        this.csdl.documentation(each, path) ?? this.types.record(entity).documentation
      const guarded =
        this.csdl.annotation(each, path, 'Org.OData.Core.V1.OptimisticConcurrency') !== undefined ||
        this.types
          .propertyElements(entity)
          .some((property) => property.attribute('ConcurrencyMode') === 'Fixed')
      return {
        name,
        guarded,
        specifics: {
          path: name,
          entity,
          ...marked({ singleton: typeAttribute === 'Type' }),
        },
        documentation,
        origin: each.origin,
        capabilities,
      }
    }
    const orTell =
      (typeAttribute: string) =>
      (each: XmlElement): Resource[] =>
        this.csdl.broken.attempt(
          () => [read(each, typeAttribute)],
          (reason) => this.leaveOut(each, reason),
        )
    for (const each of element.take(element.namespace, 'AssociationSet'))
      this.readAssociationSet(each)
    return [
      ...element.take(element.namespace, 'EntitySet').flatMap(orTell('EntityType')),
      ...element.take(element.namespace, 'Singleton').flatMap(orTell('Type')),
    ]
  }

  /** Tells of everything that can be done with a set that it is broken. */
  private leaveOut(element: XmlElement, reason: Problem): Resource[] {
    const name = element.attribute('Name') ?? ''
    element.readWhole()
    for (const { kind, called } of verbs)
      this.csdl.broken.addOperation(
        { path: [name, called ?? kind], origin: element.origin },
        reason,
      )
    return []
  }

  /** The sets at the ends of an association (CSDL 2, section 2.1.18). */
  private readAssociationSet(element: XmlElement): void {
    const [association] = this.csdl.overloads(
      'Association',
      element.children.length > 0 ? (element.attribute('Association') ?? '') : '',
    )
    for (const end of element.take(element.namespace, 'End'))
      this.bindings.set(
        `${association?.name ?? ''} ${end.attribute('Role') ?? ''}`,
        end.attribute('EntitySet') ?? '',
      )
    element.readWhole()
  }

  /** Tells navigation properties which of these sets their entities are in. */
  bind(resources: readonly Resource[]): void {
    const placed = this.index(resources)
    this.types.bindNavigations((field, holder) => this.setOf(field, holder, placed))
  }

  /**
   * Resources by what is asked of them: by name, by the type of their entities, and by every type
   * that those extend.
   */
  private index(resources: readonly Resource[]): Placed {
    const of = (
      keys: (resource: Resource) => readonly string[],
    ): ReadonlyMap<string, readonly Resource[]> => {
      const found = new Map<string, Resource[]>()
      for (const resource of resources)
        for (const key of keys(resource)) addTo(found, key, resource)
      return found
    }
    const isSet = ({ specifics }: Resource): boolean => specifics.singleton !== true
    return {
      sets: new Set(resources.filter(isSet).map(({ name }) => name)),
      byEntity: of((each) => (isSet(each) ? [each.specifics.entity] : [])),
      byKind: of((each) => this.types.chain(each.specifics.entity)),
    }
  }

  /**
   * The set that a navigation property leads to: what is bound to it, else the only set of entities
   * of its type.
   */
  private setOf(
    field: Field,
    holder: TypeId,
    { sets, byEntity, byKind }: Placed,
  ): string | undefined {
    const { navigation } = fieldSpecifics(field)
    const target = targetOf(field)
    if (
      navigation === undefined ||
      field.relation?.contained === true ||
      target === undefined ||
      this.types.keyFields(target).length === 0
    )
      return undefined
    const bound =
      navigation.association === undefined
        ? (byKind.get(holder) ?? []).map(({ name }) => this.bindings.get(`${name}/${field.name}`))
        : [this.bindings.get(`${navigation.association} ${navigation.role ?? ''}`)]
    const named = bound
      .filter((each) => each !== undefined)
      .map((each) => each.split(/[/.]/).pop() ?? '')
      .find((each) => sets.has(each))
    const [only, ...others] = byEntity.get(target) ?? []
    return named ?? (others.length === 0 ? only?.name : undefined)
  }

  /** What lies inside the entities of a resource and has no set of its own. */
  inside(outer: Resource, names: ReadonlySet<string>): Resource[] {
    const { specifics } = outer
    const within = [
      ...(specifics.within ?? []),
      {
        path: specifics.path,
        entity: specifics.entity,
        ...(specifics.singleton === true ? { singleton: specifics.singleton } : {}),
      },
    ]
    if (specifics.singleton !== true && this.types.keyFields(specifics.entity).length === 0)
      return []
    return this.types.allFields(specifics.entity).flatMap((field): Resource[] => {
      const entity = targetOf(field)
      if (field.relation?.contained !== true || entity === undefined) return []
      const chain = within.map((step) => step.entity)
      if (chain.includes(entity) || within.length >= deepest || this.insides >= mostInside) {
        this.notes.add(
          'approximated',
          'TM-2408',
          {
            what: `"${outer.name}/${field.name}", whose entities lie inside entities of their own kind,`,
            as: 'what can be expanded',
            reason:
              this.insides >= mostInside
                ? `there are more than ${String(mostInside)} of their kind`
                : 'there is no end to their addresses',
          },
          field.origin,
        )
        return []
      }
      this.insides += 1
      let name = outer.name + pascalCase(field.name)
      while (names.has(name)) name += '_'
      const made: Resource = {
        name,
        guarded: false,
        specifics: {
          path: field.name,
          entity,
          within,
          ...(field.type.kind === 'list' ? {} : { singleton: true as const }),
        },
        documentation: field.documentation ?? this.types.record(entity).documentation,
        origin: field.origin,
        capabilities: unrestricted,
      }
      return [made, ...this.inside(made, names)]
    })
  }
}

/** The type that a navigation property leads to. */
export function targetOf(field: Field): TypeId | undefined {
  const type = field.type.kind === 'list' ? field.type.item : field.type
  return type.kind === 'reference' ? type.to : undefined
}

/** A path without the types that it is cast to on the way. */
function withoutTypes(path: string): string {
  return path
    .split('/')
    .filter((step) => !step.includes('.'))
    .join('/')
}
