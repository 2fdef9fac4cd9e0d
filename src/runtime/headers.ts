import { addressOf, originOf, userPart, wholeAddress } from './addresses.js'
import type { Connection, Settings, ThisCall } from './connection.js'
import { credentialsOf, authorization } from './credentials.js'
import type { Request } from './exchange.js'
import { InputRejected } from './failures.js'

/**
 * All headers of a request, names in small letters: each may be said again by who stands nearer.
 */
export function allHeaders(
  connection: Connection,
  request: Request,
  thisCall: ThisCall,
): Record<string, string> {
  const { settings } = connection
  const merged: Record<string, string> = {}
  const merge = (headers: Readonly<Record<string, string>> = {}): void => {
    for (const [name, value] of Object.entries(headers)) merged[name.toLowerCase()] = value
  }
  const login = request.proven === true ? undefined : settingsLogin(settings)
  merge(request.headers)
  if (login !== undefined) merge({ authorization: login })
  merge(settings.headers)
  merge(thisCall.headers)
  if (merged['authorization'] === undefined) {
    const own = addressLogin(connection, request.url)
    if (own !== undefined) merge({ authorization: own })
  }
  checkHeaders(merged)
  return merged
}

/** The header of the first credential of the settings that makes one. */
function settingsLogin(settings: Settings): string | undefined {
  for (const credential of credentialsOf(settings)) {
    const login = authorization(credential)
    if (login !== undefined) return login
  }
  return undefined
}

/**
 * The basic login that the address of the calls has in itself, for requests to that very origin.
 */
function addressLogin(connection: Connection, url: string): string | undefined {
  const [, , userAndPassword] = userPart.exec(wholeAddress(connection)) ?? []
  if (
    userAndPassword === undefined ||
    credentialsOf(connection.settings).length > 0 ||
    originOf(url) !== originOf(addressOf(connection))
  )
    return undefined
  const [user = '', password = ''] = userAndPassword.split(/:(.*)/s)
  return authorization({
    kind: 'basic',
    user: decodeURIComponent(user),
    password: decodeURIComponent(password),
  })
}

/**
 * Refuses what HTTP can't carry in a header (RFC 9110, sections 5.1 and 5.5), before it could
 * become a header of its own anywhere.
 */
function checkHeaders(headers: Readonly<Record<string, string>>): void {
  const violations = Object.entries(headers).flatMap(([name, value]) => {
    if (!/^[!#$%&'*+.^_`|~0-9a-z-]+$/.test(name))
      return [{ path: 'headers', message: `HTTP can't have a header "${name}"` }]
    return /[^\t -~\x80-\xff]/.test(value)
      ? [{ path: `headers.${name}`, message: "HTTP can't carry this text in a header" }]
      : []
  })
  if (violations.length > 0) throw new InputRejected('the call', violations)
}

/** Headers of the platform as plain names and values. */
export function namesToValues(headers: Headers): Record<string, string> {
  const found: Record<string, string> = {}
  headers.forEach((value, name) => {
    found[name] = value
  })
  return found
}
