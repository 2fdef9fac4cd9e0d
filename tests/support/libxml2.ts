import { readFile, readdir } from 'node:fs/promises'
import { basename, join } from 'node:path'
import { validateXML } from 'xmllint-wasm'

const envelopes: Readonly<Record<string, string>> = {
  '1.1': 'http://schemas.xmlsoap.org/soap/envelope/',
  '1.2': 'http://www.w3.org/2003/05/soap-envelope',
}

/**
 * A schema for an envelope whose header and body hold elements that must be declared in the schemas
 * imported.
 */
function envelopeSchema(
  version: string,
  imports: readonly { namespace: string; file: string }[],
): string {
  return `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:e="${envelopes[version] ?? ''}" targetNamespace="${envelopes[version] ?? ''}" elementFormDefault="qualified">
    ${imports.map(({ namespace, file }) => `<xs:import namespace="${namespace}" schemaLocation="${file}"/>`).join('')}
    <xs:element name="Envelope"><xs:complexType><xs:sequence>
      <xs:element name="Header" minOccurs="0" type="e:Parts"/>
      <xs:element name="Body" type="e:Parts"/>
    </xs:sequence></xs:complexType></xs:element>
    <xs:complexType name="Parts"><xs:sequence><xs:any namespace="##other" minOccurs="0" maxOccurs="unbounded" processContents="strict"/></xs:sequence></xs:complexType>
  </xs:schema>`
}

/**
 * What libxml2 finds wrong with an envelope, judged by the original schema documents in a folder.
 *
 * @param mains the schema files to import, with their namespaces
 * @returns its messages; none when the envelope is valid
 */
export async function libxml2Errors(
  envelope: string,
  folder: string,
  mains: readonly { namespace: string; file: string }[],
): Promise<string[]> {
  const version = envelope.includes(envelopes['1.2'] ?? '-') ? '1.2' : '1.1'
  const files = (await readdir(folder)).filter((name) => name.endsWith('.xsd'))
  const preload = await Promise.all(
    files.map(async (name) => ({
      fileName: name,
      contents: await readFile(join(folder, name), 'utf8'),
    })),
  )
  const result = await validateXML({
    xml: [{ fileName: 'envelope.xml', contents: envelope }],
    schema: [{ fileName: 'envelope.xsd', contents: envelopeSchema(version, mains) }],
    preload,
  })
  return result.valid ? [] : result.errors.map((error) => error.rawMessage)
}

/** The demo's schemas. */
export function demoErrors(envelope: string, repository: string): Promise<string[]> {
  return libxml2Errors(envelope, join(repository, 'demo', 'berths'), [
    { namespace: 'urn:brackmouth:desk', file: basename('desk.xsd') },
  ])
}

/** What libxml2 says of an SVG that is not well-formed XML. */
export async function libxml2WellFormed(svg: string): Promise<string> {
  const anything =
    '<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="http://www.w3.org/2000/svg"><xs:element name="svg"><xs:complexType mixed="true"><xs:sequence><xs:any minOccurs="0" maxOccurs="unbounded" processContents="skip"/></xs:sequence><xs:anyAttribute processContents="skip"/></xs:complexType></xs:element></xs:schema>'
  const { errors } = await validateXML({
    xml: [{ fileName: 'picture.svg', contents: svg }],
    schema: [{ fileName: 'any.xsd', contents: anything }],
  })
  return errors.map((error) => error.rawMessage).join('\n')
}
