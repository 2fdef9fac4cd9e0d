import { readFile } from 'node:fs/promises'
import { join, resolve } from 'node:path'
import { nearestAdvice } from '../../contract/nearest.js'
import { present } from '../../contract/present.js'
import { problem } from '../../contract/problem.js'
import { fileReason, messageOf } from '../../contract/system-error.js'
import { parsePath, type Assignment } from '../../exercise/input.js'
import { keepSecret } from '../../exercise/masking.js'
import type { CredentialChoice, CredentialEntry, Project } from '../../project/project-file.js'
import type { Credential } from '../../runtime/connection.js'
import { authorizationCode, renewed, type Tokens } from '../../runtime/node/authorization-code.js'
import { nodeTransport, type NodeTransportSettings } from '../../runtime/node/transport.js'
import { toolName } from '../package-files.js'
import { keepToken, keptToken } from './token-store.js'

/** Whoever sits before the program, and can be asked for what proves who calls. */
export interface Person {
  /** Is somebody there? */
  readonly isThere: boolean
  /**
   * Asks for something, without showing what is typed unless told so; undefined where nothing is
   * given.
   */
  ask(what: string, isShown?: boolean): Promise<string | undefined>
  /** Tells something that needs to be done. */
  tell(text: string): void
}

/** So often somebody is asked for a login, one that was wrong included. */
export const mostTimesAsked = 3
export const notTaken = 'The service does not take that login. Once more:'

/** What proves who calls, in the forms that a call needs it in. */
export interface ResolvedCredential {
  /** For the client's settings. */
  readonly credentials: readonly Credential[]
  /** For the transport below it. */
  readonly transport: NodeTransportSettings
  /** Keys whose place the contract does not say. */
  readonly headers: Readonly<Record<string, string>>
  readonly query: Readonly<Record<string, string>>
  /** Keys that are ordinary inputs. */
  readonly inputs: readonly Assignment[]
  /** The kinds that are configured, for messages. */
  readonly kinds: readonly string[]
}

export const noCredential: ResolvedCredential = {
  credentials: [],
  transport: {},
  headers: {},
  query: {},
  inputs: [],
  kinds: [],
}

/**
 * Makes ready what proves who calls: the values of variables come from the environment, a file
 * `.env` beside the project file, or whoever is asked.
 *
 * @param isPreview nothing is sent: what no variable says is `***`, and nobody is asked
 * @throws Problem TM-1024 when there is no such credential, TM-1023 when a variable is not set,
 *   TM-1007 for files of certificates
 */
export async function resolveCredential(
  project: Project,
  choice: CredentialChoice | undefined,
  person: Person | undefined,
  isPreview = false,
): Promise<ResolvedCredential> {
  if (choice === undefined) return noCredential
  const variables = await variablesOf(project.folder)
  let resolved = noCredential
  for (const { scheme, name, entry } of chosenCredentials(project, choice)) {
    const made = isPreview
      ? await previewedEntry(project.folder, name, scheme, entry, variables)
      : await resolvedEntry(project.folder, name, scheme, entry, variables, person)
    resolved = together(resolved, made)
  }
  return resolved
}

/** A credential of the project, with the security scheme that it is for. */
export interface ChosenCredential {
  readonly scheme: string | undefined
  readonly name: string
  readonly entry: CredentialEntry
}

/**
 * The credentials that a choice names.
 *
 * @throws Problem TM-1024 when there is none of such a name
 */
export function chosenCredentials(
  { credentials }: Project,
  choice: CredentialChoice,
): ChosenCredential[] {
  const chosen =
    typeof choice === 'string' ? [[undefined, choice] as const] : Object.entries(choice)
  return chosen.map(([scheme, name]) => {
    const entry = Object.hasOwn(credentials, name) ? credentials[name] : undefined
    if (entry === undefined)
      throw problem('TM-1024', { name, nearest: nearestAdvice(name, Object.keys(credentials)) })
    return { scheme, name, entry }
  })
}

/** The environment, and below it what a file `.env` in the project's folder says. */
export async function variablesOf(folder: string): Promise<Map<string, string>> {
  const text = await readFile(join(folder, '.env'), 'utf8').catch(() => undefined)
  const file = text === undefined ? {} : (await import('dotenv')).default.parse(text)
  return new Map(
    Object.entries({ ...file, ...process.env }).flatMap(([name, value]) =>
      value === undefined ? [] : [[name, value] as const],
    ),
  )
}

