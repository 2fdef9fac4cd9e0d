import { present } from '../../contract/present.js'
import { addAll } from '../../contract/lists.js'
import type {
  Field,
  InputField,
  Operation,
  OperationGroup,
  Origin,
  Outcome,
  Type,
  TypeId,
} from '../../contract/contract.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import { pascalCase } from '../../naming/identifiers.js'
import { memberName, numberedStep } from '../../naming/methods.js'
import type { Notes } from '../notes.js'
import type { Capabilities } from './capabilities.js'
import type { Csdl, Declared } from './csdl.js'
import { documented } from './documentation.js'
import {
  aggregationInputs,
  contentInputs,
  input,
  keyInput,
  pageSize,
  queryInputs,
  text,
  trackChanges,
} from './inputs.js'
import { keyType } from './keys.js'
import {
  fieldLayout,
  type EntityLayout,
  type FieldLayout,
  type InvocationLayout,
  type OperationLayout,
  type RecordLayout,
  type ResourceLayout,
} from './layout.js'
import { dataMetadata } from './namespaces.js'
import { ResourceReader, targetOf, type Resource } from './resources.js'
import type { TypeReader } from './types.js'

/** The one endpoint of a service, in the contract. */
export const endpointName = 'service'

/**
 * Reads entity containers: sets and singletons with what can be done to them, functions and actions
 * (CSDL XML 4.01, sections 12 and 13).
 */
export class OperationReader {
  private readonly csdl: Csdl
  private readonly types: TypeReader
  private readonly notes: Notes
  private readonly found: Operation[] = []
  /** What was read of the sets and singletons. */
  readonly groups: OperationGroup[] = []
  /** Paths of operations given so far, as members of the client. */
  private readonly taken = new Set<string>()
  /** Functions and actions that an import offers. */
  private readonly byImport = new Set<XmlElement>()

  constructor(csdl: Csdl, types: TypeReader, notes: Notes) {
    this.csdl = csdl
    this.types = types
    this.notes = notes
  }

  readAll(): Operation[] {
    const reader = new ResourceReader(this.csdl, this.types, this.notes)
    const sets: Resource[] = []
    for (const container of this.csdl.all('EntityContainer')) {
      for (const part of this.withParents(container)) {
        addAll(sets, reader.read(part))
        this.readImports(part)
      }
    }
    reader.bind(sets)
    const names = new Set(sets.map(({ name }) => name))
    const resources = [...sets, ...sets.flatMap((resource) => reader.inside(resource, names))]
    for (const resource of resources) {
      this.readResource(resource)
      const { name, documentation, origin, layout } = resource
      this.groups.push({
        name,
        ...present({ documentation }),
        origin,
        holds: { type: layout.entity, many: layout.singleton !== true },
      })
    }
    this.noteLeftOut()
    this.readBound(resources)
    // Sets and singletons in the order of the metadata, each with all that is bound to it; then
    // what stands by itself.
    const positions = new Map(resources.map(({ name }, at) => [name, at]))
    const rank = ({ path }: Operation): number =>
      path.length === 1 ? resources.length : (positions.get(path[0] ?? '') ?? -1)
    return this.found.sort((a, b) => rank(a) - rank(b))
  }

  private withParents(container: Declared, within: readonly string[] = []): Declared[] {
    const { element } = container
    element.read = true
    element.attribute('Name')
    element.attribute('IsDefaultEntityContainer', dataMetadata)
    const written = element.attribute('Extends')
    const [parent] = written === undefined ? [] : this.csdl.overloads('EntityContainer', written)
    // What a document declares by itself is read there.
    return [
      container,
      ...(parent === undefined ||
      within.includes(parent.name) ||
      this.csdl.all('EntityContainer').some(({ name }) => name === parent.name)
        ? []
        : this.withParents(parent, [...within, container.name])),
    ]
  }

