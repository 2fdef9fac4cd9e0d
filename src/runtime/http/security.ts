import type { Connection, Credential, ThisCall } from '../connection.js'
import { authorization, credentialsOf } from '../credentials.js'
import { InputRejected, TransportFailure } from '../failures.js'
import type { TokenPlace, TokenSource } from '../tokens.js'
import { encode } from './parameters.js'

/** A security scheme of the metadata: what kind of credential it takes, and where that goes. */
export interface Scheme extends TokenPlace {
  readonly kind: string
  readonly key?: { readonly in: 'header' | 'query' | 'cookie'; readonly name: string }
  /** Gets tokens of OAuth 2.0. */
  readonly tokens?: TokenSource
}

/**
 * Who may call an operation: alternatives, each of schemes that are all wanted (OpenAPI 3.1,
 * section 4.8.30).
 */
export interface Security {
  readonly anyOf: readonly (readonly {
    readonly scheme: Scheme
    readonly scopes?: readonly string[]
  }[])[]
  prove(
    connection: Connection,
    operation: string,
    security: Security,
    thisCall: ThisCall,
  ): Promise<AuthParts>
  renew(connection: Connection, security: Security, error: unknown): boolean
}

/** What proves who calls, as parts of a request. */
export interface AuthParts {
  readonly headers: Readonly<Record<string, string>>
  readonly query: readonly string[]
  readonly cookies: readonly string[]
}

/**
 * What the settings have to prove who calls: by the first alternative for which there is
 * everything.
 *
 * @throws InputRejected when a credential has no place in any alternative
 */
export async function prove(
  connection: Connection,
  operation: string,
  { anyOf }: Security,
  thisCall: ThisCall,
): Promise<AuthParts> {
  const credentials = credentialsOf(connection.settings)
  const fitting = anyOf.map((alternative) =>
    alternative.map(({ scheme, scopes = [] }) => ({
      scheme,
      scopes,
      credential: credentialFor(scheme, credentials),
    })),
  )
  const whole = fitting.find((alternative) => alternative.length > 0 && alternative.every(isProven))
  // The service may be content with less than it says; what it wants it will tell.
  const chosen = whole ?? fitting.find((alternative) => alternative.some(isProven))
  if (chosen === undefined) return proveUnasked(credentials, operation, anyOf)
  const headers: Record<string, string> = {}
  const query: string[] = []
  const cookies: string[] = []
  for (const { scheme, scopes, credential } of chosen) {
    if (credential === undefined) continue
    if (credential.kind === 'oauth2') {
      const token = await takesTokens(scheme, operation).get(
        connection,
        scheme,
        credential,
        scopes,
        thisCall,
      )
      headers['authorization'] = `Bearer ${token}`
    } else if (credential.kind === 'key' && scheme.key !== undefined) {
      const { in: place, name } = scheme.key
      if (place === 'header') headers[name.toLowerCase()] = credential.value
      else if (place === 'query') query.push(`${encode(name)}=${encode(credential.value)}`)
      else cookies.push(`${name}=${credential.value}`)
    } else {
      const header = authorization(credential)
      if (header !== undefined) headers['authorization'] = header
    }
  }
  return { headers, query, cookies }
}

function isProven({ credential }: { readonly credential: Credential | undefined }): boolean {
  return credential !== undefined
}

/** The credential that is meant for a scheme, else one that suits it. */
function credentialFor(scheme: Scheme, credentials: readonly Credential[]): Credential | undefined {
  return (
    credentials.find((each) => each.scheme === scheme.name) ??
    credentials.find((each) => each.scheme === undefined && suits(each, scheme))
  )
}

/** @throws InputRejected where the scheme takes no tokens */
function takesTokens({ name, tokens }: Scheme, operation: string): TokenSource {
  if (tokens !== undefined) return tokens
  throw rejected(operation, `"${name}" takes no credential of the kind "oauth2"`)
}

/**
 * Where the contract wants nothing, or something else, a login is sent all the same; a key has no
 * place then.
 */
function proveUnasked(
  credentials: readonly Credential[],
  operation: string,
  anyOf: Security['anyOf'],
): AuthParts {
  const free = credentials.filter((each) => each.scheme === undefined)
  const login = free.map(authorization).find((each) => each !== undefined)
  if (login !== undefined) return { headers: { authorization: login }, query: [], cookies: [] }
  // A login by digest answers a challenge, whoever asks for one.
  const lost = free.find((each) => each.kind !== 'digest')
  const wantsOne = !anyOf.some((alternative) => alternative.length === 0)
  if (lost !== undefined && wantsOne)
    throw rejected(
      operation,
      `nothing says where a credential of the kind "${lost.kind}" goes; send it with settings.headers`,
    )
  return { headers: {}, query: [], cookies: [] }
}

function rejected(operation: string, message: string): InputRejected {
  return new InputRejected(operation, [{ path: 'settings.credential', message }])
}

/** After a refused token: is another try worth it? */
export function renew(connection: Connection, { anyOf }: Security, error: unknown): boolean {
  if (!(error instanceof TransportFailure) || error.status !== 401) return false
  return anyOf.flat().some(({ scheme }) => scheme.tokens?.forget(connection) === true)
}

function suits(credential: Credential, scheme: Scheme): boolean {
  return (
    credential.kind === scheme.kind || (credential.kind === 'bearer' && scheme.kind === 'oauth2')
  )
}
