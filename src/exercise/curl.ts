import type { Exchange } from '../runtime/connection.js'
import { isSecretHeader, mask, maskedBody, maskedUrl, withoutSecrets } from './masking.js'

/**
 * A request as a line for curl in a POSIX shell. Secrets in headers become variables of the shell, which whoever runs it sets; those in
 * addresses and bodies are masked.
 *
 * @param prefix what the variables start with: `BERTHS`
 * @returns the line, and the variables that it needs
 */
export function curlLine({ method, url, headers, body }: Exchange['request'], prefix: string): { line: string; variables: string[]; masked: boolean } {
  const variables: string[] = []
  const shownUrl = maskedUrl(url)
  const shownBody = maskedBody(body)
  const words = ['curl', '--request', method, shellWord(shownUrl)]
  for (const [name, value] of Object.entries(headers)) {
    if (!isSecretHeader(name) && withoutSecrets(value) === value) words.push('--header', shellWord(`${name}: ${value}`))
    else {
      const variable = `${prefix}_${name.replace(/[^A-Za-z0-9]+/g, '_').toUpperCase()}`
      variables.push(variable)
      words.push('--header', `"${name}: $${variable}"`)
    }
  }
  if (body !== '') words.push('--data-binary', shellWord(shownBody.startsWith('@') ? ` ${shownBody}` : shownBody))
  return { line: words.join(' '), variables, masked: [shownUrl, shownBody].some((text) => text.includes(mask)) }
}

function shellWord(text: string): string {
  return /^[\w./:=@%+,-]+$/.test(text) ? text : `'${text.replaceAll('\'', '\'\\\'\'')}'`
}