  private readResource(resource: Resource): void {
    const { name, layout: place, origin, capabilities } = resource
    const { entity } = place
    const singleton = place.singleton === true
    const reference: Type = { kind: 'reference', to: entity }
    const keys = this.types.keyFields(entity)
    const { media, streams = [] } = (this.types.record(entity).layout ??
      {}) as Partial<RecordLayout>
    const value = (type: Type, optional = false): Outcome & { kind: 'value' } => ({
      kind: 'value',
      field: { name: 'value', type, optional, nullable: false, origin },
    })
    const body = (to: TypeId): InputField => ({
      name: 'body',
      type: { kind: 'reference', to },
      optional: false,
      nullable: false,
      place: 'body',
      origin,
    })
    const outer = this.outerKey(place, origin)
    const key = [...outer, ...(singleton ? [] : keyInput(keys, origin))]
    const ifMatch = ifMatchInput(resource)
    const { without = [], has = [] } = capabilities.restricted ?? {}
    const shape = this.types.isEntity(entity)
      ? queryInputs(this.propertyNames(entity), this.csdl.version, origin).filter(
          (field) =>
            !without.includes(field.name) &&
            (this.csdl.isNew || field.name !== 'search' || has.includes('search')),
        )
      : []
    const partial = shape.filter((field) => ['select', 'expand', 'custom'].includes(field.name))
    const add = (
      kind: EntityLayout['kind'],
      sentence: string,
      inputs: readonly InputField[],
      outcome: Outcome,
      more: Partial<EntityLayout> = {},
      called: string = kind === 'createMedia' ? 'create' : kind,
    ): void => {
      const layout: EntityLayout = {
        kind,
        ...place,
        ...present({ restricted: capabilities.restricted }),
        ...more,
      }
      this.add(
        [name, called],
        inputs,
        outcome,
        [sentence, resource.documentation].filter((part) => part !== undefined).join('\n\n'),
        origin,
        layout,
      )
    }
    const may = (kind: keyof Capabilities): boolean => {
      if (capabilities[kind] === false) this.leftOut.push({ name: `${name}.${kind}`, origin })
      return capabilities[kind] !== false
    }
    const nothing: Outcome = { kind: 'nothing' }
    const changed = this.csdl.isNew ? partial : partial.filter((field) => field.name === 'custom')
    if (!singleton) {
      if (may('list'))
        add(
          'list',
          `Lists the entities of ${name}: all of them, page by page, or those that fit.`,
          [
            ...outer,
            ...shape,
            ...(this.csdl.isNew ? [pageSize(origin)] : []),
            ...(capabilities.changes ? [trackChanges(origin)] : []),
          ],
          { ...value({ kind: 'list', item: reference }), iterable: true },
        )
      if (keys.length > 0 && may('get'))
        add(
          'get',
          `Gets one entity of ${name} by its key.`,
          [...key, ...partial, ifNoneMatchInput(resource)],
          value(reference),
        )
      if (may('count'))
        add(
          'count',
          `Counts the entities of ${name}, or those that fit.`,
          [
            ...outer,
            ...shape.filter((field) => ['filter', 'search', 'custom'].includes(field.name)),
          ],
          value({ kind: 'scalar', base: 'int32', format: 'Edm.Int32' }),
        )
      if (capabilities.changes)
        add(
          'changes',
          `What changed in ${name} since it was listed with \`trackChanges\`.`,
          [
            ...outer,
            {
              ...input(
                'since',
                text('URL'),
                'query',
                'The address that the last page of a list, or of changes, gave as `changes`.',
                origin,
                'https://register.example/$delta',
              ),
              optional: false,
            },
          ],
          {
            ...value({ kind: 'list', item: { kind: 'anything' } }),
            iterable: true,
          },
        )
      if (capabilities.aggregate)
        add(
          'aggregate',
          `Reckons over the entities of ${name}: how many there are, sums, averages.${capabilities.promisesSums ? '' : ' The metadata does not say whether the service can.'}`,
          [...outer, ...aggregationInputs(shape, this.propertyNames(entity).names, origin)],
          value({
            kind: 'list',
            item: { kind: 'map', value: { kind: 'anything' } },
          }),
        )
      if (may('create')) {
        if (media === true)
          add(
            'createMedia',
            `Creates an entity in ${name} from the bytes that it stands for; its properties are changed afterwards.`,
            [
              ...outer,
              ...contentInputs(origin),
              input(
                'slug',
                text('Slug'),
                'header',
                'What it is to be called, for services that make something of that.',
                origin,
                'photo',
              ),
            ],
            value(reference),
            { media },
          )
        // Gateways of version 2 also take such entities like others, and the bytes later.
        if (media === true && !this.csdl.isNew)
          add(
            'create',
            `Creates an entity in ${name} without the bytes that it stands for; they are uploaded afterwards.`,
            [...outer, body(this.types.newShape(entity))],
            value(reference),
            {},
            'createWithoutContent',
          )
        if (media !== true)
          add(
            'create',
            `Creates an entity in ${name} and gives it back as the service made it.`,
            [...outer, body(this.types.newShape(entity))],
            value(reference),
          )
      }
    } else if (may('get'))
      add(
        'get',
        `Gets ${name}.`,
        [...outer, ...partial, ifNoneMatchInput(resource)],
        value(reference),
      )
    if (!singleton && keys.length === 0) return
    if (may('update'))
      add(
        'update',
        singleton
          ? `Changes some properties of ${name}.`
          : `Changes some properties of an entity of ${name}; what is not named stays.`,
        [...key, body(this.types.changesShape(entity)), ifMatch, ...changed],
        value(reference, true),
      )
    if (media === true || streams.length > 0) {
      const which =
        streams.length === 0
          ? []
          : [
              {
                ...input(
                  'stream',
                  {
                    kind: 'enumeration',
                    members: streams.map((each) => ({ value: each, origin })),
                    base: { kind: 'scalar', base: 'text', format: 'property name' },
                  },
                  'path',
                  media === true
                    ? 'Which stream; without it, the bytes that the entity stands for.'
                    : 'Which stream.',
                  origin,
                  streams[0],
                ),
                optional: media === true || streams.length === 1,
              },
            ]
      const more = {
        ...(media === true ? { media } : {}),
        ...(streams.length === 0 ? {} : { streams }),
      }
      const bytes: Type = { kind: 'scalar', base: 'bytes', format: 'Edm.Stream' }
      add(
        'download',
        `The bytes ${media === true ? 'that an entity of' : 'of a stream of an entity of'} ${name}${media === true ? ' stands for' : ''}; null when there are none.`,
        [...key, ...which],
        {
          kind: 'value',
          field: { name: 'value', type: bytes, optional: false, nullable: true, origin },
        },
        more,
      )
      if (may('update'))
        add(
          'upload',
          `Puts bytes in the place of those of an entity of ${name}.`,
          [...key, ...which, ...contentInputs(origin), ifMatch],
          nothing,
          more,
        )
    }
    if (!singleton && may('replace'))
      add(
        'replace',
        `Replaces an entity of ${name}: what is not given gets its default.`,
        [...key, body(this.types.newShape(entity)), ifMatch, ...changed],
        value(reference, true),
      )
    if (!singleton && this.csdl.isNew && may('upsert'))
      add(
        'upsert',
        `Changes an entity of ${name}, or creates it under this key when there is none.`,
        [...key, body(this.types.newShape(entity)), ifMatch, ...changed],
        value(reference, true),
      )
    if (!singleton && may('delete'))
      add('delete', `Deletes an entity of ${name}.`, [...key, ifMatch], nothing)
    if (may('update')) this.readLinks(name, entity, key, nothing, origin, add)
  }

