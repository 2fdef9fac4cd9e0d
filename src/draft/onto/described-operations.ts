import { isPlainObject } from '../../contract/plain.js'
import type { Recording } from '../recording.js'
import { inside, type Description, type DescribedPlace } from './description.js'
import { DescribedPaths } from './described-paths.js'

/** The operation that a recorded request is meant for. */
export interface DescribedOperation {
  readonly place: DescribedPlace
  readonly pathItem: DescribedPlace
  /** `GET /vessels/{number}` */
  readonly name: string
  readonly template: string
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

  /** @returns undefined where the description has no such operation */
  find({ method, url }: Recording): DescribedOperation | undefined {
    const found = this.paths.find(url)
    if (found === undefined) return undefined
    const pathItem = this.pathItem(found.template)
    const verb = method.toLowerCase()
    const place = pathItem === undefined ? undefined : inside(pathItem, verb)
    return place === undefined || pathItem === undefined || this.description.at(place) === undefined
      ? undefined
      : { place, pathItem, name: `${method} ${found.template}`, template: found.template }
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

  /** The parameters of an operation, those of its path too, settled. */
  parameters({ place, pathItem }: DescribedOperation): Readonly<Record<string, unknown>>[] {
    return [place, pathItem].flatMap((each) => {
      const list = this.description.objectAt(each)['parameters']
      return (Array.isArray(list) ? list : []).flatMap((_, at) => {
        const settled = this.description.settle(inside(each, 'parameters', String(at)))
        return settled === undefined ? [] : [this.description.objectAt(settled)]
      })
    })
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

/** A media type without parameters, in small letters. */
function plain(type: string): string {
  return type.split(';')[0]?.trim().toLowerCase() ?? ''
}
