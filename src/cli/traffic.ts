import pc from 'picocolors'
import { isSecretHeader, mask, maskedBody, maskedUrl, type Exchange } from '../app/answers.js'
import { printable } from '../app/problems.js'

/** A request as it goes over the wire, secrets masked. */
export function requestText({ method, url, headers, body }: Exchange['request']): string {
  return [pc.bold(`${method} ${maskedUrl(url)}`), ...headerLines(headers), ...bodyLines(body)].join('\n')
}

/** A request and its answer, secrets masked. */
export function exchangeText({ request, response, milliseconds }: Exchange): string {
  const answer = [pc.bold(`HTTP ${response.status}`) + pc.dim(`  ${milliseconds} ms`), ...headerLines(response.headers), ...bodyLines(response.body)].join('\n')
  return `${requestText(request)}\n\n${answer}\n`
}

function headerLines(headers: Readonly<Record<string, string>>): string[] {
  return Object.entries(headers).map(([name, value]) => `${pc.dim(`${name}:`)} ${isSecretHeader(name) ? mask : printable(value)}`)
}

function bodyLines(body: string): string[] {
  return body === '' ? [] : ['', shownBody(body)]
}

/** A body for reading: XML with a line for each element. */
function shownBody(body: string): string {
  const masked = maskedBody(body)
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