  private readonly leftOut: { readonly name: string; readonly origin: Origin }[] = []
  /** The paths of operations that the service says it does not offer. */
  get notOffered(): string[] {
    return [...new Set(this.leftOut.map(({ name }) => name))]
  }

  private noteLeftOut(): void {
    const names = this.notOffered
    const [first] = this.leftOut
    if (first === undefined) return
    const shown =
      names.length <= 12
        ? names.join(', ')
        : `${names.slice(0, 12).join(', ')} and ${names.length - 12} more`
    this.notes.add('ignored', 'TM-2412', { operations: shown }, first.origin)
  }

  /** Links to entities that are there: one operation that makes them, one that takes them away. */
  private readLinks(
    name: string,
    entity: TypeId,
    key: readonly InputField[],
    nothing: Outcome,
    origin: Origin,
    add: (
      kind: EntityLayout['kind'],
      sentence: string,
      inputs: readonly InputField[],
      outcome: Outcome,
      more?: Partial<EntityLayout>,
    ) => void,
  ): void {
    const links = this.types.allFields(entity).flatMap((field) => {
      const { navigation } = fieldLayout(field)
      const target = targetOf(field)
      if (navigation?.set === undefined || target === undefined) return []
      const given = ['key', 'of', 'ifMatch'].includes(field.name) ? `${field.name}_` : field.name
      return [{ given, field, navigation, target, many: field.type.kind === 'list' }]
    })
    if (links.length === 0) return
    const targets = Object.fromEntries(
      links.map(({ given, field, navigation, target, many }) => [
        given,
        {
          ...(given === field.name ? {} : { name: field.name }),
          set: navigation.set ?? '',
          entity: target,
          ...(many ? { many: true as const } : {}),
        },
      ]),
    )
    const targetKey = (target: TypeId): Type => keyType(this.types.keyFields(target))
    const choose = (field: (typeof links)[number], type: Type): InputField => ({
      name: field.given,
      type,
      optional: true,
      nullable: false,
      place: 'path',
      documentation: `The key of an entity of ${field.navigation.set ?? ''}.`,
      origin,
    })
    add(
      'link',
      `Links an entity of ${name} to another one that is there: exactly one of the inputs besides the key says which.`,
      [...key, ...links.map((each) => choose(each, targetKey(each.target)))],
      nothing,
      { targets },
    )
    const loose = links.filter(({ field }) => field.relation?.multiplicity !== '1')
    if (loose.length === 0) return
    const yes: Type = { kind: 'literal', value: true }
    add(
      'unlink',
      `Takes a link of an entity of ${name} away; the entities stay.`,
      [
        ...key,
        ...loose.map((each) => ({
          ...choose(each, each.many ? targetKey(each.target) : yes),
          ...(each.many ? {} : { documentation: 'The one that there is.' }),
        })),
      ],
      nothing,
      {
        targets: Object.fromEntries(
          loose.map(({ given }) => [
            given,
            targets[given] as NonNullable<EntityLayout['targets']>[string],
          ]),
        ),
      },
    )
  }

