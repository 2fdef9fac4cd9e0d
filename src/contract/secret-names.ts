/**
 * What secrets are called, wherever they stand: one list for addresses, headers, bodies, inputs and
 * answers.
 */

/**
 * Where a name stands. In addresses and headers more names mean a secret: a `key` there lets
 * somebody in, in a body it tells rows apart.
 */
export type NamePlace = 'address' | 'header' | 'body'

/**
 * A name that ends so is a secret's, written together or apart: `accessToken`, `API-KEY`,
 * `user_password`.
 */
const endings =
  /(?:password|passwd|passphrase|passcode|secret|token|jwt|bearer|credential|authorization|sessionid|sessionkey|apikey|accesskey|privatekey|secretkey|accountkey|sharedkey|subscriptionkey|signingkey|encryptionkey|masterkey|licensekey|authkey|hostkey|functionkey)$/
/** Tokens that only say where to go on. */
const harmlessTokens =
  /(?:page|next|previous|continuation|skip|sync|delta|change|cancellation|resume)token$/
/** Keys that tell things apart, or that anybody may know. */
const harmlessKeys = new Set([
  'primary',
  'foreign',
  'partition',
  'sort',
  'row',
  'natural',
  'composite',
  'public',
  'cache',
  'translation',
  'business',
  'surrogate',
  'parent',
  'group',
  'object',
  'entity',
  'item',
  'record',
  'unique',
  'routing',
  'order',
  'alternate',
  'idempotency',
])
const lastWords: Readonly<Record<NamePlace, ReadonlySet<string>>> = {
  address: new Set([
    'key',
    'pass',
    'pwd',
    'pw',
    'pin',
    'otp',
    'auth',
    'sig',
    'signature',
    'code',
    'session',
    'sid',
    'ticket',
    'hmac',
    'sas',
  ]),
  header: new Set([
    'key',
    'pass',
    'pwd',
    'pw',
    'pin',
    'otp',
    'auth',
    'signature',
    'cookie',
    'session',
    'sid',
  ]),
  body: new Set(['pwd', 'pw', 'otp', 'sid']),
}
/** Whose pass it is, where that is one to let somebody in: a boarding pass is none. */
const passWords = new Set([
  '',
  'user',
  'login',
  'db',
  'database',
  'admin',
  'proxy',
  'my',
  'new',
  'old',
])

/**
 * Is what is called so a secret? Spelling does not matter: `X-Api-Key`, `apiKey` and `APIKEY` are
 * the same.
 */
export function isSecretName(name: string, place: NamePlace): boolean {
  const words = wordsIn(name)
  const joined = words.join('').replace(/(?<!s)s$/, '')
  if (endings.test(joined)) return !harmlessTokens.test(joined)
  const last = words.at(-1)?.replace(/(?<=.{2}[^s])s$/, '') ?? ''
  const before = words.at(-2) ?? ''
  if (lastWords[place].has(last)) return last !== 'key' || !harmlessKeys.has(before)
  if (last === 'pass') return words.length <= 2 && passWords.has(before)
  return last === 'key' && words.length > 1 && !harmlessKeys.has(before)
}

/** The words of a name, in small letters. */
function wordsIn(name: string): string[] {
  return name
    .slice(0, 200)
    .replace(/([\p{Ll}\d])(\p{Lu})/gu, '$1 $2')
    .replace(/(\p{Lu})(\p{Lu}\p{Ll})/gu, '$1 $2')
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter((word) => word !== '')
}
