import type { LoadedDocument } from '../../documents/documents.js'
import type { ServedDocument } from '../dialect.js'

/**
 * The documents as the stand-in serves them: the description with its own address as the only
 * server.
 */
export function servedDocuments(
  documents: readonly LoadedDocument[],
  address: string,
): ServedDocument[] {
  const { pathname } = new URL(address)
  return documents.map((document, at) => {
    let { text } = document
    for (const [reference, label] of document.refers) text = text.replaceAll(reference, label)
    const isJson = /\.json$/.test(document.label) || /^\s*\{/.test(text)
    const name = at === 0 ? `openapi${isJson ? '.json' : '.yaml'}` : document.label
    if (at === 0) text = withServer(text, address)
    return {
      target: `${pathname}/${name}`,
      mediaType: name.endsWith('.json') ? 'application/json' : 'application/yaml',
      text,
    }
  })
}

/**
 * Puts an address into the text of a description: in place of the server that it names, else behind
 * its version.
 */
function withServer(text: string, address: string): string {
  const { host, pathname, protocol } = new URL(address)
  if (/["']?swagger["']?\s*:\s*["']?2/.test(text.slice(0, 50_000))) {
    const facts: Readonly<Record<string, string>> = {
      host: JSON.stringify(host),
      basePath: JSON.stringify(pathname),
      schemes: JSON.stringify([protocol.replace(':', '')]),
    }
    let changed = text
    const missing: string[] = []
    for (const [key, value] of Object.entries(facts)) {
      const pattern = new RegExp(
        `(^|[\\n{,])(\\s*["']?${key}["']?\\s*:\\s*)(?:\\[[^\\]]*\\]|"[^"\\n]*"|'[^'\\n]*'|\\n(?:\\s*-[^\\n]*\\n?)+|[^\\s,}#]+)`,
      )
      if (pattern.test(changed))
        changed = changed.replace(
          pattern,
          (_, before: string, start: string) =>
            `${before}${start}${value}${key === 'schemes' && !/^\s*\{/.test(text) ? '\n' : ''}`,
        )
      else missing.push(`${JSON.stringify(key)}: ${value}`)
    }
    return added(changed, missing)
  }
  const url = /(["']?url["']?\s*:\s*)(?:"[^"\n]*"|'[^'\n]*'|[^\s,}#]+)/
  const hasServers = /(?:^|[\n{,])\s*["']?servers["']?\s*:/.test(text)
  return hasServers
    ? text.replace(url, (_, before: string) => `${before}${JSON.stringify(address)}`)
    : added(text, [`"servers": [{ "url": ${JSON.stringify(address)} }]`])
}

/** Members behind the version at the top, in JSON or in YAML. */
function added(text: string, members: readonly string[]): string {
  if (members.length === 0) return text
  if (/^\s*\{/.test(text))
    return text.replace(
      /\{/,
      (brace) => `${brace}${members.map((member) => `${member},`).join(' ')}`,
    )
  return text.replace(
    /^(["']?(?:openapi|swagger)["']?\s*:[^\n]*)$/m,
    (line) => `${line}\n${members.join('\n')}`,
  )
}
