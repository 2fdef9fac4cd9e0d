import type { Outline } from '../../documents/folder.js'

/**
 * What a document of WSDL or XML Schema is for, and which others it names (WSDL 1.1, section 2.1.1;
 * XML Schema part 1, section 4.2), by the look of it: whole folders are looked through so.
 */
export function outlineOf(text: string): Outline | undefined {
  const root = /<(?:[\w.-]+:)?(definitions|description|schema)\b[^>]*>/.exec(text)
  if (root === null) return undefined
  const [tag, name = ''] = root
  const namespace = /\stargetNamespace\s*=\s*["']([^"']*)["']/.exec(tag)?.[1] ?? ''
  const imports = text.matchAll(/<(?:[\w.-]+:)?import\b[^>]*\slocation\s*=[^>]*>/g)
  const named = [...imports].flatMap(
    ([each]) => /\snamespace\s*=\s*["']([^"']*)["']/.exec(each)?.[1] ?? [],
  )
  return {
    root: name,
    namespace,
    imports: named.filter((each) => each !== namespace),
    includes: /<(?:[\w.-]+:)?include[\s>]/.test(text),
    serves: /<(?:[\w.-]+:)?service[\s>]/.test(text),
  }
}
