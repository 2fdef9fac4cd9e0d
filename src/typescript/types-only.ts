import type { Contract, Incoming } from '../contract/contract.js'
import type { Names } from '../naming/names.js'
import { codeInMarkdown, fenced, identifier, inMarkdown, quoted } from '../printing/escaping.js'
import { code, joined, markdown, type Code, type Markdown } from '../printing/safe-text.js'
import type { ClientOptions } from './client.js'
import { installSection } from './package-texts.js'
import { wrapped } from '../printing/wrapping.js'

/** So many types are named in the first lines. */
const fewTypes = 3

/** The name of a message's type, where it has one. */
function typeName({ type }: Incoming, names: Names): string | undefined {
  return type?.kind === 'reference' ? names.types[type.to] : undefined
}

/**
 * The first lines of a client without operations: the types of messages that the service sends.
 *
 * @param from the module that the types are imported from
 */
export function firstTypes(contract: Contract, names: Names, from: string): Code[] {
  const all = (contract.incoming ?? []).flatMap((each) => typeName(each, names) ?? [])
  const types = [...new Set(all)].slice(0, fewTypes).map(identifier)
  if (types.length === 0) return []
  return [
    ...wrapped(code`import type { ${joined(types, ', ')} } from ${quoted(from)}`),
    ...wrapped(code`export type Message = ${joined(types, ' | ')}`),
  ]
}

/** The README of a client without operations: which messages have which types. */
export function typesReadme(
  contract: Contract,
  names: Names,
  { contractName, packaged }: ClientOptions,
  first: readonly Code[],
): Markdown {
  const lines: Markdown[] = [
    markdown`# ${inMarkdown(contract.title)}`,
    markdown``,
    ...(packaged === undefined
      ? [
          markdown`Written by Tolmach from the service's metadata. The folder is the tool's: write it again with ${codeInMarkdown(`tolmach generate ${contractName}`)}.`,
          markdown``,
        ]
      : installSection(packaged)),
    markdown`The metadata describes no operation to call, only messages that the service sends. Receiving them is up to your own server; these are their types:`,
    markdown``,
    ...(contract.incoming ?? []).map((each) => {
      const type = typeName(each, names)
      return markdown`- ${codeInMarkdown(each.name)}${type === undefined ? markdown`` : markdown`: ${codeInMarkdown(type)}`}`
    }),
    markdown``,
    ...fenced(first),
  ]
  return markdown`${joined(lines, '\n')}\n`
}
