import { readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import * as fc from 'fast-check'
import { contractWatch } from '../../src/app/listen/contract-watch.js'
import { draftOf } from '../../src/draft/draft.js'
import type { Recording } from '../../src/draft/recording.js'
import { yamlDraft } from '../../src/draft/yaml-draft.js'
import { KeptBody } from '../../src/listen/kept-body.js'
import type { PassedExchange } from '../../src/listen/listener.js'
import { described, recorded } from '../support/drafting.js'
import { freshFolder, startServer, tolmach } from '../support/program.js'

const type = 'application/xml'
function inXml(text: string, path = '/tides', more: Partial<Recording> = {}): Recording {
  return recorded('GET', path, undefined, { answer: { type, text }, ...more })
}

/** An exchange as a listener has it. */
function passed({ method, url, body, status, answer }: Recording): PassedExchange {
  const message = (text: string | undefined): PassedExchange['request'] => {
    const kept = new KeptBody()
    kept.add(Buffer.from(text ?? ''))
    const headers = text === undefined ? [] : [['content-type', type] as const]
    return { httpVersion: '1.1', headers, body: kept, method, url: url.href }
  }
  return {
    number: 1,
    started: new Date(),
    milliseconds: 1,
    trouble: undefined,
    request: message(body?.text),
    response: { ...message(answer?.text), status, statusText: '' },
  }
}

interface Node {
  readonly name: string
  readonly attributes: Readonly<Record<string, string>>
  readonly inside: string | readonly Node[]
}
const names = fc.constantFrom('a', 'b', 'c', 'row', 'rows', 'type', 'items', 'item')
const texts = fc.constantFrom('', 'x', '7', '0.50', 'true', '2027-07-15', 'a < b & "c"', '007')
const { node } = fc.letrec<{ node: Node }>((tie) => ({
  node: fc.record({
    name: names,
    attributes: fc.dictionary(names, texts, { maxKeys: 2 }),
    inside: fc.oneof(
      { maxDepth: 4, depthIdentifier: 'xml' },
      texts,
      fc.array(tie('node'), { maxLength: 4, depthIdentifier: 'xml' }),
    ),
  }),
}))

function xmlOf({ name, attributes, inside }: Node): string {
  const escaped = (text: string): string =>
    text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('"', '&quot;')
  const said = Object.entries(attributes).map(([key, value]) => ` ${key}="${escaped(value)}"`)
  const within = typeof inside === 'string' ? escaped(inside) : inside.map(xmlOf).join('')
  return `<${name}${said.join('')}>${within}</${name}>`
}

test('what was recorded in XML the drafted client reads without a deviation', async () => {
  const folder = await freshFolder()
  const sets = fc.sample(fc.array(node, { minLength: 1, maxLength: 4 }), 40)
  const recordings = sets.flatMap((nodes, at) =>
    // The element of a whole body has one name.
    nodes.map((each) =>
      inXml(
        xmlOf({ ...each, name: 'all' }),
        `/${'abcdefgh'.charAt(at % 8)}x${String.fromCharCode(97 + (at >> 3))}`,
      ),
    ),
  )
  const file = join(folder, 'drafted.yaml')
  await writeFile(file, yamlDraft(draftOf(recordings).description, []))
  const watch = await contractWatch(file, {})
  for (const recording of recordings) {
    const { operation, breaches } = await watch.look(passed(recording))
    expect([recording.answer?.text, breaches]).toEqual([recording.answer?.text, []])
    expect(operation).toBeDefined()
  }
  await watch.close()
}, 120_000)

describe('what XML is drafted as', () => {
  const cases: readonly (readonly [what: string, texts: readonly string[], schema: object])[] = [
    [
      'attributes and elements; what only some had',
      ['<t port="BRK"><n>Anna</n></t>', '<t><n>Otto</n><d>2027-07-15</d></t>'],
      {
        type: 'object',
        required: ['n'],
        properties: {
          port: { xml: { attribute: true } },
          n: { type: 'string' },
          d: { format: 'date' },
        },
        xml: { name: 't' },
      },
    ],
    [
      'text beside attributes (3.2)',
      ['<t unit="m">3.20</t>'],
      { properties: { text: { type: 'number', format: 'decimal', xml: { nodeType: 'text' } } } },
    ],
    [
      'an element that stood twice once is a list always',
      ['<t><m>1</m><m>2</m><n/></t>', '<t><m>3</m><n/></t>'],
      { properties: { m: { type: 'array', items: { type: 'integer' } } } },
    ],
    [
      'an element around a list, empty or with one in it',
      ['<t><marks><mark>1</mark></marks></t>', '<t><marks/></t>'],
      {
        properties: {
          marks: {
            type: 'array',
            items: { type: 'integer', xml: { name: 'mark' } },
            xml: { wrapped: true },
          },
        },
      },
    ],
    [
      'null',
      [
        '<t xmlns:i="http://www.w3.org/2001/XMLSchema-instance"><n i:nil="true"/></t>',
        '<t><n>x</n></t>',
      ],
      { properties: { n: { type: ['string', 'null'] } } },
    ],
    ['namespaces', ['<t xmlns="urn:t"><n/></t>'], { xml: { name: 't', namespace: 'urn:t' } }],
    [
      'an attribute that is called like an element',
      ['<t n="1"><n>x</n></t>'],
      {
        properties: {
          nAttribute: { type: 'integer', xml: { name: 'n', attribute: true } },
          n: { type: 'string' },
        },
      },
    ],
  ]
  test.each(cases)('%s', (_, all, schema) => {
    const { plain } = described(all.map((text) => inXml(text)))
    expect(plain.components.schemas['Tide']).toMatchObject(schema)
  })

  test('a list that is all of an answer', () => {
    const { plain } = described([
      inXml('<tides><tide><h>1</h></tide><tide><h>2</h></tide></tides>'),
    ])
    expect(plain.paths['/tides']?.['get']?.responses['200']?.content?.[type]?.schema).toEqual({
      type: 'array',
      items: { $ref: '#/components/schemas/Tide' },
      xml: { wrapped: true, name: 'tides' },
    })
  })

  test('what is none is told, and left out', () => {
    const { troubles } = described([inXml('<t>1</t>'), inXml('<t'), inXml('<!DOCTYPE t><t/>')])
    expect(troubles).toEqual([
      expect.stringContaining('the answer is left out:'),
      expect.stringContaining('document types are refused'),
    ])
  })
})

test('drafted from an answer in a file, imported, called: what is sent is what was recorded', async () => {
  const folder = await freshFolder()
  const run = async (...words: string[]): Promise<string> => {
    const { code, stdout, stderr } = await tolmach(folder, words)
    expect([code, code === 0 ? '' : stderr]).toEqual([0, ''])
    return stdout
  }
  const sent =
    '<tide xmlns="urn:t" port="BRK"><day>2027-07-15</day><marks><mark high="true">3.20</mark><mark high="false">0.85</mark></marks></tide>'
  const service = await startServer((_, response, body) => {
    response.writeHead(201, { 'content-type': type })
    response.end(body)
  })
  const entry = {
    request: {
      method: 'POST',
      url: `${service.url}/tides`,
      headers: [],
      postData: { mimeType: type, text: sent },
    },
    response: { status: 201, content: { mimeType: type, text: sent } },
  }
  await writeFile(join(folder, 'a.har'), JSON.stringify({ log: { entries: [entry] } }))
  await run('draft', 'a.har', '--as', 'gauge')
  await run('import', 'gauge.yaml')
  const input = {
    body: {
      port: 'BRK',
      day: '2027-07-15',
      marks: [
        { high: true, text: '3.20' },
        { high: false, text: '0.85' },
      ],
    },
  }
  await writeFile(join(folder, 'input.json'), JSON.stringify(input))
  const words = ['call', 'gauge', 'createTide', '--input', 'input.json', '--har', 'b.har', '--json']
  expect(JSON.parse(await run(...words))).toMatchObject({ ok: true, deviations: [] })
  const { log } = JSON.parse(await readFile(join(folder, 'b.har'), 'utf8')) as {
    log: { entries: { request: { postData: { text: string } } }[] }
  }
  const text = log.entries[0]?.request.postData.text ?? ''
  // A namespace that is in force already may be said again.
  expect(text.replace(/^<\?[^>]*>/, '').replaceAll('<mark xmlns="urn:t"', '<mark')).toBe(sent)
  await service.stop()
})
