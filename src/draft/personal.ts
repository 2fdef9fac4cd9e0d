import { isSecretName } from '../contract/secret-names.js'
import { wordsOf } from '../naming/identifiers.js'
import { hasForm } from './seen-texts.js'

/** Words of names whose values tell of persons. */
const personal = new Set(
  'name names surname forename firstname lastname fullname nickname user username login author owner contact person customer guest passenger skipper captain crew employee manager mail email phone mobile telephone fax street address city zip postcode birth birthday birthdate born gender iban bic account ssn passport licence license signature note notes remark remarks comment comments'.split(
    ' ',
  ),
)

/** Does what is called so tell of persons, or may it? */
export function isPersonal(name: string): boolean {
  return wordsOf(name).some((word) => personal.has(word.toLowerCase()))
}

/**
 * A text that may be shown as an example: as it is, in a made-up form, or not at all.
 *
 * @param name the member that it stands in
 */
export function exampleText(name: string, text: string): string | undefined {
  if (isSecretName(name, 'body') || looksSecret(text)) return undefined
  if (hasForm(text, 'mail')) return 'somebody@example.com'
  if (isPersonal(name) || looksLikeName(text)) return undefined
  return text.length <= 40 && !/@|\d{7,}/.test(text) ? text : undefined
}

/** Words with a capital first may be somebody's name, whatever the member is called. */
function looksLikeName(text: string): boolean {
  return /(?:^|[\s,.'’-])\p{Lu}[\p{Ll}\p{M}’']+/u.test(text)
}

/** Words of names whose values are kinds of things, and no names. */
const kinds = new Set(
  'state status kind type category class mode level unit priority phase stage severity result colour color format direction source reason currency'.split(
    ' ',
  ),
)

/** Does a member hold one of a few kinds, by its name? */
function isKind(name: string): boolean {
  return kinds.has(wordsOf(name).at(-1)?.toLowerCase() ?? '')
}

/**
 * Is a text one of a few kinds of things, and nothing that tells of somebody or lets somebody in?
 *
 * @param name the member that it stands in
 */
export function isKindOfThing(name: string, text: string): boolean {
  if (isSecretName(name, 'body') || looksSecret(text) || isPersonal(name)) return false
  return isKind(name) || !looksLikeName(text)
}

/** Long and without a pattern: what lets somebody in looks so, whatever it is called. */
export function looksSecret(text: string): boolean {
  if (/^eyJ[\w-]+\./.test(text)) return true
  if (text.length < 20 || /\s/.test(text) || hasForm(text, 'uuid') || hasForm(text, 'address'))
    return false
  const kinds = [/[a-z]/, /[A-Z]/, /\d/].filter((kind) => kind.test(text)).length
  return kinds === 3 || /^[\da-f]{24,}$/i.test(text)
}
