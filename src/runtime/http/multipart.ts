import { joinBytes } from '../plain.js'
import { jsonText } from '../json/values.js'
import { isJson } from '../response-text.js'
import type { Format } from './http.js'
import { inQuery, written, type Style } from './parameters.js'

/** Bytes with the name and the type of the file that they are. */
interface File {
  readonly content: Uint8Array
  readonly name?: string
  readonly type?: string
}

/**
 * Bodies of several parts (RFC 7578; OpenAPI 3.1, sections 4.8.14.4 and 4.8.15): texts as they are,
 * bytes as files, what is nested as JSON, lists as several parts of one name.
 */
export const multipart: Format = {
  write(content, value, json) {
    const boundary = `part-${Math.random().toString(16).slice(2)}${Math.random().toString(16).slice(2)}`
    const pieces: Uint8Array[] = []
    const text = (piece: string): void => void pieces.push(new TextEncoder().encode(piece))
    for (const [name, whole] of Object.entries(value as Readonly<Record<string, unknown>>)) {
      if (whole === undefined) continue
      const { contentType, style, explode, headers = {} } = content.encoding?.[name] ?? {}
      const wholeJson = (json as Readonly<Record<string, unknown>>)[name]
      // A type for the whole list means one part (section 4.8.15.1 leaves lists to their items
      // otherwise).
      const isOne =
        !Array.isArray(whole) ||
        (contentType !== undefined &&
          isJson(contentType) &&
          !whole.some((item) => item instanceof Uint8Array))
      const items: readonly unknown[] = isOne ? [whole] : whole
      const jsonItems: readonly unknown[] = isOne ? [wholeJson] : (wholeJson as readonly unknown[])
      items.forEach((item, at) => {
        const part = partOf(
          name,
          item,
          jsonItems[at],
          contentType,
          style === undefined
            ? undefined
            : { style: style as Style, explode: explode ?? style === 'form' },
        )
        text(
          `--${boundary}\r\ncontent-disposition: form-data; name="${escaped(name)}"${part.file === undefined ? '' : `; filename="${escaped(part.file)}"`}`,
        )
        if (part.type !== undefined) text(`\r\ncontent-type: ${part.type.replace(/[\r\n]/g, ' ')}`)
        for (const [header, each] of Object.entries(headers))
          text(`\r\n${header.toLowerCase()}: ${each.replace(/[\r\n]/g, ' ')}`)
        text('\r\n\r\n')
        if (typeof part.content === 'string') text(part.content)
        else pieces.push(part.content)
        text('\r\n')
      })
    }
    text(`--${boundary}--\r\n`)
    return { type: `multipart/form-data; boundary=${boundary}`, content: joinBytes(pieces) }
  },
}

function partOf(
  name: string,
  value: unknown,
  json: unknown,
  contentType: string | undefined,
  written6570: { style: Style; explode: boolean } | undefined,
): { file?: string; type?: string; content: string | Uint8Array } {
  const given = isFile(value) ? value : undefined
  const file = value instanceof Uint8Array ? { content: value } : given
  if (file !== undefined) {
    // Of several allowed types, or of a range, the sender says which it is.
    const declared = contentType === undefined || /[*,]/.test(contentType) ? undefined : contentType
    return {
      file: file.name ?? name,
      type: file.type ?? declared ?? 'application/octet-stream',
      content: file.content,
    }
  }
  if (written6570 !== undefined)
    return {
      content: inQuery(
        '',
        written6570.style === 'deepObject' ? json : written(json),
        written6570.style,
        written6570.explode,
      ).replace(/^=/, ''),
    }
  const isNested = typeof json === 'object' && json !== null && !('digits' in json)
  const type = contentType ?? (isNested ? 'application/json' : undefined)
  const content =
    isNested || (type !== undefined && isJson(type))
      ? jsonText(json)
      : String(written(json) as string)
  return type === undefined ? { content } : { type, content }
}

function isFile(value: unknown): value is File {
  return (
    typeof value === 'object' &&
    value !== null &&
    'content' in value &&
    value.content instanceof Uint8Array
  )
}

/**
 * Names in a header, as browsers write them (RFC 7578, section 2; WHATWG HTML, section 4.10.21.8).
 */
function escaped(name: string): string {
  return name.replace(/[\r\n"]/g, (c) => {
    if (c === '"') return '%22'
    if (c === '\r') return '%0D'
    return '%0A'
  })
}
