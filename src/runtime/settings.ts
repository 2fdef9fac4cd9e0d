import { present } from './present.js'
import type { Credential, Settings } from './connection.js'
import { readTime } from './times.js'

type Variables = Readonly<Record<string, string | undefined>>

/**
 * Settings from variables with a common prefix: `<PREFIX>_URL`, `_ENDPOINT`, `_HEADERS` (an object
 * in JSON), `_USER` and `_PASSWORD` with `_DIGEST` (`true`), `_TOKEN`, `_KEY`, `_CLIENT_ID` and
 * `_CLIENT_SECRET` with `_TOKEN_URL`, `_SCOPES` and `_REFRESH_TOKEN`, `_TIME_LIMIT` (seconds, or
 * like `200ms`), `_RETRIES`, `_MOST_BYTES`. What can't be read is left out, and told once by its
 * name.
 *
 * @param fitting the names that the service has a use for, without the prefix: others that are
 *   known, and what looks like one of them, are told once
 */
export function settingsFrom(
  variables: Variables,
  prefix: string,
  fitting?: readonly string[],
): Settings {
  const get = variableGetter(variables, prefix)
  if (fitting !== undefined) tellMisfits(variables, prefix, fitting)
  const read = <Value>(
    name: string,
    wanted: string,
    parse: (text: string) => Value | undefined,
  ): Value | undefined => {
    const text = get(name)
    const value = text === undefined ? undefined : parse(text)
    if (text !== undefined && value === undefined)
      tell(`${prefix}_${name}`, `is left out: it must be ${wanted}`)
    return value
  }
  return present({
    url: get('URL'),
    endpoint: get('ENDPOINT'),
    headers: read('HEADERS', 'an object in JSON, like {"X-Desk":"7"}', headersIn),
    credential: credentialFrom(get),
    timeLimit: read('TIME_LIMIT', 'a time like 10s or 200ms', (text) => {
      const milliseconds = readTime(text)
      return milliseconds === undefined ? undefined : milliseconds / 1000
    }),
    retries: read('RETRIES', 'a whole number', wholeNumber),
    mostBytes: read('MOST_BYTES', 'a number of bytes', (text) => wholeNumber(text) || undefined),
  })
}

/**
 * Settings of a site or of a transport, as `tolmach settings --json` writes them, with the values of the variables
 * that stand in them: `$DESK_PASSWORD`.
 *
 * @throws TypeError when one of those is not set
 */
export function settingsOf<Given>(site: Given, variables: Variables): Given {
  const filled = (value: unknown): unknown => {
    if (typeof value === 'string') {
      const [, name] = /^\$([A-Za-z_]\w*)$/.exec(value) ?? []
      return name === undefined ? value : needed(variables, name)
    }
    if (typeof value !== 'object' || value === null) return value
    if (Array.isArray(value)) return value.map(filled)
    return Object.fromEntries(Object.entries(value).map(([name, each]) => [name, filled(each)]))
  }
  return filled(site) as Given
}

function needed(variables: Variables, name: string): string {
  const value = variables[name]
  if (value === undefined || value === '') throw new TypeError(`the variable ${name} is not set`)
  return value
}

/** What reads variables with a prefix; empty ones are as if they were not there. */
export function variableGetter(
  variables: Variables,
  prefix: string,
): (name: string) => string | undefined {
  return (name) => {
    const value = variables[`${prefix}_${name}`]
    return value === '' ? undefined : value
  }
}

function wholeNumber(text: string): number | undefined {
  return /^\d+$/.test(text) ? Number(text) : undefined
}

function headersIn(text: string): Readonly<Record<string, string>> | undefined {
  try {
    const value: unknown = JSON.parse(text)
    return typeof value === 'object' &&
      value !== null &&
      Object.values(value).every((each) => typeof each === 'string')
      ? (value as Readonly<Record<string, string>>)
      : undefined
  } catch {
    return undefined
  }
}

/** Variables by which somebody says who calls. */
const logins: readonly string[] = [
  'USER',
  'PASSWORD',
  'DIGEST',
  'TOKEN',
  'KEY',
  'CLIENT_ID',
  'CLIENT_SECRET',
  'TOKEN_URL',
  'SCOPES',
  'REFRESH_TOKEN',
]

/** Variables that were told of; once is enough. */
const told = new Set<string>()

function tell(name: string, words: string): void {
  if (told.has(name)) return
  told.add(name)
  console.warn(`${name} ${words}.`)
}

/** Tells of variables that the service has no use for, and of those that look like another one. */
function tellMisfits(variables: Variables, prefix: string, fitting: readonly string[]): void {
  for (const [whole, value] of Object.entries(variables)) {
    const name = whole.slice(prefix.length + 1)
    if (!whole.startsWith(`${prefix}_`) || value === undefined || value === '') continue
    if (fitting.includes(name)) continue
    const meant = fitting.find((each) => isNearly(name, each))
    if (meant !== undefined) tell(whole, `is no setting: is ${prefix}_${meant} meant?`)
    else if (logins.includes(name)) tell(whole, 'is a login that the metadata does not speak of')
  }
}

/** Are two names the same but for one letter, or for what is no letter? */
function isNearly(written: string, name: string): boolean {
  const [a, b] = [written, name].map((each) => each.toUpperCase().replace(/[^A-Z0-9]/g, ''))
  if (a === undefined || b === undefined || Math.abs(a.length - b.length) > 1) return false
  let start = 0
  while (start < a.length && a[start] === b[start]) start += 1
  const rests = [
    [a.slice(start + 1), b.slice(start + 1)],
    [a.slice(start), b.slice(start + 1)],
    [a.slice(start + 1), b.slice(start)],
    // Two letters in each other's place.
    [a.charAt(start + 1) + a.charAt(start) + a.slice(start + 2), b.slice(start)],
  ]
  return a === b || (b.length > 3 && rests.some(([one, other]) => one === other))
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
