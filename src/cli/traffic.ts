import { pc } from './colours.js'
import { maskedHeaders, maskedUrl, shownBody, type Exchange } from '../app/calls/answers.js'
import { printable } from '../app/problems.js'

/** A request as it goes over the wire, secrets masked. */
export async function requestText({
  method,
  url,
  headers,
  body,
}: Exchange['request']): Promise<string> {
  const start = pc.bold(`${method} ${maskedUrl(url)}`)
  return [start, ...headerLines(headers), ...(await bodyLines(body))].join('\n')
}

/** A request and its answer, secrets masked. */
export async function exchangeText({ request, response, milliseconds }: Exchange): Promise<string> {
  const answer = [
    pc.bold(`HTTP ${response.status}`) + pc.dim(`  ${milliseconds} ms`),
    ...headerLines(response.headers),
    ...(await bodyLines(response.body)),
  ].join('\n')
  return [apart('request'), await requestText(request), apart('answer'), answer, ''].join('\n')
}

/** A line that sets a request and its answer apart. */
function apart(what: string): string {
  return pc.dim(`── ${what} ${'─'.repeat(40 - what.length)}`)
}

function headerLines(headers: Readonly<Record<string, string>>): string[] {
  return Object.entries(maskedHeaders(headers)).map(
    ([name, value]) => `${pc.dim(`${name}:`)} ${printable(value)}`,
  )
}

async function bodyLines(body: string): Promise<string[]> {
  return body === '' ? [] : ['', await shownBody(body)]
}