/** Nobody gives what stands for secrets in previews. */
const masked = '***'

/** What stands for a proof where nothing is sent. */
async function previewedEntry(
  folder: string,
  name: string,
  scheme: string | undefined,
  entry: CredentialEntry,
  variables: Map<string, string>,
): Promise<ResolvedCredential> {
  // A certificate travels below what is shown; a token that is not had yet stands as one.
  if (entry.kind === 'certificate') return { ...noCredential, kinds: ['certificate'] }
  const shown: CredentialEntry = entry.kind === 'oauth2' ? { kind: 'bearer', token: masked } : entry
  const nobody: Person = {
    isThere: false,
    ask: () => Promise.resolve(masked),
    tell: () => undefined,
  }
  return resolvedEntry(folder, name, scheme, shown, variables, nobody)
}

async function resolvedEntry(
  folder: string,
  name: string,
  scheme: string | undefined,
  entry: CredentialEntry,
  variables: Map<string, string>,
  person: Person | undefined,
): Promise<ResolvedCredential> {
  const values = new CredentialValues(folder, name, variables, person)
  const inSettings = (credential: Credential): ResolvedCredential => ({
    ...noCredential,
    credentials: [{ ...credential, ...present({ scheme }) }],
    kinds: [entry.kind],
  })
  switch (entry.kind) {
    case 'basic':
    case 'digest':
      return inSettings({ kind: entry.kind, ...(await values.login(entry)) })
    case 'wsse': {
      const login = await values.login(entry)
      return inSettings({ kind: 'wsse', ...login, ...present({ digest: entry.digest }) })
    }
    case 'bearer':
      return inSettings({ kind: 'bearer', token: await values.secret(entry.token, 'token') })
    case 'ntlm':
      return { ...noCredential, kinds: ['ntlm'], transport: await companyLogin(entry, values) }
    case 'certificate':
      return {
        ...noCredential,
        kinds: ['certificate'],
        transport: await certificate(entry, values),
      }
    case 'oauth2': {
      const login = await tokenLogin(entry, values)
      const { authorizeUrl } = entry
      return inSettings(
        authorizeUrl === undefined ? login : await loggedIn(name, login, authorizeUrl, person),
      )
    }
    case 'key':
      return keyProof(entry, await values.secret(entry.value, 'key'), inSettings)
  }
}

/** The values of one credential of the project file, with what its variables stand for. */
class CredentialValues {
  private readonly folder: string
  private readonly name: string
  private readonly variables: Map<string, string>
  private readonly person: Person | undefined

  constructor(
    folder: string,
    name: string,
    variables: Map<string, string>,
    person: Person | undefined,
  ) {
    this.folder = folder
    this.name = name
    this.variables = variables
    this.person = person
  }

  /**
   * A value as it is written, or that of a variable `$NAME`; empty where nothing is written.
   *
   * @param what it is, for whoever is asked
   * @throws Problem TM-1023 when a variable is not set and nobody gives it
   */
  async text(written: string | undefined, what: string): Promise<string> {
    if (written === undefined) return ''
    const variable = /^\$([A-Za-z_]\w*)$/.exec(written)?.[1]
    if (variable === undefined) return written
    const found =
      this.variables.get(variable) ??
      (await this.person?.ask(`${what} of "${this.name}" (${variable})`))
    if (found === undefined) throw problem('TM-1023', { name: this.name, variable })
    // Asked once, remembered for the run.
    this.variables.set(variable, found)
    return found
  }

  /** A value that is never shown. */
  async secret(written: string | undefined, what: string): Promise<string> {
    const found = await this.text(written, what)
    if (written !== undefined) keepSecret(found)
    return found
  }

  async login(
    entry: Pick<CredentialEntry, 'user' | 'password'>,
  ): Promise<{ user: string; password: string }> {
    return {
      user: await this.text(entry.user, 'user'),
      password: await this.secret(entry.password, 'password'),
    }
  }

  /** @throws Problem TM-1007 when it can't be read */
  file(path = ''): Promise<string> {
    return readFile(resolve(this.folder, path), 'utf8').catch((error: unknown) => {
      throw problem('TM-1007', { what: path, reason: fileReason(error) }, { cause: error })
    })
  }
}

