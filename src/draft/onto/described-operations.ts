import { isPlainObject } from '../../contract/plain.js'
import { withoutNames } from '../paths.js'
import type { Recording } from '../recording.js'
import { inside, listIn, type Description, type DescribedPlace } from './description.js'
import { DescribedPaths } from './described-paths.js'

/** The operation that a recorded request is meant for. */
export interface DescribedOperation {
  readonly place: DescribedPlace
  readonly pathItem: DescribedPlace
  readonly template: string
}

/** A parameter in the query or in a header. */
export interface DescribedParameter {
  readonly place: DescribedPlace
  readonly where: 'query' | 'header'
  readonly name: string
  readonly isRequired: boolean
  /** It is an object whose members are parameters by themselves (style `form`). */
  readonly isSpread: boolean
  /** The only value that it may have, where there is one. */
  readonly only: string | undefined
}

/** Where the answer of an operation is described. */
export interface DescribedAnswer {
  /** Undefined where nothing describes this status. */
  readonly response: DescribedPlace | undefined
  /** It is described for this status, and not for others of its hundred, or for all. */
  readonly isExact: boolean
  /** Undefined where nothing describes this media type. */
  readonly media: DescribedPlace | undefined
}

/** Finds in a description what recorded exchanges are of. */
export class DescribedOperations {
  readonly paths: DescribedPaths
  private readonly description: Description

  constructor(description: Description) {
    this.description = description
    this.paths = new DescribedPaths(description)
  }

  /**
   * The operation that a request is meant for; undefined where the description has none, `several`
   * where neither paths nor parameters of one value tell.
   */
  find(recording: Recording): DescribedOperation | 'several' | undefined {
    const { method, url } = recording
    const all = this.paths.find(url).flatMap((template) => this.operation(method, template) ?? [])
    const [first] = all
    if (first === undefined) return undefined
    const alike = all.filter((each) => formOf(each.template) === formOf(first.template))
    if (alike.length === 1) return first
    const [meant, ...more] = alike.filter((each) => this.isMeant(each, recording))
    return meant === undefined || more.length > 0 ? 'several' : meant
  }

  /** Has a request what an operation's parameters of one value say? */
  private isMeant(operation: DescribedOperation, { url, headers }: Recording): boolean {
    const told = this.parameters(operation).filter(({ only }) => only !== undefined)
    return (
      told.length > 0 &&
      told.every(({ where, name, only }) =>
        where === 'query'
          ? url.searchParams.get(name) === only
          : headers.some(
              ([own, value]) => own.toLowerCase() === name.toLowerCase() && value === only,
            ),
      )
    )
  }

  private operation(method: string, template: string): DescribedOperation | undefined {
    const pathItem = this.pathItem(template)
    if (pathItem === undefined) return undefined
    const place = inside(pathItem, method.toLowerCase())
    return this.has(place) ? { place, pathItem, template } : undefined
  }

  has(place: DescribedPlace): boolean {
    return this.description.at(place) !== undefined
  }

  pathItem(template: string): DescribedPlace | undefined {
    return this.description.settle({
      document: this.description.root,
      path: ['paths', template],
    })
  }

  /** The parameters of an operation in the query and in headers, those of its path too. */
  parameters({ place, pathItem }: DescribedOperation): DescribedParameter[] {
    return [place, pathItem].flatMap((each) => {
      const list = listIn(this.description.objectAt(each)['parameters'])
      return list.flatMap((_, at) => {
        const settled = this.description.settle(inside(each, 'parameters', String(at)))
        return settled === undefined ? [] : this.parameter(settled)
      })
    })
  }

  private parameter(place: DescribedPlace): DescribedParameter[] {
    const { in: where, name, style, explode, required, ...own } = this.description.objectAt(place)
    if (where !== 'query' && where !== 'header') return []
    const settled = this.description.settle(inside(place, 'schema'))
    // In version 2 the parameter says it itself.
    const schema = settled === undefined ? own : this.description.objectAt(settled)
    const isSpread =
      schema['type'] === 'object' && (style ?? 'form') === 'form' && explode !== false
    const values = schema['enum']
    const only = Array.isArray(values) && values.length === 1 ? String(values[0]) : undefined
    return [{ place, where, name: String(name), isRequired: required === true, isSpread, only }]
  }

  /**
   * Where an answer is described: by its status, else by those of its hundred, else by `default`
   * (OpenAPI 3.1, section 4.8.16); by its media type, else by a range of them (section 4.8.17).
   */
  answer({ place }: DescribedOperation, { status, answer }: Recording): DescribedAnswer {
    const responses = this.description.objectAt(inside(place, 'responses'))
    const key = [String(status), `${String(status).charAt(0)}XX`, 'default'].find((each) =>
      Object.hasOwn(responses, each),
    )
    const response =
      key === undefined ? undefined : this.description.settle(inside(place, 'responses', key))
    const isExact = key === String(status)
    if (response === undefined) return { response, isExact, media: undefined }
    // In version 2 the schema is the response's own.
    const isOld = this.description.version === '2.0'
    return {
      response,
      isExact,
      media: isOld ? response : this.media(response, answer?.type ?? ''),
    }
  }

  /** Where the body of a request is described; undefined where nothing describes it. */
  body({ place }: DescribedOperation, { body }: Recording): DescribedPlace | undefined {
    const found = this.description.settle(inside(place, 'requestBody'))
    if (found !== undefined) return this.media(found, body?.type ?? '')
    return listIn(this.description.objectAt(place)['parameters'])
      .map((_, at) => this.description.settle(inside(place, 'parameters', String(at))))
      .find((each) => each !== undefined && this.description.objectAt(each)['in'] === 'body')
  }

  private media(around: DescribedPlace, type: string): DescribedPlace | undefined {
    const { content } = this.description.objectAt(around)
    const types = isPlainObject(content) ? Object.keys(content) : []
    const found =
      types.find((each) => plain(each) === type) ??
      types.find((each) => plain(each) === `${type.split('/')[0] ?? ''}/*`) ??
      types.find((each) => plain(each) === '*/*')
    return found === undefined ? undefined : inside(around, 'content', found)
  }
}

/** What tells a template from others by the address alone. */
function formOf(template: string): string {
  return withoutNames(template.replace(/[?#].*/, ''))
}

/** A media type without parameters, in small letters. */
function plain(type: string): string {
  return type.split(';')[0]?.trim().toLowerCase() ?? ''
}
