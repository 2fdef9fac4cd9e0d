import { isPlainObject } from '../../contract/plain.js'
import { typesOf, type Schema } from '../join-schemas.js'
import { inside, keyOf, listIn, type Description, type DescribedPlace } from './description.js'

/** Tells which schemas allow null, with all that they refer to. */
export class AllowedNulls {
  private readonly description: Description
  /** What is known; true while it is asked, for what refers to itself. */
  private readonly known = new Map<string, boolean>()

  constructor(description: Description) {
    this.description = description
  }

  allowed(place: DescribedPlace): boolean {
    const key = keyOf(place)
    const known = this.known.get(key)
    if (known !== undefined) return known
    this.known.set(key, true)
    const isAllowed = this.ask(place, this.description.at(place))
    this.known.set(key, isAllowed)
    return isAllowed
  }

  private ask(place: DescribedPlace, schema: unknown): boolean {
    if (!isPlainObject(schema)) return true
    if (schema['nullable'] === true || schema['x-nullable'] === true) return true
    const { $ref } = schema
    if (typeof $ref === 'string') {
      const target = this.description.target($ref, place)
      if (target !== undefined && !this.allowed(target)) return false
      if (this.description.version !== '3.1') return true
    }
    return this.allowedItself(schema) && this.allowedByParts(place, schema)
  }

  private allowedItself(schema: Schema): boolean {
    const types = typesOf(schema)
    if (types.length > 0 && !types.includes('null')) return false
    if ('const' in schema && schema['const'] !== null) return false
    const { enum: values } = schema
    return !Array.isArray(values) || values.includes(null)
  }

  private allowedByParts(place: DescribedPlace, schema: Schema): boolean {
    const below = (keyword: string): boolean[] =>
      listIn(schema[keyword]).map((_, at) => this.allowed(inside(place, keyword, String(at))))
    const [every = [], any = [], one = []] = ['allOf', 'anyOf', 'oneOf'].map(below)
    return every.every(Boolean) && [any, one].every((all) => all.length === 0 || all.some(Boolean))
  }
}