async function companyLogin(
  entry: CredentialEntry,
  values: CredentialValues,
): Promise<NodeTransportSettings> {
  const login = await values.login(entry)
  const domain = entry.domain === undefined ? undefined : await values.text(entry.domain, 'domain')
  const { workstation } = entry
  return { companyLogin: { ...login, ...present({ domain, workstation }) } }
}

async function certificate(
  entry: CredentialEntry,
  values: CredentialValues,
): Promise<NodeTransportSettings> {
  const passphrase = await values.secret(entry.passphrase, 'passphrase')
  const [cert, key] = [await values.file(entry.cert), await values.file(entry.key)]
  return { certificate: { cert, key, ...(passphrase === '' ? {} : { passphrase }) } }
}

async function tokenLogin(entry: CredentialEntry, values: CredentialValues): Promise<OAuth> {
  const { clientSecret, user, scopes, tokenUrl } = entry
  return {
    kind: 'oauth2',
    clientId: await values.text(entry.clientId, 'client id'),
    ...(clientSecret === undefined
      ? {}
      : { clientSecret: await values.secret(clientSecret, 'client secret') }),
    ...(user === undefined ? {} : await values.login(entry)),
    ...present({ scopes, tokenUrl }),
  }
}

/** A key goes where the project file says, else where the contract says. */
function keyProof(
  { input, place, name }: CredentialEntry,
  key: string,
  inSettings: (credential: Credential) => ResolvedCredential,
): ResolvedCredential {
  const resolved: ResolvedCredential = { ...noCredential, kinds: ['key'] }
  if (input !== undefined)
    return { ...resolved, inputs: [{ written: input, path: parsePath(input), text: key }] }
  if (place === undefined || name === undefined) return inSettings({ kind: 'key', value: key })
  if (place === 'query') return { ...resolved, query: { [name]: key } }
  if (place === 'header') return { ...resolved, headers: { [name]: key } }
  return { ...resolved, headers: { cookie: `${name}=${key}` } }
}

type OAuth = Extract<Credential, { kind: 'oauth2' }>

/**
 * A person's login with a browser: renewed from before, else made now, where somebody is there to
 * do it.
 */
async function loggedIn(
  name: string,
  login: OAuth,
  authorizeUrl: string,
  person: Person | undefined,
): Promise<Credential> {
  const { tokenUrl, clientId, clientSecret, scopes } = login
  if (tokenUrl === undefined) throw problem('TM-1025', { name, reason: 'it lacks its tokenUrl' })
  const what = JSON.stringify([authorizeUrl, tokenUrl, clientId, scopes])
  const kept = await keptToken(what)
  const send = nodeTransport({ userAgent: toolName() })
  const request = { tokenUrl, clientId, fetch: send, ...present({ clientSecret }) }
  let tokens: Tokens | undefined
  if (kept !== undefined) {
    keepSecret(kept)
    // What was ended meanwhile is no use; then somebody has to log in again.
    tokens = await renewed({ ...request, refreshToken: kept }).catch(() => undefined)
  }
  if (tokens === undefined) {
    if (person?.isThere !== true)
      throw problem('TM-1025', { name, reason: 'nobody is there to log in' })
    tokens = await authorizationCode({
      ...request,
      authorizeUrl,
      ...present({ scopes }),
      open: (url) =>
        person.tell(`To log in for "${name}", open this address in a browser:\n${url}`),
    }).catch((error: unknown) => {
      throw problem('TM-1025', { name, reason: messageOf(error) }, { cause: error })
    })
  }
  for (const each of [tokens.token, tokens.refreshToken]) if (each !== undefined) keepSecret(each)
  if (tokens.refreshToken !== undefined) await keepToken(what, tokens.refreshToken)
  return {
    kind: 'bearer',
    token: tokens.token,
    ...present({ scheme: login.scheme }),
  }
}

function together(one: ResolvedCredential, other: ResolvedCredential): ResolvedCredential {
  const cookie = [one.headers['cookie'], other.headers['cookie']].filter(
    (each) => each !== undefined,
  )
  return {
    credentials: [...one.credentials, ...other.credentials],
    transport: { ...one.transport, ...other.transport },
    headers: {
      ...one.headers,
      ...other.headers,
      ...(cookie.length === 0 ? {} : { cookie: cookie.join('; ') }),
    },
    query: { ...one.query, ...other.query },
    inputs: [...one.inputs, ...other.inputs],
    kinds: [...one.kinds, ...other.kinds],
  }
}