  /** The key of what a resource lies in: the plain one, or keys by the names of several. */
  private outerKey({ within = [] }: ResourceLayout, origin: Origin): InputField[] {
    const steps = within.filter(({ singleton }) => singleton !== true)
    const [only, ...others] = steps
    if (only === undefined) return []
    const type: Type =
      others.length === 0
        ? keyType(this.types.keyFields(only.entity))
        : {
            kind: 'record',
            fields: steps.map((step) => ({
              name: step.path,
              type: keyType(this.types.keyFields(step.entity)),
              optional: false,
              nullable: false,
              origin,
            })),
          }
    return [
      {
        name: 'of',
        type,
        optional: false,
        nullable: false,
        place: 'path',
        documentation: `The key of the entity${others.length === 0 ? '' : ' at each step'} that it lies in.`,
        origin,
      },
    ]
  }

  private propertyNames(entity: TypeId): { names: string[]; navigations: string[] } {
    const chain = this.types.allFields(entity)
    const names = chain
      .filter((field) => fieldLayout(field).navigation === undefined && !field.name.startsWith('$'))
      .map((field) => field.name)
    return {
      names,
      navigations: chain
        .filter((field) => fieldLayout(field).navigation !== undefined)
        .map((field) => field.name),
    }
  }

  private readImports({ name: container, element }: Declared): void {
    for (const each of element.take(element.namespace, 'FunctionImport')) {
      const name = each.attribute('Name') ?? ''
      each.attribute('IncludeInServiceDocument')
      each.attribute('EntitySetPath')
      const documentation = this.csdl.documentation(each, `${container}/${name}`)
      const written = each.attribute('Function')
      each.attribute('EntitySet')
      if (written === undefined) this.readFunctionImport2(each, name, documentation)
      else
        for (const overload of this.imported('Function', written, each))
          this.readInvocation(overload, [name], { call: name, documentation, origin: each.origin })
    }
    for (const each of element.take(element.namespace, 'ActionImport')) {
      const name = each.attribute('Name') ?? ''
      each.attribute('EntitySet')
      const documentation = this.csdl.documentation(each, `${container}/${name}`)
      for (const overload of this.imported('Action', each.attribute('Action') ?? '', each))
        this.readInvocation(overload, [name], { call: name, documentation, origin: each.origin })
    }
  }

  /** What an import offers: the overloads that are bound to nothing. */
  private imported(local: 'Function' | 'Action', written: string, at: XmlElement): Declared[] {
    const found = unbound(this.csdl.overloads(local, written))
    for (const { element } of found) this.byImport.add(element)
    if (found.length === 0)
      this.leaveOut(
        at,
        `The import "${at.attribute('Name') ?? ''}"`,
        `no document declares "${written}"`,
      )
    return found
  }

  private leaveOut(element: XmlElement, what: string, reason: string): void {
    this.notes.add('ignored', 'TM-2407', { what, reason }, element.origin)
    element.readWhole()
  }

