/** The longest identifier we make; file names hold it on every file system. */
const longest = 80

/**
 * Words in a name of the wire: split at everything that can't be in an identifier, and where the
 * case says so.
 */
export function wordsOf(name: string): readonly string[] {
  // Most are words of small letters with capitals between.
  if (/^[A-Za-z][a-z0-9]*$/.test(name)) return [name]
  const known = wordsBefore.get(name)
  if (known !== undefined) return known
  if (wordsBefore.size >= mostRemembered) wordsBefore.clear()
  const words = split(name)
  wordsBefore.set(name, words)
  return words
}

/** Names are gone through many times: for their types, their files, their order. */
const wordsBefore = new Map<string, readonly string[]>()
const mostRemembered = 20_000

function split(name: string): string[] {
  return name
    .normalize('NFC')
    .replace(/_x([0-9A-Fa-f]{4})_/g, (_, hex: string) =>
      String.fromCharCode(Number.parseInt(hex, 16)),
    )
    .replace(/([\p{Ll}\p{N}])(\p{Lu})/gu, '$1 $2')
    .replace(/(\p{Lu})(\p{Lu}\p{Ll})/gu, '$1 $2')
    .split(/[^\p{L}\p{N}\p{M}]+/u)
    .filter((word) => word !== '')
}

function capitalised(word: string): string {
  const [first = ''] = word
  return first.toUpperCase() + word.slice(first.length)
}

/** A name as PascalCase; runs of capitals that the wire has are kept (`XMLFile` stays so). */
export function pascalCase(name: string): string {
  const joined = wordsOf(name).map(capitalised).join('')
  return beginning(cut(joined), 'N')
}

/**
 * A name as camelCase: the first word in small letters, unless it is the start of a longer run of
 * capitals.
 */
export function camelCase(name: string): string {
  const [first = '', ...rest] = wordsOf(name)
  const [letter = ''] = first
  const head =
    first === first.toUpperCase()
      ? first.toLowerCase()
      : letter.toLowerCase() + first.slice(letter.length)
  return beginning(cut(head + rest.map(capitalised).join('')), 'n')
}

/** Is the text an identifier as it stands? */
export function isIdentifier(text: string): boolean {
  return /^[\p{ID_Start}$_][\p{ID_Continue}$\u200c\u200d]*$/u.test(text)
}

function cut(text: string): string {
  return [...text].slice(0, longest).join('')
}

/** Identifiers can't start with a digit, nor be nothing: then `letter` goes first. */
function beginning(text: string, letter: 'N' | 'n'): string {
  if (/^[A-Za-z][A-Za-z0-9]*$/.test(text)) return text
  const clean = [...text].filter((c) => /[\p{ID_Continue}]/u.test(c)).join('')
  if (clean === '') return letter === 'N' ? 'Unnamed' : 'unnamed'
  return /^\p{ID_Start}/u.test(clean) ? clean : letter + clean
}
