import { isSecretName } from '../contract/secret-names.js'
import type { Exchange } from '../runtime/connection.js'

/** What stands in the place of a secret. */
export const mask = '***'

/** Shorter ones would make holes in everything. */
const shortestSecret = 4
const secrets = new Set<string>()
let pattern: RegExp | undefined

/**
 * Remembers a secret of this run: in whatever is told from now on it is masked, in the forms that
 * it may come in.
 */
export function keepSecret(secret: string): void {
  if (secret.length < shortestSecret || secrets.has(secret)) return
  const bytes = Buffer.from(secret)
  const forms = [
    ...textForms(secret),
    bytes.toString('base64url'),
    bytes.toString('hex'),
    // Inside of something longer its base64 depends on what stands before it: the letters that are
    // its own alone.
    ...[0, 1, 2].map((before) =>
      Buffer.concat([Buffer.alloc(before), bytes])
        .toString('base64')
        .replace(/=+$/, '')
        .slice(Math.ceil((before * 8) / 6), Math.floor(((before + bytes.length) * 8) / 6)),
    ),
  ]
  for (const form of forms) if (form.length >= shortestSecret) secrets.add(form)
  const longestFirst = [...secrets].sort((a, b) => b.length - a.length)
  pattern = new RegExp(
    longestFirst.map((each) => each.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&')).join('|'),
    'gi',
  )
}

/** Begins a new run in a process that lives on: secrets of the one before are none of it. */
export function forgetSecrets(): void {
  secrets.clear()
  pattern = undefined
}

/**
 * How a text may be written: as it is, in addresses and forms, in JSON (which may stand in JSON
 * again), in XML and HTML.
 */
function textForms(text: string): string[] {
  const json = (each: string): string => JSON.stringify(each).slice(1, -1)
  const xml = (each: string): string =>
    each.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;')
  const quoted = (each: string): string => xml(each).replaceAll('"', '&quot;')
  const deep = [text, json(text), json(json(text)), json(json(json(text)))]
  return [
    ...deep,
    ...deep.map((each) => each.replaceAll('<', '\\u003c')),
    ...deep.map(xml),
    ...deep.map(quoted),
    ...deep.map((each) => quoted(each).replaceAll("'", '&#39;')),
    ...deep.map((each) => quoted(each).replaceAll("'", '&apos;')),
    encodeURIComponent(text),
    encodeURIComponent(text).replace(
      /[!'()*]/g,
      (sign) => `%${sign.charCodeAt(0).toString(16).toUpperCase()}`,
    ),
    new URLSearchParams([['', text]]).toString().slice(1),
  ]
}

/** A text without the secrets of this run. */
export function withoutSecrets(text: string): string {
  return pattern === undefined ? text : text.replace(pattern, mask)
}

/**
 * A plain value as JSON without the secrets of this run: in its texts, so that it stays JSON
 * whatever the secrets are.
 */
export function maskedJson(value: unknown, indent?: number): string {
  return JSON.stringify(
    value,
    (_, each: unknown) => (typeof each === 'string' ? withoutSecrets(each) : each),
    indent,
  )
}

/** A plain value without the secrets of this run. */
export function maskedPlain<Value>(value: Value): Value {
  return value === undefined || pattern === undefined
    ? value
    : (JSON.parse(maskedJson(value)) as Value)
}

/** Remembers the tokens in an answer, which are as good as passwords. */
export function keepTokens({ response }: Exchange): void {
  for (const [, token = ''] of response.body.matchAll(
    /"(?:access_token|refresh_token|id_token)"\s*:\s*"((?:[^"\\]|\\.)*)"/g,
  ))
    keepSecret(JSON.parse(`"${token}"`) as string)
}

/** Does a header carry a secret, by its name? */
export function isSecretHeader(name: string): boolean {
  return /^x-csrf-token$|cookie/i.test(name) || isSecretName(name, 'header')
}

