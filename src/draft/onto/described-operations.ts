import { isPlainObject } from '../../contract/plain.js'
import { withoutNames } from '../paths.js'
import type { Recording } from '../recording.js'
import { inside, type Description, type DescribedPlace } from './description.js'
import { DescribedPaths } from './described-paths.js'

/** The operation that a recorded request is meant for. */
export interface DescribedOperation {
  readonly place: DescribedPlace
  readonly pathItem: DescribedPlace
  readonly template: string
}

/** A parameter in the query. */
export interface QueryParameter {
  readonly name: string
  /** It is an object whose members are parameters by themselves (style `form`). */
  readonly isSpread: boolean
}

/** Where the answer of an operation is described. */
export interface DescribedAnswer {
  /** Undefined where nothing describes this status. */
  readonly response: DescribedPlace | undefined
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
   * where its paths do not tell.
   */
  find({ method, url }: Recording): DescribedOperation | 'several' | undefined {
    const [first, second] = this.paths
      .find(url)
      .flatMap((template) => this.operation(method, template) ?? [])
    const isSame =
      first !== undefined &&
      second !== undefined &&
      formOf(first.template) === formOf(second.template)
    return isSame ? 'several' : first
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

  /** The parameters in the query of an operation, those of its path too. */
  query({ place, pathItem }: DescribedOperation): QueryParameter[] {
    return [place, pathItem].flatMap((each) => {
      const list = this.description.objectAt(each)['parameters']
      return (Array.isArray(list) ? list : []).flatMap((_, at) => {
        const settled = this.description.settle(inside(each, 'parameters', String(at)))
        return settled === undefined ? [] : this.queryParameter(settled)
      })
    })
  }

  private queryParameter(place: DescribedPlace): QueryParameter[] {
    const { in: where, name, style, explode } = this.description.objectAt(place)
    if (where !== 'query') return []
    const schema = this.description.settle(inside(place, 'schema'))
    const isObject = schema !== undefined && this.description.objectAt(schema)['type'] === 'object'
    const isSpread = isObject && (style ?? 'form') === 'form' && explode !== false
    return [{ name: String(name), isSpread }]
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
    if (response === undefined) return { response, media: undefined }
    // In version 2 the schema is the response's own.
    if (this.description.version === '2.0') return { response, media: response }
    const { content } = this.description.objectAt(response)
    const types = isPlainObject(content) ? Object.keys(content) : []
    const type = answer?.type ?? ''
    const found =
      types.find((each) => plain(each) === type) ??
      types.find((each) => plain(each) === `${type.split('/')[0] ?? ''}/*`) ??
      types.find((each) => plain(each) === '*/*')
    return {
      response,
      media: found === undefined ? undefined : inside(response, 'content', found),
    }
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