  /** Of version 2: its parameters stand behind the question mark (CSDL 2, section 2.1.20). */
  private readFunctionImport2(
    element: XmlElement,
    name: string,
    documentation: string | undefined,
  ): void {
    const method = (element.attribute('HttpMethod', dataMetadata) ?? 'GET').toUpperCase()
    for (const attribute of ['IsSideEffecting', 'IsComposable']) element.attribute(attribute)
    if (element.attribute('IsBindable') === 'true') {
      this.notes.add(
        'refused',
        'TM-2407',
        {
          what: `The function import "${name}"`,
          reason: 'it is bound to its first parameter, as only version 3 has it',
        },
        element.origin,
      )
      element.readWhole()
      return
    }
    const inputs = element.take(element.namespace, 'Parameter').map((each) => {
      each.attribute('Mode')
      return this.parameter(each, name)
    })
    const returned = element.attribute('ReturnType')
    const outcome = this.outcome(element, returned, name)
    if (method !== 'GET' && method !== 'POST') {
      this.notes.add(
        'refused',
        'TM-2407',
        { what: `The function import "${name}"`, reason: `its method is ${method}` },
        element.origin,
      )
      return
    }
    this.add([name], inputs, outcome, documentation, element.origin, {
      kind: 'invoke',
      call: name,
      method,
      passing: 'query',
    })
  }

  private readBound(resources: readonly Resource[]): void {
    for (const local of ['Action', 'Function'] as const) {
      for (const declared of inOrder(this.csdl.all(local))) {
        const { element } = declared
        if (!isBound(element)) {
          // Imports were read before: what none of them names can't be called (section 12.6).
          if (!this.byImport.has(element))
            this.leaveOut(
              element,
              `The ${local.toLowerCase()} "${declared.name}"`,
              'no import offers it',
            )
          continue
        }
        element.read = true
        const [binding] = element.children.filter((child) => child.local === 'Parameter')
        const written = binding?.attributes.find((each) => each.local === 'Type')?.value ?? ''
        const item = /^Collection\((.*)\)$/.exec(written)?.[1]
        const type = this.csdl.hasType(item ?? written)
          ? this.csdl.type(item ?? written, element).name
          : undefined
        if (type === undefined || !this.types.isEntity(type)) {
          this.notes.add(
            'refused',
            'TM-2407',
            {
              what: `The ${local.toLowerCase()} "${declared.name}"`,
              reason: 'it is bound to something that is no entity',
            },
            element.origin,
          )
          element.readWhole()
          continue
        }
        const places = resources.filter(
          ({ layout: { entity, singleton } }) =>
            (this.types.extends(entity, type) || this.types.extends(type, entity)) &&
            !(singleton === true && item !== undefined),
        )
        for (const resource of places) {
          const cast = this.types.extends(resource.layout.entity, type) ? undefined : type
          this.readInvocation(declared, [resource.name, element.attribute('Name') ?? ''], {
            call: declared.name,
            documentation: undefined,
            origin: element.origin,
            on: { resource, many: item !== undefined, cast },
          })
        }
        if (places.length === 0) {
          this.leaveOut(
            element,
            `The ${local.toLowerCase()} "${declared.name}"`,
            'no set has entities that it is bound to',
          )
        }
      }
    }
  }

