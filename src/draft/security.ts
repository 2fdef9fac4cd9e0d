import { isSecretName } from '../contract/secret-names.js'
import { camelCase } from '../naming/identifiers.js'
import type { Recording } from './recording.js'

/** How somebody proved who calls: a security scheme of OpenAPI 3.1, without the secret. */
export interface DraftedScheme {
  readonly name: string
  readonly scheme: Readonly<Record<string, string>>
}

/** The ways in which a request proves who calls. */
export function schemesOf({ headers, url }: Recording): DraftedScheme[] {
  return [
    ...headers.flatMap(([name, value]) => headerScheme(name, value)),
    ...[...url.searchParams.keys()].flatMap((name) =>
      isSecretQuery(name) ? [keyScheme(name, 'query')] : [],
    ),
  ]
}

/** Does a part of a query prove who calls, by its name? */
export function isSecretQuery(name: string): boolean {
  return isSecretName(name, 'header')
}

/** Does a header prove who calls, by its name? */
export function isSecretHeaderName(name: string): boolean {
  return /^(?:proxy-)?authorization$|^cookie$/i.test(name) || isSecretName(name, 'header')
}

function headerScheme(name: string, value: string): DraftedScheme[] {
  const lower = name.toLowerCase()
  if (lower === 'cookie') return cookieSchemes(value)
  if (lower === 'proxy-authorization') return []
  if (lower !== 'authorization') return isSecretHeaderName(name) ? [keyScheme(name, 'header')] : []
  const [kind = ''] = value.trim().split(/\s+/)
  const scheme = /^(?:basic|bearer|digest)$/i.test(kind) ? kind.toLowerCase() : undefined
  return scheme === undefined
    ? [keyScheme(name, 'header')]
    : [{ name: scheme, scheme: { type: 'http', scheme } }]
}

/** Of cookies only those that stand for a login; others are of no use to a program. */
function cookieSchemes(value: string): DraftedScheme[] {
  return value.split(';').flatMap((each) => {
    const name = each.split('=')[0]?.trim() ?? ''
    return /sess|auth|token|login|^(?:.*[._-])?sid$/i.test(name) ? [keyScheme(name, 'cookie')] : []
  })
}

function keyScheme(name: string, place: 'header' | 'query' | 'cookie'): DraftedScheme {
  // In a header and in a query there may be one of the same name.
  const given = place === 'header' ? name : `${name} ${place}`
  return { name: camelCase(given), scheme: { type: 'apiKey', in: place, name } }
}
