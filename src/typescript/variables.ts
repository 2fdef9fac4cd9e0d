import type { Contract } from '../contract/contract.js'
import { endpointsOf, keyInputsOf } from '../contract/queries.js'
import type { Dialect, LoginVariables, VariableGroup } from '../dialects/dialect.js'
import { codeInMarkdown } from '../printing/escaping.js'
import { joined, markdown, type Markdown } from '../printing/safe-text.js'
import { loginsToGive } from './logins.js'

/** The variables that fill a client's settings start with this: `BERTHS`. */
export function variablePrefix(contractName: string): string {
  return contractName.replace(/[^A-Za-z0-9]+/g, '_').toUpperCase()
}

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

/** What settings of Node.js alone are read from. */
const ofTransport: VariableGroup = {
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
}

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

/** Ways to say who calls, with the key that is an ordinary input. */
function withKeyInputs(
  groups: readonly VariableGroup[],
  inputs: readonly string[],
): readonly VariableGroup[] {
  if (inputs.length === 0) return groups
  const others = groups.filter(({ names }) => !names.includes('KEY'))
  return [
    { say: `The key, which goes into the input ${inputs.join(', ')}.`, names: ['KEY'] },
    ...others,
  ]
}

/** What a program says so that a client makes a login that it does not make by itself. */
function wordsToGive(login: string): string {
  return `The program gives the client \`logins: [${login}]\`, from its module \`logins\`.`
}

const unsaid = 'The metadata does not say who may call.'

/**
 * The variables that a client's settings are filled from, as far as its service has a use for them,
 * by what they are for; where the service is comes first.
 *
 * @param credentials kinds of credentials that the project has for it
 */
export function variableGroups(
  contract: Contract,
  dialect: Dialect,
  credentials: readonly string[] = [],
): VariableGroup[] {
  const hasChoice = endpointsOf(contract).length > 1
  return [
    {
      say: 'Where the service is, if not at the address above.',
      names: ['URL', ...(hasChoice ? ['ENDPOINT'] : [])],
    },
    ...withKeyInputs(loginsFor(contract, dialect, credentials), keyInputsOf(contract)),
    {
      say: 'How long a call may take (10s, 200ms; a bare number is one of seconds), how often it is tried again where that is safe, how many bytes an answer may have, and headers of every request (an object in JSON).',
      names: ['TIME_LIMIT', 'RETRIES', 'MOST_BYTES', 'HEADERS'],
    },
    ...(dialect.emit.variables ?? []),
    ofTransport,
  ]
}

/** The names of those variables, without their prefix. */
export function fittingVariables(
  contract: Contract,
  dialect: Dialect,
  credentials?: readonly string[],
): string[] {
  return variableGroups(contract, dialect, credentials).flatMap(({ names }) => names)
}

/** The variables that fill a client's settings, as a list in Markdown. */
export function variableNames(
  contract: Contract,
  dialect: Dialect,
  contractName: string,
  credentials?: readonly string[],
): Markdown {
  const names = variableGroups(contract, dialect, credentials)
    .filter((group) => group !== ofTransport)
    .flatMap((group) => group.names)
  const all = names.map((name) => codeInMarkdown(`${variablePrefix(contractName)}_${name}`))
  return markdown`${joined(all.slice(0, -1), ', ')} and ${all.at(-1) ?? markdown``}`
}
