import pc from 'picocolors'
import type { Exchange } from '../app/answers.js'
import { printable } from '../app/problems.js'

const secretHeaders = /^(?:authorization|proxy-authorization|cookie|set-cookie|x-csrf-token)$|key|token|secret|password/i

/** A request as it goes over the wire, secrets masked. */
export function requestText({ method, url, headers, body }: Exchange['request']): string {
  return [pc.bold(`${method} ${url}`), ...headerLines(headers), ...bodyLines(body)].join('\n')
}

/** A request and its answer, secrets masked. */
export function exchangeText({ request, response, milliseconds }: Exchange): string {
  const answer = [pc.bold(`HTTP ${response.status}`) + pc.dim(`  ${milliseconds} ms`), ...headerLines(response.headers), ...bodyLines(response.body)].join('\n')
  return `${requestText(request)}\n\n${answer}\n`
}

function headerLines(headers: Readonly<Record<string, string>>): string[] {
  return Object.entries(headers).map(([name, value]) => `${pc.dim(`${name}:`)} ${secretHeaders.test(name) ? '***' : printable(value)}`)
}

function bodyLines(body: string): string[] {
  return body === '' ? [] : ['', shownBody(body)]
}

/** A body for reading: XML with a line for each element. */
function shownBody(body: string): string {
  const masked = body.replace(/(<(?:[\w.-]+:)?(?:\w*(?:password|secret|token|key))\b[^>]*>)[^<]+(<\/)/gi, '$1***$2')
  return printable(/^\ufeff?\s*</.test(masked) ? indentXml(masked) : masked.replace(/\r\n/g, '\n'), 20_000)
}

/** An XML document with a line for each element. */
export function indentXml(xml: string): string {
  let depth = 0
  return xml
    .replace(/>\s*</g, '>\n<')
    .split('\n')
    .map((line) => {
      if (/^<\//.test(line)) depth = Math.max(0, depth - 1)
      const text = '  '.repeat(Math.min(depth, 40)) + line
      if (/^<[^?!/][^>]*[^/]>$|^<[\w.:-]>$/.test(line) && !/<\//.test(line)) depth += 1
      return text
    })
    .join('\n')
}
