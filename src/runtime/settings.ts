import { present } from './present.js'
import type { Credential, Settings } from './connection.js'

/**
 * Settings from variables with a common prefix: `<PREFIX>_URL`, `_ENDPOINT`, `_USER` and
 * `_PASSWORD` with `_DIGEST` (`true`), `_TOKEN`, `_KEY`, `_CLIENT_ID` and `_CLIENT_SECRET` with
 * `_TOKEN_URL`, `_SCOPES` and `_REFRESH_TOKEN`, `_TIME_LIMIT` (milliseconds), `_RETRIES`,
 * `_MOST_BYTES`.
 *
 * @throws TypeError when `_TIME_LIMIT`, `_RETRIES` or `_MOST_BYTES` is not a number
 */
export function settingsFrom(
  variables: Readonly<Record<string, string | undefined>>,
  prefix: string,
): Settings {
  const get = variableGetter(variables, prefix)
  const number = (name: string, of = ''): number | undefined => {
    const text = get(name)
    if (text === undefined) return undefined
    const value = Number(text)
    if (value > 0 || (value === 0 && name === 'RETRIES')) return value
    throw new TypeError(`${prefix}_${name} must be a number${of}, not "${text}"`)
  }
  return present({
    url: get('URL'),
    endpoint: get('ENDPOINT'),
    credential: credentialFrom(get),
    timeLimit: number('TIME_LIMIT', ' of milliseconds'),
    retries: number('RETRIES'),
    mostBytes: number('MOST_BYTES'),
  })
}

/** What reads variables with a prefix; empty ones are as if they were not there. */
export function variableGetter(
  variables: Readonly<Record<string, string | undefined>>,
  prefix: string,
): (name: string) => string | undefined {
  return (name) => {
    const value = variables[`${prefix}_${name}`]
    return value === '' ? undefined : value
  }
}

/** The credential that settings from variables name: of several the most telling one. */
function credentialFrom(get: (name: string) => string | undefined): Credential | undefined {
  const [user, password = ''] = [get('USER'), get('PASSWORD')]
  const [clientId, clientSecret] = [get('CLIENT_ID'), get('CLIENT_SECRET')]
  const [tokenUrl, scopes, refreshToken] = [get('TOKEN_URL'), get('SCOPES'), get('REFRESH_TOKEN')]
  if (clientId !== undefined)
    return {
      kind: 'oauth2',
      clientId,
      ...present({
        clientSecret,
        user,
        password: user === undefined ? undefined : password,
        tokenUrl,
        scopes: scopes?.split(/[\s,]+/),
        refreshToken,
      }),
    }
  const [token, key] = [get('TOKEN'), get('KEY')]
  if (token !== undefined) return { kind: 'bearer', token }
  if (key !== undefined) return { kind: 'key', value: key }
  if (user === undefined) return undefined
  return { kind: get('DIGEST') === 'true' ? 'digest' : 'basic', user, password }
}