/** An address without the secrets in its query and its user part. */
export function maskedUrl(url: string): string {
  const open = url.replace(/^([a-z][a-z\d+.-]*:)?\/\/[^/?#]*@/i, `$1//${mask}@`)
  return withoutSecrets(
    open.replace(/([?&#])([^=&#]+)=([^&#]*)/g, (whole, lead: string, name: string) =>
      isSecretName(decoded(name), 'address') ? `${lead}${name}=${mask}` : whole,
    ),
  )
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}

/**
 * A body without what stands in elements, attributes, members and fields of a form that are called
 * like secrets.
 */
export function maskedBody(body: string): string {
  const hide = (whole: string, name: string, masked: () => string): string =>
    isSecretName(name, 'body') ? masked() : whole
  return withoutSecrets(
    body
      .replace(
        /<((?:[\w.-]+:)?([\w.-]+))(\s[^<>]*)?>([^<]+)<\//g,
        (whole, full: string, name: string, attributes: string | undefined) =>
          hide(whole, name, () => `<${full}${attributes ?? ''}>${mask}</`),
      )
      .replace(
        /(\s(?:[\w.-]+:)?([\w.-]+)=)("[^"<]*"|'[^'<]*')/g,
        (whole, lead: string, name: string) => hide(whole, name, () => `${lead}"${mask}"`),
      )
      .replace(
        /("((?:[^"\\]|\\.){0,200})"\s*:\s*)("(?:[^"\\]|\\.)*"|-?\d[\d.eE+-]*)/g,
        (whole, lead: string, name: string) => hide(whole, name, () => `${lead}"${mask}"`),
      )
      .replace(/((?:^|&)([\w.%[\]-]+)=)([^&\s<>"]+)/g, (whole, lead: string, name: string) =>
        hide(whole, decoded(name), () => `${lead}${mask}`),
      ),
  )
}

/**
 * A plain value without what its members hold that are called like secrets, and without the secrets
 * of this run.
 */
export function maskedNames<Value>(value: Value): Value {
  const hide = (each: unknown, name: string): unknown => {
    if (
      name !== '' &&
      each !== null &&
      typeof each !== 'object' &&
      typeof each !== 'boolean' &&
      isSecretName(name, 'body')
    )
      return mask
    if (Array.isArray(each)) return each.map((item: unknown) => hide(item, name))
    if (typeof each !== 'object' || each === null || each instanceof Uint8Array)
      return typeof each === 'string' ? withoutSecrets(each) : each
    return Object.fromEntries(
      Object.entries(each).map(([inner, inside]) => [inner, hide(inside, inner)]),
    )
  }
  return hide(value, '') as Value
}

/** Headers with an address in them, whose query may have a secret. */
const addresses: ReadonlySet<string> = new Set(['location', 'content-location', 'referer', 'link'])

export function maskedHeaders(headers: Readonly<Record<string, string>>): Record<string, string> {
  return Object.fromEntries(
    Object.entries(headers).map(([name, value]) => [name, maskedHeader(name, value)]),
  )
}

/** A request without secrets. */
export function maskedRequest({
  method,
  url,
  headers,
  body,
}: Exchange['request']): Exchange['request'] {
  return { method, url: maskedUrl(url), headers: maskedHeaders(headers), body: maskedBody(body) }
}

/** A header that proves who calls: of which kind it is may be known, and what cookies are called. */
function maskedProof(name: string, value: string): string {
  if (/^cookie$/i.test(name)) return value.replace(/=[^;]*/g, `=${mask}`)
  const [, scheme] = /^(Basic|Bearer|Digest|Negotiate|NTLM)\s/i.exec(value) ?? []
  return scheme === undefined || !/authorization$/i.test(name) ? mask : `${scheme} ${mask}`
}

/** The value of a header without secrets. */
export function maskedHeader(name: string, value: string): string {
  if (isSecretHeader(name)) return maskedProof(name, value)
  return addresses.has(name.toLowerCase()) ? maskedUrl(value) : withoutSecrets(value)
}
