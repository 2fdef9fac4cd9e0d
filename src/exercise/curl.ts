import { shellWord } from './shell-word.js'
import type { Exchange } from '../runtime/connection.js'
import { isSecretHeader, mask, maskedBody, maskedUrl, withoutSecrets } from './masking.js'

/**
 * A request as a line for curl in a POSIX shell. Secrets in headers become variables of the shell,
 * which whoever runs it sets; those in addresses and bodies are masked. Whatever stands in the
 * request, the shell runs curl and nothing else.
 *
 * @param prefix what the variables start with: `BERTHS`; letters, digits and `_`
 * @returns the line, and the variables that it needs
 */
export function curlLine(
  { method, url, headers, body }: Exchange['request'],
  prefix: string,
): { line: string; variables: string[]; masked: boolean } {
  const variables: string[] = []
  const shownUrl = maskedUrl(url)
  const shownBody = maskedBody(body)
  // Braces and brackets in an address are no patterns of curl's.
  const words = [
    'curl',
    ...(/[{}[\]]/.test(shownUrl) ? ['--globoff'] : []),
    '--request',
    shellWord(method),
    shellWord(shownUrl),
  ]
  for (const [name, value] of Object.entries(headers)) {
    // A header without a value is written with a semicolon: with a colon, curl leaves it out.
    if (value === '') words.push('--header', shellWord(`${name};`))
    else if (!isSecretHeader(name) && withoutSecrets(value) === value)
      words.push('--header', shellWord(`${name}: ${value}`))
    else {
      const variable = `${prefix}_${name.replace(/[^A-Za-z0-9]+/g, '_').toUpperCase()}`
      variables.push(variable)
      words.push(
        '--header',
        /^[\w-]+$/.test(name)
          ? `"${name}: $${variable}"`
          : `${shellWord(`${name}: `)}"$${variable}"`,
      )
    }
  }
  if (body !== '') words.push('--data-raw', shellWord(shownBody))
  return {
    line: words.join(' '),
    variables,
    masked: [shownUrl, shownBody].some((text) => text.includes(mask)),
  }
}
