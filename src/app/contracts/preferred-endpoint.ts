import type { Endpoint, Operation } from '../../contract/contract.js'
import { isPlainHttp } from '../../contract/queries.js'

/**
 * The endpoint that calls go to when nobody says otherwise.
 *
 * @param endpoints those to choose from
 * @param operations what is to be called there
 * @param configured the name of the endpoint that the project file wants
 * @returns the endpoint, and why it is this one, in words; undefined where there is none
 */
export function preferredEndpoint(
  endpoints: readonly Endpoint[],
  operations: readonly Operation[],
  configured?: string,
): { chosen: Endpoint; reason: string } | undefined {
  const named = endpoints.find((endpoint) => endpoint.name === configured)
  if (named !== undefined) return { chosen: named, reason: 'tolmach.yaml names it' }
  const offering = (endpoint: Endpoint): number =>
    operations.filter((operation) => Object.hasOwn(operation.wire, endpoint.name)).length
  const [best, second] = [...endpoints].sort(
    (a, b) =>
      Number(isPlainHttp(a)) - Number(isPlainHttp(b)) ||
      offering(b) - offering(a) ||
      Number(a.protocol < b.protocol) - Number(a.protocol > b.protocol),
  )
  if (best === undefined) return undefined
  if (second === undefined) return { chosen: best, reason: 'it is the only one' }
  const reasons: readonly (readonly [holds: boolean, reason: string])[] = [
    [
      isPlainHttp(second) && !isPlainHttp(best),
      'SOAP says more than plain HTTP: types, and faults',
    ],
    [offering(best) > offering(second), 'it offers the most operations'],
    [best.protocol === second.protocol, 'it is the first of several alike'],
    [true, 'it has the newest protocol'],
  ]
  const [, reason = ''] = reasons.find(([holds]) => holds) ?? []
  return { chosen: best, reason }
}
