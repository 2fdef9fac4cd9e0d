import { filled, present } from '../contract/present.js'
import { endpointsOf, operationsOf } from '../contract/queries.js'
import { inVariables, valueInVariables } from '../printing/escaping.js'
import { joined, variables, type VariablesText } from '../printing/safe-text.js'
import { settingRows } from '../typescript/settings-table.js'
import { variablePrefix } from '../typescript/variables.js'
import { chosenCredentials, type ChosenCredential } from './auth/credentials.js'
import { addressWith } from './calls/ready-client.js'
import { reachOf, type Reach } from './calls/reach.js'
import { namesFor } from './clients/client-names.js'
import { openKeptContract, type OpenContract, type OpenOptions } from './contracts/open-contract.js'
import { keyInputs } from './contracts/key-inputs.js'
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
  const open = await openKeptContract(name, options)
  const { kept } = open
  const keys = keyInputs(open)
  const reach = await reachOf(open, at)
  const { credential } = reach
  const chosen = credential === undefined ? [] : chosenCredentials(kept.project, credential)
  const given = chosen.map((each) => proofIn(each, keys))
  const settings = await plainSettings(open, reach, given)
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
      ...('url' in settings
        ? []
        : [`The metadata does not say where the service is: ${variablePrefix(name)}_URL has to.`]),
      ...(Array.isArray(settings['credential'])
        ? ['Variables have room for one credential; --json has all of them, with their schemes.']
        : []),
      ...given.flatMap(({ note }) => note ?? []),
    ],
  }
}

async function plainSettings(
  open: OpenContract,
  reach: Reach,
  given: readonly Proof[],
): Promise<Record<string, unknown>> {
  const endpoints = endpointsOf(open.contract)
  const chosen = preferredEndpoint(endpoints, operationsOf(open.contract), reach.endpoint)?.chosen
  const { headers, timeLimit, retries, mostBytes, serverVariables, mtom, addressing } = reach
  const credentials = given.flatMap(({ credential }) => credential ?? [])
  const published = chosen && (await addressWith(open, chosen, serverVariables ?? {}))
  const url = reach.url ?? (URL.canParse(published ?? '') ? published : undefined)
  return {
    ...present({ url, endpoint: endpoints.length > 1 ? chosen?.name : undefined }),
    ...filled({
      headers: { ...headers, ...Object.assign({}, ...given.map((each) => each.headers)) },
    }),
    ...present({ timeLimit, retries, mostBytes, mtom, addressing }),
    ...(credentials.length === 0
      ? {}
      : { credential: credentials.length === 1 ? credentials[0] : credentials }),
  }
}

/** What proves who calls, in the places where a program has it. */
interface Proof {
  readonly credential?: Readonly<Record<string, unknown>>
  readonly headers?: Readonly<Record<string, string>>
  readonly transport?: Readonly<Record<string, unknown>>
  readonly note?: string
}

/** @param keys inputs that a client fills with its key */
function proofIn({ scheme, entry }: ChosenCredential, keys: readonly string[]): Proof {
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
      if (input !== undefined && !keys.includes(input))
        return {
          note: `The key ${value ?? ''} is a part of an ordinary input, "${input}": give it with each call.`,
        }
      if (input !== undefined)
        return { credential: { kind, value, ...(keys.length === 1 ? {} : { scheme: input }) } }
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
    const variable = plainVariables.get(name)
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

/** The variables of what is one value, by its name in code. */
const plainVariables = new Map(
  settingRows.flatMap(({ code, transport, variables: [only, ...others] = [] }) => {
    const name = code ?? transport
    return name === undefined || only === undefined || others.length > 0
      ? []
      : [[name, only] as const]
  }),
)

/** The settings as a file of variables. */
export function settingsText({
  class: className,
  site,
  variables: values,
  transport,
}: SiteSettings): VariablesText {
  const where = site === undefined ? '' : ` at ${site}`
  const also = Object.keys(transport).length === 0 ? '' : ' and nodeTransportFrom'
  const lines = [
    variables`# ${inVariables(`Settings of ${className}${where}, for ${className}.fromVariables(process.env)${also}.`)}`,
    variables`# What stands behind a $ is the name of a variable whose value belongs there.`,
    ...Object.entries(values).map(([name, value]) => {
      const written = valueInVariables(value)
      return written === undefined
        ? variables`# ${inVariables(name)} has a value that a file of variables can't say; --json has it.`
        : variables`${inVariables(name)}=${written}`
    }),
  ]
  return joined(lines, '\n')
}