  private readInvocation(
    declared: Declared,
    path: readonly string[],
    facts: {
      call: string
      documentation: string | undefined
      origin: Origin
      on?: { resource: Resource; many: boolean; cast: TypeId | undefined }
    },
  ): void {
    const { element, name } = declared
    const { on } = facts
    const isFunction = element.local === 'Function'
    element.read = true
    for (const attribute of ['Name', 'IsBound', 'IsComposable', 'EntitySetPath'])
      element.attribute(attribute)
    const parameters = element.take(element.namespace, 'Parameter')
    if (on !== undefined) parameters.shift()?.readWhole()
    const inputs = parameters.map((each) => this.parameter(each, name))
    const [returns] = element.take(element.namespace, 'ReturnType')
    const outcome = this.outcome(returns ?? element, returns?.attribute('Type'), name)
    const place = on?.resource.layout
    const key =
      on === undefined || place === undefined || on.many || place.singleton === true
        ? []
        : keyInput(this.types.keyFields(place.entity), facts.origin)
    if (
      on !== undefined &&
      place !== undefined &&
      !on.many &&
      place.singleton !== true &&
      key.length === 0
    ) {
      this.notes.add(
        'refused',
        'TM-2407',
        {
          what: `The ${element.local.toLowerCase()} "${name}" at "${on.resource.name}"`,
          reason: 'its entities have no key that can be written',
        },
        element.origin,
      )
      return
    }
    const entity = isFunction ? returnedEntities(outcome) : undefined
    const asked =
      entity === undefined || !this.types.isEntity(entity)
        ? []
        : this.askedOfRows(entity, inputs, facts.origin)
    const layout: InvocationLayout = {
      kind: 'invoke',
      call: facts.call,
      method: isFunction ? 'GET' : 'POST',
      passing: isFunction ? 'inline' : 'body',
      ...(entity === undefined || asked.length === 0
        ? {}
        : { asks: { entity, options: asked.map((field) => field.name) } }),
      ...(on === undefined || place === undefined
        ? {}
        : {
            on: {
              ...place,
              ...(on.many ? { many: true as const } : {}),
              ...present({ cast: on.cast }),
            },
          }),
    }
    const outer = place === undefined ? [] : this.outerKey(place, facts.origin)
    // What happens to one entity may be meant for one version of it.
    const guards = on === undefined || on.many ? [] : [ifMatchInput(on.resource)]
    // A parameter may be called like our own words for keys.
    const apart = inputs.map((each) =>
      [...outer, ...key, ...guards].some(({ name: own }) => own === each.name)
        ? {
            ...each,
            name: `${each.name}_`,
            layout: { ...fieldLayout(each), wire: each.name } satisfies FieldLayout,
          }
        : each,
    )
    this.add(
      path,
      [...outer, ...key, ...apart, ...guards, ...asked],
      outcome,
      facts.documentation ?? this.csdl.documentation(element, name),
      facts.origin,
      layout,
    )
  }

  /**
   * What a query can ask of the entities that a function returns (Protocol, section 11.5.4.1): what
   * it calls one of its own parameters is that parameter. There is no place for a count.
   */
  private askedOfRows(
    entity: TypeId,
    parameters: readonly InputField[],
    origin: Origin,
  ): InputField[] {
    const taken = new Set(['count', ...parameters.map((field) => field.name)])
    return queryInputs(this.propertyNames(entity), this.csdl.version, origin).filter(
      (field) => !taken.has(field.name),
    )
  }

  private parameter(element: XmlElement, operation: string): InputField {
    const name = element.attribute('Name') ?? ''
    const path = `${operation}/${name}`
    const { type, nullable } = this.types.placed(element, element.attribute('Type'), path)
    const optional =
      this.csdl.annotation(element, path, 'Org.OData.Core.V1.OptionalParameter') !== undefined
    return {
      name,
      type,
      optional: optional || nullable,
      nullable,
      place: 'body',
      ...documented(this.csdl.documentation(element, path)),
      origin: element.origin,
      // Who does not say it says null: the overload is told by all its parameters.
      ...(nullable && !optional ? { layout: { always: true } satisfies FieldLayout } : {}),
    }
  }

  private outcome(element: XmlElement, written: string | undefined, name: string): Outcome {
    const { origin } = element
    if (written === undefined) return { kind: 'nothing' }
    const { type, nullable } = this.types.placed(element, written, name)
    // Version 2 does not say whether it may be null, and version 4 says so for most.
    const field: Field = {
      name: 'value',
      type,
      optional: false,
      nullable: nullable && type.kind !== 'list' && this.csdl.isNew,
      origin,
    }
    return { kind: 'value', field }
  }

  private add(
    path: readonly string[],
    inputs: readonly InputField[],
    outcome: Outcome,
    documentation: string | undefined,
    origin: Origin,
    layout: OperationLayout,
  ): void {
    const given = this.free(path, inputs, origin, layout)
    const standard = layout.kind === 'invoke' ? {} : { standard: true as const }
    const needs =
      layout.kind === 'count' || layout.kind === 'changes' || layout.kind === 'aggregate'
        ? { needs: [layout.entity] }
        : {}
    this.found.push({
      path: given,
      inputs,
      outcome,
      faults: [],
      wire: { [endpointName]: {} },
      ...standard,
      ...needs,
      ...this.identified(layout),
      ...documented(documentation),
      origin,
      layout,
    })
  }

