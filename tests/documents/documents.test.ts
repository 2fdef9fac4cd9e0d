import { execFileSync } from 'node:child_process'
import { mkdir, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { describe, expect, test } from '@jest/globals'
import { labelFor, loadDocuments } from '../../src/documents/documents.js'
import { withoutSecrets } from '../../src/documents/fetching.js'
import { decodeText } from '../../src/documents/text.js'
import { parseXml } from '../../src/documents/xml-tree.js'
import { readSource } from '../../src/app/contracts/read-source.js'
import { freshFolder, repository, startServer } from '../support/program.js'

const recognise = (text: string): boolean => text.includes('definitions')
const place = { document: 'root' }

describe('documents and what they refer to', () => {
  test('from a folder: the root is the one nobody names; far locations are found beside', async () => {
    const folder = await freshFolder()
    await mkdir(join(folder, 'deep'))
    for (const name of ['desk.xsd', 'dues.xsd', 'harbour.xsd'])
      await writeFile(
        join(folder, 'deep', name),
        await readFile(join(repository, 'demo/berths', name)),
      )
    const wsdl = (await readFile(join(repository, 'demo/berths/desk.wsdl'), 'utf8')).replace(
      'schemaLocation="desk.xsd"',
      'schemaLocation="http://far.brackmouth.example/x/desk.xsd"',
    )
    await writeFile(join(folder, 'desk.wsdl'), wsdl)
    const { contract } = await readSource(folder, 'desk')
    expect(contract.services[0]?.operations).toHaveLength(8)
    await writeFile(join(folder, 'other.wsdl'), wsdl)
    await expect(loadDocuments(folder, { recognise })).rejects.toMatchObject({
      code: 'TM-2013',
      message: expect.stringContaining('desk.wsdl, other.wsdl'),
    })
    await expect(loadDocuments(await freshFolder(), { recognise })).rejects.toMatchObject({
      code: 'TM-2013',
    })
  })

  test('from a folder of documents under any name: one service among many, found by what they are for, when the server is gone', async () => {
    const folder = await freshFolder()
    const berths = (name: string): Promise<string> =>
      readFile(join(repository, 'demo/berths', name), 'utf8')
    const far = (text: string): string =>
      text.replace(/schemaLocation="(\w+)\.xsd"/g, 'schemaLocation="http://127.0.0.1:1/$1?id=7"')
    const wsdl = far(await berths('desk.wsdl'))
    const service = /<service[\s\S]*<\/service>/.exec(wsdl)?.[0] ?? ''
    // The service stands in a document of its own, which imports the others by a far address.
    const root = /<definitions[^>]*>/.exec(wsdl)?.[0] ?? ''
    await writeFile(
      join(folder, 'a1.wsdl'),
      `${root.replace(/targetNamespace="[^"]*"/, 'targetNamespace="urn:other"')}<import namespace="urn:brackmouth:desk" location="http://127.0.0.1:1/part"/>${service}</definitions>`,
    )
    await writeFile(join(folder, 'b2.wsdl'), wsdl.replace(service, ''))
    for (const name of ['desk', 'dues', 'harbour'])
      await writeFile(join(folder, `z-${name}-saved.xml`), far(await berths(`${name}.xsd`)))
    const { contract } = await readSource(folder, 'desk')
    expect(contract.services.flatMap(({ operations }) => operations)).toHaveLength(8)
  })

  test('an address of a service or of its help page leads to the metadata; a refusal tells where it was looked for', async () => {
    const wsdl = await readFile(join(repository, 'tests/fixtures/two-services.wsdl'), 'utf8')
    const csdl = await readFile(join(repository, 'demo/registry/registry.xml'), 'utf8')
    const openapi = JSON.stringify({
      openapi: '3.1.0',
      info: { title: 'Quay', version: '1' },
      paths: { '/a': { get: { responses: { 204: { description: 'done' } } } } },
    })
    const xhtml =
      '<?xml version="1.0"?><!DOCTYPE html PUBLIC "x" "y"><html xmlns="http://www.w3.org/1999/xhtml"><title>Desk</title></html>'
    const answers: Readonly<Record<string, string>> = {
      '/desk': xhtml,
      '/desk?wsdl': wsdl,
      '/registry/$metadata': csdl,
      '/help': '<html><a href="docs/openapi.json">the description</a></html>',
      '/docs/openapi.json': openapi,
      '/page': xhtml,
    }
    const server = await startServer((request, response) => {
      const text = answers[request.url ?? '']
      response.statusCode = text === undefined ? 404 : 200
      response.end(text ?? '')
    })
    const read = (path: string): ReturnType<typeof readSource> =>
      readSource(server.url + path, 'found')
    for (const [path, found, dialect] of [
      ['/desk', '/desk?wsdl', 'soap'],
      ['/registry/', '/registry/$metadata', 'odata'],
      ['/help', '/docs/openapi.json', 'http'],
    ] as const) {
      const source = await read(path)
      expect([source.found, source.contract.dialect]).toEqual([server.url + found, dialect])
    }
    const tried = [
      expect.stringContaining(`${server.url}/page?wsdl, ${server.url}/page?singleWsdl`),
    ]
    await expect(read('/page')).rejects.toMatchObject({ code: 'TM-2006', details: tried })
    await expect(read('/none')).rejects.toMatchObject({ code: 'TM-2005' })
    await server.stop()
  })

  test('over HTTP: queries, redirects, compression, a login in the address, each document once', async () => {
    const asked: string[] = []
    const server = await startServer((request, response) => {
      asked.push(`${request.url ?? ''} ${request.headers.authorization ?? ''}`.trim())
      if (request.url === '/desk?wsdl') response.writeHead(302, { location: '/v2/desk?wsdl' }).end()
      else if (request.url === '/v2/desk?wsdl')
        response.writeHead(200, { 'content-encoding': 'gzip' }).end(gzipSync('<definitions/>'))
      else response.end(`<schema id="${request.url ?? ''}"/>`)
    })
    const documents = await loadDocuments(`${server.url.replace('//', '//ann:s%20p@')}/desk?wsdl`, {
      recognise,
    })
    const first = await documents.follow('desk?xsd=types.xsd', documents.root, place)
    expect(await documents.follow('../v2/desk?xsd=types.xsd', documents.root, place)).toBe(first)
    const second = await documents.follow('desk?xsd=xsd0', first, place)
    await server.stop()
    expect(documents.root.from).toBe(`${server.url}/v2/desk?wsdl`)
    expect([documents.root.label, first.label, second.label]).toEqual([
      'desk.wsdl',
      'types.xsd',
      'desk-xsd0.xsd',
    ])
    expect([...documents.root.refers]).toEqual([
      ['desk?xsd=types.xsd', 'types.xsd'],
      ['../v2/desk?xsd=types.xsd', 'types.xsd'],
    ])
    expect(asked).toHaveLength(4)
    expect(asked[0]).toBe(`/desk?wsdl Basic ${Buffer.from('ann:s p').toString('base64')}`)
  })

  test("references that can't be followed are told with the document that asks", async () => {
    const folder = await freshFolder()
    await writeFile(join(folder, 'a.wsdl'), '<definitions/>')
    const documents = await loadDocuments(join(folder, 'a.wsdl'), { recognise })
    await expect(documents.follow('gone.xsd', documents.root, place)).rejects.toMatchObject({
      code: 'TM-2010',
      kind: 'metadata',
      place,
    })
    await expect(documents.follow('ftp://x/y', documents.root, place)).rejects.toMatchObject({
      code: 'TM-2010',
    })
    await expect(
      documents.follow('http://127.0.0.1:1/y', documents.root, place),
    ).rejects.toMatchObject({ code: 'TM-2010', kind: 'unreachable' })
  })

  test.each([
    '/dev/zero',
    '/dev/stdin',
    'pipe.xsd',
    '//host/share/x.xsd',
    'file://host/x.xsd',
    'file:///a%00b',
    'file:///a%2Fb',
    'http://[',
    '%',
  ])(
    'a reference to %s is refused at once: it is a device, a pipe, of another host, or no address',
    async (reference) => {
      const folder = await freshFolder()
      await writeFile(join(folder, 'a.wsdl'), '<definitions/>')
      execFileSync('mkfifo', [join(folder, 'pipe.xsd')])
      const documents = await loadDocuments(join(folder, 'a.wsdl'), { recognise })
      await expect(documents.follow(reference, documents.root, place)).rejects.toMatchObject({
        code: 'TM-2010',
        place,
      })
    },
  )

  test.each([
    ['http://h/desk?wsdl', 'desk.wsdl'],
    ['http://h/desk.svc?singleWsdl', 'desk.wsdl'],
    ['http://h/desk?xsd=xsd0', 'desk-xsd0.xsd'],
    ['http://h/a%20b/c%20d.xsd', 'c-d.xsd'],
    ['file:///x/..%2f..%2fetc', 'etc'],
    ['http://h/', 'document'],
    ['http://h/%ff', 'ff'],
  ])('the label of %s is %s', (address, label) => expect(labelFor(address)).toBe(label))

  test('addresses are kept without their secrets', () => {
    expect(withoutSecrets('https://ann:pw@h/desk?wsdl&api_key=abc&x=1')).toBe(
      'https://h/desk?wsdl&api_key=***&x=1',
    )
  })
})

describe('XML as a tree', () => {
  test('knows where everything stood, and what the prefixes mean', () => {
    const root = parseXml(
      '<?xml version="1.0"?>\n<!-- c -->\n<a:r xmlns:a="urn:a" xmlns="urn:d"\n   x="1">\n\t<b><![CDATA[<]]>&amp;é</b><c\n/></a:r>',
      'doc',
    )
    expect(
      [root, ...root.children].map(
        ({ name, namespace, place }) => `${name} ${namespace} ${place.line}:${place.column}`,
      ),
    ).toEqual(['a:r urn:a 3:1', 'b urn:d 5:2', 'c urn:d 5:28'])
    expect(root.children[0]?.text).toBe('<&é')
    expect([
      root.children[0]?.namespaceOf('a'),
      root.namespaceOf(''),
      root.namespaceOf('q'),
    ]).toEqual(['urn:a', 'urn:d', undefined])
  })

  test.each([
    ['<a><b></a>', 'TM-2007', 1],
    ['<a>\n<b x="1" x="2"/></a>', 'TM-2007', 2],
    ['<a>&nbsp;</a>', 'TM-2007', 1],
    ['<a/><b/>', 'TM-2007', 1],
    ['<a', 'TM-2007', 1],
    ['  ', 'TM-2015', undefined],
    ['<!DOCTYPE a [<!ENTITY x "&x;&x;">]><a>&x;</a>', 'TM-2008', 1],
    ['<q:a/>', 'TM-2007', 1],
  ])('%s is refused', (xml, code, line) => {
    const caught = ((): unknown => {
      try {
        return parseXml(xml, 'doc')
      } catch (error) {
        return error
      }
    })()
    expect(caught).toMatchObject({
      code,
      place: { document: 'doc', ...(line === undefined ? {} : { line }) },
    })
  })

  test('bytes become text by mark, charset, declaration', () => {
    const bytes = (text: string, encoding: BufferEncoding): Uint8Array =>
      Buffer.from(text, encoding)
    expect(decodeText(bytes('\ufeff<é/>', 'utf8'), 'd')).toBe('<é/>')
    expect(decodeText(bytes('\ufeff<é/>', 'utf16le'), 'd')).toBe('<é/>')
    expect(decodeText(bytes('<?xml version="1.0"?><é/>', 'utf16le'), 'd')).toContain('<é/>')
    expect(
      decodeText(bytes('<?xml version="1.0" encoding=\'ISO-8859-1\'?><é/>', 'latin1'), 'd'),
    ).toContain('<é/>')
    expect(decodeText(bytes('<é/>', 'latin1'), 'd', 'latin1')).toBe('<é/>')
    expect(() =>
      decodeText(bytes('<?xml version="1.0" encoding="x-none"?><a/>', 'utf8'), 'd'),
    ).toThrow('its encoding "x-none" is unknown')
  })
})
