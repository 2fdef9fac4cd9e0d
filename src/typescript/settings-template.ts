import type { Contract } from '../contract/contract.js'
import { endpointsOf } from '../contract/queries.js'
import type { Dialect } from '../dialects/dialect.js'
import type { Names } from '../naming/names.js'
import { variablePrefix, type ClientOptions } from './client.js'
import { inVariables } from '../printing/escaping.js'
import { joined, variables, type VariablesText } from '../printing/safe-text.js'

/** What a variable is for, where it belongs to a group that is needed together. */
const groups: readonly {
  readonly say: string
  readonly names: readonly string[]
  readonly dialects?: readonly string[]
}[] = [
  {
    say: 'A user and a password (basic login); DIGEST=true for a login by digest.',
    names: ['USER', 'PASSWORD', 'DIGEST'],
  },
  { say: 'Or a token that somebody gave you.', names: ['TOKEN'] },
  { say: 'Or a key.', names: ['KEY'] },
  {
    say: 'Or tokens of OAuth 2.0, had by the client itself, or with USER and PASSWORD above, or with a refresh token.',
    names: ['CLIENT_ID', 'CLIENT_SECRET', 'TOKEN_URL', 'SCOPES', 'REFRESH_TOKEN'],
  },
  {
    say: 'Or a user name token in the header of messages; WSSE_DIGEST=true keeps the password itself at home.',
    names: ['WSSE_USER', 'WSSE_PASSWORD', 'WSSE_DIGEST'],
    dialects: ['soap'],
  },
  {
    say: 'How long a call may take, in milliseconds, how often it is tried again where that is safe, and how many bytes an answer may have.',
    names: ['TIME_LIMIT', 'RETRIES', 'MOST_BYTES'],
  },
  {
    say: 'For nodeTransportFrom(process.env): a private authority, a certificate of your own, a proxy, a company login.',
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

/**
 * A template of the settings of a client, without any secret: a file of variables to be copied and
 * filled in.
 */
export function settingsTemplate(
  contract: Contract,
  names: Names,
  dialect: Dialect,
  { contractName }: ClientOptions,
): VariablesText {
  const setting = (name: string): VariablesText =>
    variables`# ${inVariables(`${variablePrefix(contractName)}_${name}`)}=`
  const className = inVariables(names.class)
  const endpoints = endpointsOf(contract)
  const wanted = groups.filter(({ dialects }) => dialects?.includes(dialect.name) !== false)
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