  /** The entities of which an operation gives the keys. */
  private identified(layout: OperationLayout): Pick<Operation, 'identifies'> {
    const place = layout.kind === 'invoke' ? layout.on : layout
    if (place === undefined) return {}
    const targets =
      layout.kind === 'invoke'
        ? []
        : Object.values(layout.targets ?? {}).map(({ entity }) => entity)
    const entities = [
      ...new Set([place.entity, ...(place.within ?? []).map(({ entity }) => entity), ...targets]),
    ]
    return { identifies: entities.map((type) => ({ type, fields: this.types.identifying(type) })) }
  }

  /**
   * The path itself; an overload is told by its parameters, and what is called like one of our own
   * operations gets a trailing `_`.
   */
  private free(
    path: readonly string[],
    inputs: readonly InputField[],
    origin: Origin,
    layout: OperationLayout,
  ): readonly string[] {
    const asMember = (candidate: readonly string[]): string =>
      [...candidate.slice(0, -1), memberName(candidate.at(-1) ?? '')].join('.')
    const isFree = (candidate: readonly string[]): boolean => !this.taken.has(asMember(candidate))
    const take = (candidate: readonly string[]): readonly string[] => {
      this.taken.add(asMember(candidate))
      return candidate
    }
    if (isFree(path)) return take(path)
    const last = path.at(-1) ?? ''
    const own = [
      'list',
      'get',
      'count',
      'create',
      'update',
      'replace',
      'upsert',
      'delete',
      'changes',
      'aggregate',
      'download',
      'upload',
      'link',
      'unlink',
    ]
    if (
      layout.kind === 'invoke' &&
      path.length > 1 &&
      own.includes(memberName(last)) &&
      isFree([...path.slice(0, -1), `${last}_`])
    )
      return take([...path.slice(0, -1), `${last}_`])
    const parameters = inputs.filter((each) => each.place === 'body').map((each) => each.name)
    const beside = (step: string): readonly string[] => [...path.slice(0, -1), step]
    const telling = beside(
      `${last}${parameters.length === 0 ? 'Plain' : `By${parameters.map(pascalCase).join('And')}`}`,
    )
    const candidate = isFree(telling)
      ? telling
      : beside(numberedStep(last, (step) => isFree(beside(step))))
    this.notes.add(
      'approximated',
      'TM-2409',
      {
        name: path.join('.'),
        parameters: parameters.join(', ') || 'no parameters',
        given: candidate.join('.'),
      },
      origin,
    )
    return take(candidate)
  }
}

/** The type of the entities that are returned as a list. */
function returnedEntities(outcome: Outcome): TypeId | undefined {
  if (outcome.kind !== 'value' || outcome.field.type.kind !== 'list') return undefined
  const { item } = outcome.field.type
  return item.kind === 'reference' ? item.to : undefined
}

function unbound(overloads: readonly Declared[]): Declared[] {
  return inOrder(overloads.filter(({ element }) => !isBound(element)))
}

/**
 * Overloads in an order that does not depend on the document: by name and parameters. The first one
 * keeps the plain name.
 */
function inOrder(overloads: readonly Declared[]): Declared[] {
  const key = ({ name, element }: Declared): string =>
    [
      name,
      ...element.children
        .filter((child) => child.local === 'Parameter')
        .map((child) => child.attributes.find(({ local }) => local === 'Name')?.value ?? ''),
    ].join(' ')
  return [...overloads].sort((a, b) => {
    if (key(a) < key(b)) return -1
    if (key(a) > key(b)) return 1
    return 0
  })
}

function isBound(element: XmlElement): boolean {
  return element.attribute('IsBound') === 'true'
}

/** The input that asks for an entity only where it is another version (RFC 9110, section 13.1.2). */
function ifNoneMatchInput({ origin }: Resource): InputField {
  return input(
    'ifNoneMatch',
    text('entity tag'),
    'header',
    'Only if the entity has not this ETag any more; else nothing comes (304).',
    origin,
    'W/"1"',
  )
}

/** The input that says for which version of an entity a request is meant. */
function ifMatchInput({ guarded, origin }: Resource): InputField {
  const insists = guarded ? ' The service guards against lost changes, and may insist on it.' : ''
  return input(
    'ifMatch',
    text('entity tag'),
    'header',
    `Only if the entity still has this ETag; \`*\` for any.${insists}`,
    origin,
    '*',
  )
}
