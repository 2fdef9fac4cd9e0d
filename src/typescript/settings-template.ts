import type { Contract } from '../contract/contract.js'
import { endpointsOf } from '../contract/queries.js'
import type { Dialect, LoginVariables, VariableGroup } from '../dialects/dialect.js'
import type { Names } from '../naming/names.js'
import { loginsToGive } from './logins.js'
import type { ClientOptions } from './client.js'
import { variablePrefix } from './variables.js'
import { inVariables } from '../printing/escaping.js'
import { joined, variables, type VariablesText } from '../printing/safe-text.js'

/** Ways to say who calls, with the security schemes that each is for. */
const logins: readonly LoginVariables[] = [
  {
    say: 'A user and a password (basic login).',
    names: ['USER', 'PASSWORD'],
    schemes: ['basic', 'digest'],
  },
  {
    say: 'USER and PASSWORD with DIGEST=true: a login by digest.',
    names: ['DIGEST'],
    schemes: ['digest'],
    login: 'digest',
  },
  { say: 'A token that somebody gave you.', names: ['TOKEN'], schemes: ['bearer', 'oauth2'] },
  { say: 'A key.', names: ['KEY'], schemes: ['key'] },
  {
    say: 'Tokens of OAuth 2.0, had by the client itself, also with USER and PASSWORD, or with a refresh token.',
    names: ['CLIENT_ID', 'CLIENT_SECRET', 'TOKEN_URL', 'SCOPES', 'REFRESH_TOKEN'],
    schemes: ['oauth2'],
    login: 'oauth2',
  },
]

const others: readonly VariableGroup[] = [
  {
    say: 'How long a call may take, in milliseconds, how often it is tried again where that is safe, and how many bytes an answer may have.',
    names: ['TIME_LIMIT', 'RETRIES', 'MOST_BYTES'],
  },
  {
    say: 'For nodeTransportFrom: a private authority, a certificate of your own, a proxy, a company login.',
    names: [
      'CA_FILE',
      'CERTIFICATE_FILE',
      'CERTIFICATE_KEY_FILE',
      'CERTIFICATE_PASSPHRASE',
      'PROXY',
      'NTLM_USER',
      'NTLM_PASSWORD',
      'NTLM_DOMAIN',
    ],
  },
]

/** The ways to say who calls that a service takes; all of them where it says nothing of that. */
function loginsFor(
  contract: Contract,
  dialect: Dialect,
  credentials: readonly string[],
): readonly VariableGroup[] {
  const known = contract.security.map(({ scheme }) => scheme)
  const toGive = loginsToGive(contract, dialect, credentials)
  const possible = [...logins, ...(dialect.emit.logins ?? [])].map((each) => {
    const login = toGive.get(each.login ?? '')
    return login === undefined ? each : { ...each, say: `${each.say} ${wordsToGive(login.name)}` }
  })
  if (known.some((each) => each !== 'unsupported'))
    return possible.filter(({ schemes }) => schemes.some((each) => known.includes(each)))
  return possible.map((each, at) => ({
    ...each,
    say: at === 0 ? `${unsaid} ${each.say}` : `Or: ${each.say}`,
  }))
}

/** What a program says so that a client makes a login that it does not make by itself. */
function wordsToGive(login: string): string {
  return `The program gives the client \`logins: [${login}]\` of logins.ts.`
}

const unsaid = 'The metadata does not say who may call.'

/**
 * A template of the settings of a client, without any secret: a file of variables to be copied and
 * filled in.
 */
export function settingsTemplate(
  contract: Contract,
  names: Names,
  dialect: Dialect,
  { contractName, credentials = [] }: ClientOptions,
): VariablesText {
  const setting = (name: string): VariablesText =>
    variables`# ${inVariables(`${variablePrefix(contractName)}_${name}`)}=`
  const className = inVariables(names.class)
  const endpoints = endpointsOf(contract)
  const wanted = [...loginsFor(contract, dialect, credentials), ...others]
  const lines = [
    variables`# Settings of ${className}, for ${className}.fromVariables(process.env). Copy this file, fill in what is needed,`,
    variables`# and keep the copy out of version control:  node --env-file=<copy> your-program.js`,
    variables``,
    ...endpoints.map(
      ({ name, address, protocol }) =>
        variables`# ${inVariables(name)} (${inVariables(protocol)}): ${inVariables(address)}`,
    ),
    variables`# Where the service is, if not at the address above.`,
    setting('URL'),
    ...(endpoints.length > 1 ? [setting('ENDPOINT')] : []),
    ...wanted.flatMap(({ say, names: own }) => [
      variables``,
      variables`# ${inVariables(say)}`,
      ...own.map(setting),
    ]),
  ]
  return variables`${joined(lines, '\n')}\n`
}
