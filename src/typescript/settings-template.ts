import type { Contract } from '../contract/contract.js'
import { endpointsOf } from '../contract/queries.js'
import type { Dialect } from '../dialects/dialect.js'
import type { Names } from '../naming/names.js'
import { variablePrefix, type ClientOptions } from './client.js'

/** What a variable is for, where it belongs to a group that is needed together. */
const groups: readonly { readonly say: string; readonly names: readonly string[]; readonly dialects?: readonly string[] }[] = [
  { say: 'A user and a password (basic login); DIGEST=true for a login by digest.', names: ['USER', 'PASSWORD', 'DIGEST'] },
  { say: 'Or a token that somebody gave you.', names: ['TOKEN'] },
  { say: 'Or a key.', names: ['KEY'] },
  { say: 'Or tokens of OAuth 2.0, had by the client itself, or with USER and PASSWORD above, or with a refresh token.', names: ['CLIENT_ID', 'CLIENT_SECRET', 'TOKEN_URL', 'SCOPES', 'REFRESH_TOKEN'] },
  { say: 'Or a user name token in the header of messages; WSSE_DIGEST=true keeps the password itself at home.', names: ['WSSE_USER', 'WSSE_PASSWORD', 'WSSE_DIGEST'], dialects: ['soap'] },
  { say: 'How long a call may take, in milliseconds, and how often it is tried again where that is safe.', names: ['TIME_LIMIT', 'RETRIES'] },
  { say: 'For nodeTransportFrom(process.env): a private authority, a certificate of your own, a proxy, a company login.', names: ['CA_FILE', 'CERTIFICATE_FILE', 'CERTIFICATE_KEY_FILE', 'CERTIFICATE_PASSPHRASE', 'PROXY', 'NTLM_USER', 'NTLM_PASSWORD', 'NTLM_DOMAIN'] },
]

/** A template of the settings of a client, without any secret: a file of variables to be copied and filled in. */
export function settingsTemplate(contract: Contract, names: Names, dialect: Dialect, { contractName }: ClientOptions): string {
  const prefix = variablePrefix(contractName)
  const oneLine = (text: string): string => text.replace(/[\r\n]+/g, ' ')
  const endpoints = endpointsOf(contract)
  const lines = [
    `# Settings of ${names.class}, for ${names.class}.fromVariables(process.env). Copy this file, fill in what is needed,`,
    '# and keep the copy out of version control:  node --env-file=<copy> your-program.js',
    '',
    ...endpoints.map(({ name, address, protocol }) => `# ${oneLine(name)} (${oneLine(protocol)}): ${oneLine(address)}`),
    '# Where the service is, if not at the address above.',
    `# ${prefix}_URL=`,
    ...(endpoints.length > 1 ? [`# ${prefix}_ENDPOINT=`] : []),
    ...groups.filter(({ dialects }) => dialects?.includes(dialect.name) !== false).flatMap(({ say, names: variables }) => ['', `# ${say}`, ...variables.map((variable) => `# ${prefix}_${variable}=`)]),
  ]
  return `${lines.join('\n')}\n`
}
