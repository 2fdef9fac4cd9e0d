import type { Settings, Credential, Login, Connection } from './connection.js'
import { InputRejected } from './failures.js'
import { bytesToBase64 } from './plain.js'

/** The logins that a connection can make. */
export function loginsOf({ logins = [], settings }: Connection): readonly Login[] {
  return settings.logins === undefined ? logins : [...logins, ...settings.logins]
}

/** The credentials of the settings, as a list. */
export function credentialsOf(settings: Settings): readonly Credential[] {
  const { credential } = settings
  if (credential === undefined) return []
  if ('kind' in credential) return [credential]
  return credential
}

/** The credential of a kind, where the settings have one. */
export function credentialOf<Kind extends Credential['kind']>(
  settings: Settings,
  kind: Kind,
): Extract<Credential, { kind: Kind }> | undefined {
  return credentialsOf(settings).find(
    (each): each is Extract<Credential, { kind: Kind }> => each.kind === kind,
  )
}

/**
 * A credential that there is no place for would be left out without a word.
 *
 * @param further kinds that can be sent here, besides those of headers and of logins
 * @throws InputRejected
 */
export function checkCredential(
  connection: Connection,
  operation: string,
  further: readonly Credential['kind'][] = [],
): void {
  const logins = loginsOf(connection)
  const senders = logins.filter(({ sender }) => sender !== undefined).map(({ kind }) => kind)
  const kinds = ['basic', 'bearer', ...further, ...senders]
  const kind = credentialsOf(connection.settings).find((each) => !kinds.includes(each.kind))?.kind
  if (kind === undefined) return
  const isHomeless = kind === 'key' || logins.some((each) => each.kind === kind)
  const message = isHomeless
    ? `nothing says where a credential of the kind "${kind}" goes; send it with settings.headers`
    : `a credential of the kind "${kind}" takes more than a header: give the settings \`logins: [${loginName(kind)}]\`, from the client's module \`logins\``
  throw new InputRejected(operation, [{ path: 'settings.credential', message }])
}

function loginName(kind: Credential['kind']): string {
  return kind === 'oauth2' ? 'tokenLogin' : `${kind}Login`
}

/** The header that a name with a password, or a token, makes. */
export function authorization(credential: Credential): string | undefined {
  if (credential.kind === 'basic')
    return `Basic ${base64(`${credential.user}:${credential.password}`)}`
  if (credential.kind === 'bearer') return `Bearer ${credential.token}`
  return undefined
}

function base64(text: string): string {
  return bytesToBase64(new TextEncoder().encode(text))
}
