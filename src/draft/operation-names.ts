import { camelCase } from '../naming/identifiers.js'
import type { DraftedPath } from './paths.js'
import { singular } from './singular.js'

const verbs: Readonly<Record<string, string>> = {
  POST: 'create',
  PUT: 'replace',
  PATCH: 'update',
  DELETE: 'delete',
}

/**
 * What an operation is called: `GET /vessels` is `listVessels` where a list is answered,
 * `GET /vessels/{vesselNumber}/moves` is `listVesselMoves`.
 *
 * @param isList is a list answered, or a record with one in it?
 */
export function operationName(method: string, path: DraftedPath, isList: boolean): string {
  const { literals, isOne } = path
  const owners = literals.slice(0, -1).map(singular)
  const last = literals.at(-1) ?? 'root'
  const isMany = singular(last) !== last
  const thing = isOne || (method === 'POST' && isMany) ? singular(last) : last
  const verb = verbFor(method, isList && !isOne, isMany)
  const words = verb === '' ? [last, ...owners] : [verb, ...owners, thing]
  return camelCase(words.join(' '))
}

/** What is posted to a verb (`/vessels/search`) is no new thing: that has no other verb. */
function verbFor(method: string, isListed: boolean, isMany: boolean): string {
  if (method === 'GET') return isListed ? 'list' : 'get'
  if (method === 'POST' && !isMany) return ''
  return verbs[method] ?? method
}

/** Names that are all different. */
export class Different {
  private readonly taken: Set<string>

  /** @param taken names that none may have */
  constructor(taken: Iterable<string> = []) {
    this.taken = new Set(taken)
  }

  /** The name, with a number behind it where it was taken. */
  of(name: string): string {
    let given = name
    for (let count = 2; this.taken.has(given); count += 1) given = `${name}${String(count)}`
    this.taken.add(given)
    return given
  }
}
