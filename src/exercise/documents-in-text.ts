/**
 * A text that is a whole XML or JSON document, with a line for each element or member; any other
 * text as it is. Nothing but white space changes, so that every digit stays.
 */
export async function laidOut(text: string): Promise<string> {
  if (/^\ufeff?\s*<[?\w]/.test(text)) return (await isWellFormed(text)) ? indentXml(text) : text
  return /^\s*[[{]/.test(text) ? laidOutJson(text) : text
}

/** A JSON document with a line for each member; any other text as it is. Every digit stays. */
export async function laidOutJson(text: string): Promise<string> {
  try {
    JSON.parse(text)
  } catch {
    return text
  }
  const { applyEdits, format } = (await import('jsonc-parser')).default
  return applyEdits(text, format(text, undefined, { tabSize: 2, insertSpaces: true, eol: '\n' }))
}

async function isWellFormed(xml: string): Promise<boolean> {
  const { SaxesParser } = await import('saxes')
  const parser = new SaxesParser({ xmlns: true as const })
  let isFine = true
  parser.on('error', () => {
    isFine = false
  })
  parser.write(xml.replace(/^\ufeff/, '')).close()
  return isFine
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
