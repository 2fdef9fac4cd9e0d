import type { Exchange } from '../runtime/connection.js'

/** What stands in the place of a secret. */
export const mask = '***'

const secretHeader = /^(?:authorization|proxy-authorization|cookie|set-cookie|x-csrf-token)$|key|token|secret|password/i
const secretParameter = /(?:^|[_-])(?:key|token|secret|password|pwd|sig|signature|apikey)$|^(?:api_?key|access_?token)$/i

/** Does a header carry a secret, by its name? */
export function isSecretHeader(name: string): boolean {
  return secretHeader.test(name)
}

/** An address without the secrets in its query and its user part. */
export function maskedUrl(url: string): string {
  if (!URL.canParse(url)) return url
  const { username, password } = new URL(url)
  const open = username === '' && password === '' ? url : url.replace(/\/\/[^/@]*@/, `//${mask}@`)
  return open.replace(/([?&])([^=&#]+)=([^&#]*)/g, (whole, lead: string, name: string) => (secretParameter.test(decodeURIComponent(name)) ? `${lead}${name}=${mask}` : whole))
}

/** A body without what stands in elements and members that are called like secrets. */
export function maskedBody(body: string): string {
  return body
    .replace(/(<(?:[\w.-]+:)?(?:\w*(?:password|secret|token|key))\b[^>]*>)[^<]+(<\/)/gi, `$1${mask}$2`)
    .replace(/("(?:[\w.-]*(?:password|secret|token))"\s*:\s*)"(?:[^"\\]|\\.)*"/gi, `$1"${mask}"`)
}

export function maskedHeaders(headers: Readonly<Record<string, string>>): Record<string, string> {
  return Object.fromEntries(Object.entries(headers).map(([name, value]) => [name, isSecretHeader(name) ? mask : value]))
}

/** A request without secrets. */
export function maskedRequest({ method, url, headers, body }: Exchange['request']): Exchange['request'] {
  return { method, url: maskedUrl(url), headers: maskedHeaders(headers), body: maskedBody(body) }
}
