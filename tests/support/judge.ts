import { readFile, readdir } from 'node:fs/promises'
import { basename, dirname, join } from 'node:path'
import { validateXML } from 'xmllint-wasm'

const soap11 = 'http://schemas.xmlsoap.org/soap/envelope/'
const soap12 = 'http://www.w3.org/2003/05/soap-envelope'

/**
 * libxml2 as the judge of envelopes, by the schemas that a WSDL holds and those that stand beside
 * it: cut out of its text, and not taken from our reader. Every child of the body must be declared.
 */
export async function judgeFor(
  wsdl: string,
): Promise<(envelopes: readonly string[]) => Promise<string[][]>> {
  const text = await readFile(wsdl, 'utf8')
  const bindings = [
    ...(/<[\w:]*(?:definitions|description)\b[^>]*>/.exec(text)?.[0] ?? '').matchAll(
      /\sxmlns(?::[\w.-]+)?="[^"]*"/g,
    ),
  ].map(([each]) => each)
  const schemas = [...text.matchAll(/<([\w]+:)?schema\b[^>]*?(?:\/>|>[\s\S]*?<\/\1?schema>)/g)].map(
    ([schema]) => schema,
  )
  const namespaces = schemas.map(
    (schema) => /targetNamespace="([^"]*)"/.exec(schema.slice(0, schema.indexOf('>')))?.[1] ?? '',
  )
  const files = schemas.map((schema, at) => {
    const [opening = ''] = /^<[^>]*>/.exec(schema) ?? []
    const missing = bindings.filter(
      (binding) => !opening.includes(binding.split('=')[0]?.trim() + '='),
    )
    const located = schema
      .slice(opening.length)
      .replace(
        /<([\w:]*import)((?:\s+namespace="([^"]*)")?)\s*\/>/g,
        (_, tag: string, attribute: string, namespace: string | undefined) => {
          const other = namespaces.indexOf(namespace ?? '')
          return other === -1 || other === at
            ? ''
            : `<${tag}${attribute} schemaLocation="inline${String(other)}.xsd"/>`
        },
      )
    return {
      fileName: `inline${String(at)}.xsd`,
      contents: opening.replace(/\/?>$/, `${missing.join('')}$&`) + located,
    }
  })
  const folder = dirname(wsdl)
  const beside = await Promise.all(
    (await readdir(folder))
      .filter((name) => name.endsWith('.xsd'))
      .map(async (name) => ({
        fileName: basename(name),
        contents: await readFile(join(folder, name), 'utf8'),
      })),
  )
  const envelope = (
    version: string,
  ): string => `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:e="${version}" targetNamespace="${version}" elementFormDefault="qualified">
    ${namespaces.map((namespace, at) => `<xs:import ${namespace === '' ? '' : `namespace="${namespace}"`} schemaLocation="inline${String(at)}.xsd"/>`).join('')}
    <xs:element name="Envelope"><xs:complexType><xs:sequence><xs:element name="Header" minOccurs="0" type="e:Parts"/><xs:element name="Body" type="e:Parts"/></xs:sequence></xs:complexType></xs:element>
    <xs:complexType name="Parts"><xs:sequence><xs:any namespace="##any" minOccurs="0" maxOccurs="unbounded" processContents="strict"/></xs:sequence></xs:complexType></xs:schema>`
  return async (envelopes) => {
    const version = envelopes.some((each) => each.includes(soap12)) ? soap12 : soap11
    const { errors } = await validateXML({
      xml: envelopes.map((contents, at) => ({ fileName: `envelope${String(at)}.xml`, contents })),
      schema: [{ fileName: 'envelope.xsd', contents: envelope(version) }],
      preload: [...files, ...beside],
    })
    const compiled = errors.filter(({ rawMessage }) =>
      /Schemas parser|failed to compile|I\/O/.test(rawMessage),
    )
    if (compiled.length > 0)
      throw new Error(compiled.map(({ rawMessage }) => rawMessage).join('\n'))
    return envelopes.map((_, at) =>
      errors
        .filter(({ loc }) => loc?.fileName === `envelope${String(at)}.xml`)
        .map(({ rawMessage }) => rawMessage),
    )
  }
}
