import { filled, present } from '../contract/present.js'
import { problem } from '../contract/problem.js'
import { endpointsOf, operationsOf } from '../contract/queries.js'
import type { CredentialEntry, Project } from '../project/project-file.js'
import { variablePrefix } from '../typescript/variables.js'
import { reachOf, type Reach } from './calls/reach.js'
import { namesFor } from './clients/client-names.js'
import { openContract, type OpenContract, type OpenOptions } from './contracts/open-contract.js'
import { preferredEndpoint } from './contracts/preferred-endpoint.js'

export interface SiteSettingsOptions extends OpenOptions {
  /** The site of the project file; its usual one when left out. */
  readonly at?: string | undefined
}

/** The settings that a program has to be given to call a service as the prompt does. */
export interface SiteSettings {
  readonly contract: string
  readonly class: string
  /** The site that they are of; undefined where they are those of the contract alone. */
  readonly site: string | undefined
  /**
   * For `new Client(settingsOf(settings, process.env))`; secrets are names of variables,
   * `$DESK_PASSWORD`.
   */
  readonly settings: Readonly<Record<string, unknown>>
  /** For `nodeTransport(settingsOf(transport, process.env))`, where that is needed. */
  readonly transport: Readonly<Record<string, unknown>>
  /** The same as variables of the environment, by their names. */
  readonly variables: Readonly<Record<string, string>>
  /** What can't be said so, in sentences. */
  readonly notes: readonly string[]
}

/**
 * The settings of a contract at a site, as the project file has them. Nothing is resolved: what is
 * a variable there is one here.
 *
 * @throws Problem TM-1001 where the contract is not in a project, TM-1041 where there is no such
 *   site, TM-1024 where there is no such credential
 */
export async function siteSettings(
  name: string,
  { at, ...options }: SiteSettingsOptions = {},
): Promise<SiteSettings> {
  const open = await openContract(name, options)
  const { kept } = open
  if (kept === undefined)
    throw problem('TM-1001', {
      name,
      nearest: 'Import it first: `tolmach import <location> --as <name>`.',
    })
  const reach = await reachOf(open, at)
  const proofs = credentialsOf(kept.project, reach)
  const given = proofs.map(([scheme, entry]) => proofIn(scheme, entry))
  const settings = plainSettings(open, reach, given)
  const transport = {
    ...present({ caFile: reach.ca, proxy: reach.proxy }),
    ...Object.assign({}, ...given.map((each) => each.transport ?? {})),
  } as Record<string, unknown>
  return {
    contract: name,
    class: (await namesFor(open)).class,
    site: reach.site,
    settings,
    transport,
    variables: asVariables(variablePrefix(name), settings, transport),
    notes: [
      ...('url' in settings || 'serverVariables' in settings
        ? []
        : [`The metadata does not say where the service is: ${variablePrefix(name)}_URL has to.`]),
      ...given.flatMap(({ note }) => note ?? []),
    ],
  }
}

function plainSettings(
  open: OpenContract,
  reach: Reach,
  given: readonly Proof[],
): Record<string, unknown> {
  const endpoints = endpointsOf(open.contract)
  const chosen = preferredEndpoint(endpoints, operationsOf(open.contract), reach.endpoint)?.chosen
  const { headers, timeLimit, retries, mostBytes, serverVariables, mtom, addressing } = reach
  const credentials = given.flatMap(({ credential }) => credential ?? [])
  const published = serverVariables === undefined ? chosen?.address : undefined
  const url = reach.url ?? (/^https?:/i.test(published ?? '') ? published : undefined)
  return {
    ...present({ url, endpoint: endpoints.length > 1 ? chosen?.name : undefined }),
    ...filled({
      headers: { ...headers, ...Object.assign({}, ...given.map((each) => each.headers)) },
    }),
    ...present({ timeLimit, retries, mostBytes, serverVariables, mtom, addressing }),
    ...(credentials.length === 0
      ? {}
      : { credential: credentials.length === 1 ? credentials[0] : credentials }),
  }
}

/** The credentials that count, with the schemes that they are for. */
function credentialsOf(
  { credentials }: Project,
  { credential }: Reach,
): (readonly [scheme: string | undefined, entry: CredentialEntry])[] {
  if (credential === undefined) return []
  const chosen =
    typeof credential === 'string' ? [[undefined, credential] as const] : Object.entries(credential)
  return chosen.map(([scheme, name]) => {
    const entry = Object.hasOwn(credentials, name) ? credentials[name] : undefined
    if (entry === undefined) throw problem('TM-1024', { name, nearest: '' })
    return [scheme, entry]
  })
}

