import { setOwn } from '../../../runtime/plain.js'
import type { TypeId } from '../../../contract/contract.js'
import type { Violation } from '../../../runtime/failures.js'
import { exactJson } from '../../../runtime/json/exact-json.js'
import { isObject } from '../../../runtime/json/values.js'
import { Reference } from '../../../runtime/odata/addresses.js'
import { checkStructure } from '../../../runtime/odata/checking.js'
import {
  keyProperty,
  keysOf,
  membersOf,
  type AnyProperty,
  type Purpose,
  type Reading,
  type AnyStructure,
  structureOf,
} from '../../../runtime/odata/model.js'
import { topLevel } from '../../../runtime/odata/query.js'
import { readProperty, readStructure } from '../../../runtime/odata/structure.js'
import type { PlayRequest } from '../../dialect.js'
import { NumberValue, parseLiteral, type Value } from './expression.js'
import type { ServiceSide } from './protocol-side.js'

/** Something that can't be answered, with the status that says so. */
export class Refusal extends Error {
  readonly status: number

  constructor(status: number, message: string) {
    super(message)
    this.status = status
  }
}

/** An entity that is there, as a body names it: its set and its key, read and found right. */
export class BoundKey extends Reference {
  readonly set: string
  readonly key: unknown

  constructor(set: string, key: unknown) {
    super('')
    this.set = set
    this.key = key
  }
}

/** Reads keys, literals and bodies as a service does: what does not fit is refused. */
export class RequestReader {
  private readonly side: ServiceSide
  /** The entity type of a set. */
  private readonly entityOf: (set: string) => TypeId | undefined
  private readonly structureOf: (id: TypeId) => AnyStructure

  constructor(
    side: ServiceSide,
    structureOf: (id: TypeId) => AnyStructure,
    entityOf: (set: string) => TypeId | undefined,
  ) {
    this.side = side
    this.structureOf = structureOf
    this.entityOf = entityOf
  }

  /** The type of a set's entities. */
  entityType(set: string): TypeId | undefined {
    return this.entityOf(set)
  }

  key(entity: TypeId, text: string): unknown {
    const structure = this.structureOf(entity)
    const names = keysOf(structure)
    const parts = topLevel(text)
    const [only] = names
    const value = (name: string, literal: string): unknown =>
      this.value(
        { ...(keyProperty(structure, name) as AnyProperty), nullable: false },
        parseLiteral(literal.trim()),
        name,
      )
    if (only !== undefined && names.length === 1 && parts.length === 1)
      return value(only, text.replace(new RegExp(`^\\s*${only}=`), ''))
    const given = new Map(
      parts.map((part) => [part.split('=')[0]?.trim() ?? '', part.slice(part.indexOf('=') + 1)]),
    )
    const missing = names.find((name) => !given.has(name))
    if (missing !== undefined || given.size !== names.length)
      throw new Refusal(400, `The key of ${structure.type} is ${names.join(', ')}.`)
    return Object.fromEntries(names.map((name) => [name, value(name, given.get(name) ?? '')]))
  }

  /** A literal as a value of the client. */
  value(property: AnyProperty, literal: Value, path: string): unknown {
    const json = literal instanceof NumberValue ? numberInJson(literal) : literal
    return readProperty(
      property,
      Array.isArray(json) ? json.join(',') : json,
      path,
      this.reading(() => undefined),
    )
  }

  reading(onDeviation: (deviation: Violation) => void): Reading {
    return { wire: this.side.protocol, partial: true, onDeviation }
  }

  body(request: PlayRequest): unknown {
    if (request.body.length === 0) return undefined
    if (!/[/+]json/i.test(request.headers['content-type'] ?? ''))
      throw new Refusal(
        415,
        `The body is to be JSON, not "${request.headers['content-type'] ?? ''}".`,
      )
    return exactJson(new TextDecoder().decode(request.body))
  }

  /**
   * The entity in a body; what does not fit what it is sent for is refused. What is bound stands in
   * it as `{ $bind: key }`.
   */
  entity(request: PlayRequest, structure: AnyStructure, purpose: Purpose): Record<string, unknown> {
    const violations: Violation[] = []
    const { json, bound } = this.bindings(this.body(request) ?? {}, structure)
    const value = readStructure(
      structure,
      json,
      'body',
      this.reading((deviation) => violations.push(deviation)),
    )
    for (const [name, keys] of bound) {
      const all = keys.map(($bind) => ({ $bind }))
      value[name] =
        membersOf(structure)[name]?.many === true
          ? [...((value[name] ?? []) as unknown[]), ...all]
          : all[0]
    }
    checkStructure(structure, value, 'body', purpose, violations, this.side.protocol.deepUpdates)
    if (violations.length > 0)
      throw new Refusal(
        400,
        violations.map(({ path, message }) => `${path}: ${message}`).join('; '),
      )
    return value
  }

  /** The key in the address of an entity: `Owners(7)`, absolute or below the service root. */
  addressed(address: string): { readonly set: string; readonly key: unknown } {
    const [, set = '', brackets = ''] =
      /(?:^|\/)([^/(]+)\((.*)\)$/s.exec(decodeURIComponent(address)) ?? []
    const entity = this.entityOf(set)
    if (entity === undefined) throw new Refusal(400, `"${address}" is the address of no entity.`)
    return { set, key: this.key(entity, brackets) }
  }

  /**
   * A body without what it binds (JSON Format, section 8.5; in version 2 by the address in the
   * metadata of an entity).
   */
  private bindings(
    json: unknown,
    structure: AnyStructure,
  ): { json: unknown; bound: Map<string, unknown[]> } {
    const bound = new Map<string, unknown[]>()
    if (!isObject(json)) return { json, bound }
    const rest: Record<string, unknown> = {}
    const members = membersOf(structure)
    const bind = (name: string, addresses: readonly unknown[]): void => {
      const property = members[name]
      if (property?.navigation !== true)
        throw new Refusal(400, `"${structure.type}" has no navigation property "${name}".`)
      const target = structureOf(property)
      bound.set(
        name,
        addresses.map((each) => {
          const { set, key } = this.addressed(String(each as string))
          if (this.entityOf(set) !== target.type)
            throw new Refusal(
              400,
              `"${name}" leads to entities of ${target.type}, and "${String(each as string)}" is none.`,
            )
          return new BoundKey(set, key)
        }),
      )
    }
    for (const [name, value] of Object.entries(json)) {
      const [, before] = /^(.+)@(?:odata\.)?bind$/.exec(name) ?? []
      if (before !== undefined) bind(before, [value].flat())
      else if (!this.side.isNew && members[name]?.navigation === true) {
        const isLink = (each: unknown): boolean =>
          isObject(each) && Object.keys(each).join() === '__metadata'
        const all = [isObject(value) && 'results' in value ? value['results'] : value].flat()
        if (all.some(isLink))
          bind(
            name,
            all
              .filter(isLink)
              .map(
                (each) =>
                  ((each as Record<string, Record<string, unknown>>)['__metadata'] ?? {})['uri'],
              ),
          )
        const others = all.filter((each) => !isLink(each))
        if (others.length > 0) setOwn(rest, name, members[name]?.many === true ? others : others[0])
      } else {
        if (JSON.stringify(value)?.includes('@odata.bind"') === true)
          throw new Refusal(
            501,
            `Binding inside of what comes along ("${name}") is not played here.`,
          )
        setOwn(rest, name, value)
      }
    }
    return { json: rest, bound }
  }
}

function numberInJson({ digits }: NumberValue): unknown {
  return /^-?\d{1,15}$/.test(digits) ? Number(digits) : exactJson(digits)
}