/** What proves who calls, in the places where a program has it. */
interface Proof {
  readonly credential?: Readonly<Record<string, unknown>>
  readonly headers?: Readonly<Record<string, string>>
  readonly transport?: Readonly<Record<string, unknown>>
  readonly note?: string
}

function proofIn(scheme: string | undefined, entry: CredentialEntry): Proof {
  const { kind, place, name, input, cert, key, passphrase, authorizeUrl, value, ...login } = entry
  const inSettings = (more: object): Proof => ({
    credential: { kind, ...more, ...present({ scheme }) },
  })
  switch (kind) {
    case 'ntlm':
      return { transport: { companyLogin: login } }
    case 'certificate':
      return { transport: { certificateFiles: { cert, key, ...present({ passphrase }) } } }
    case 'key':
      if (input !== undefined)
        return {
          note: `The key ${value ?? ''} is the ordinary input "${input}": give it with each call.`,
        }
      if (place === 'header' && name !== undefined) return { headers: { [name]: value ?? '' } }
      return place === undefined
        ? inSettings({ value })
        : {
            note: `The key ${value ?? ''} goes into the ${place} "${name ?? ''}", which settings can't say: put it into the address, or into headers.`,
          }
    case 'oauth2':
      return {
        ...inSettings(login),
        ...(authorizeUrl === undefined
          ? {}
          : {
              note: 'Somebody logs in with a browser: `authorizationCode` of the client gets the tokens.',
            }),
      }
    default:
      return inSettings(login)
  }
}

/** What stands in variables of the environment, by the kind of credential and its field. */
const variablesOfCredential: Readonly<Record<string, Readonly<Record<string, string>>>> = {
  basic: { user: 'USER', password: 'PASSWORD' },
  digest: { user: 'USER', password: 'PASSWORD' },
  bearer: { token: 'TOKEN' },
  key: { value: 'KEY' },
  wsse: { user: 'WSSE_USER', password: 'WSSE_PASSWORD', digest: 'WSSE_DIGEST' },
  oauth2: {
    clientId: 'CLIENT_ID',
    clientSecret: 'CLIENT_SECRET',
    user: 'USER',
    password: 'PASSWORD',
    tokenUrl: 'TOKEN_URL',
    scopes: 'SCOPES',
  },
}

function asVariables(
  prefix: string,
  settings: Readonly<Record<string, unknown>>,
  transport: Readonly<Record<string, unknown>>,
): Record<string, string> {
  const found: Record<string, string> = {}
  const put = (name: string, value: unknown): void => {
    if (value === undefined) return
    const text = typeof value === 'object' ? JSON.stringify(value) : String(value)
    found[`${prefix}_${name}`] = text
  }
  const { credential, certificateFiles, companyLogin, ...plain } = { ...settings, ...transport }
  for (const [name, value] of Object.entries(plain)) {
    const variable = plainVariables[name]
    if (variable !== undefined) put(variable, value)
  }
  for (const each of [credential].flat() as (Record<string, unknown> | undefined)[]) {
    if (each === undefined) continue
    const { kind } = each
    for (const [field, name] of Object.entries(variablesOfCredential[String(kind)] ?? {}))
      put(name, Array.isArray(each[field]) ? each[field].join(' ') : each[field])
    if (kind === 'digest') put('DIGEST', true)
  }
  const files = certificateFiles as Record<string, string> | undefined
  put('CERTIFICATE_FILE', files?.['cert'])
  put('CERTIFICATE_KEY_FILE', files?.['key'])
  put('CERTIFICATE_PASSPHRASE', files?.['passphrase'])
  const ntlm = companyLogin as Record<string, string> | undefined
  for (const field of ['user', 'password', 'domain'])
    put(`NTLM_${field.toUpperCase()}`, ntlm?.[field])
  return found
}

const plainVariables: Readonly<Record<string, string>> = {
  url: 'URL',
  endpoint: 'ENDPOINT',
  headers: 'HEADERS',
  timeLimit: 'TIME_LIMIT',
  retries: 'RETRIES',
  mostBytes: 'MOST_BYTES',
  mtom: 'MTOM',
  addressing: 'ADDRESSING',
  caFile: 'CA_FILE',
  proxy: 'PROXY',
}
