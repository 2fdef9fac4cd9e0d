import { describe, expect, test } from '@jest/globals'
import { documentsOf, type Documents, type LoadedDocument } from '../../src/documents/documents.js'
import { mendedDocuments, Overlays } from '../../src/documents/overlay.js'
import { parseData } from '../../src/documents/data-tree.js'
import { readOpenApi } from '../../src/dialects/http/reader.js'

function loaded(label: string, text: string): LoadedDocument {
  return { label, from: label, text, bytes: new TextEncoder().encode(text), refers: new Map() }
}

const description = `openapi: 3.1.0
info: { title: Marks, version: '1' }
servers: [{ url: https://gauge.example }]
paths:
  /marks:
    get:
      operationId: listMarks
      tags: [marks]
      parameters:
        - { name: day, in: query, schema: { type: string } }
        - { name: from, in: query, schema: { type: string } }
        - { name: to, in: query, schema: { type: integer, maximum: 1.50 } }
      responses:
        '200': { description: '', content: { application/json: { schema: { $ref: '#/components/schemas/Mark' } } } }
components:
  schemas:
    Mark: { type: object, properties: { height: { type: number } } }
`

function documents(...overlays: readonly string[]): Documents {
  const root = loaded('gauge.yaml', description)
  const all = overlays.map((text, at) => loaded(`overlay-${String(at)}.yaml`, text))
  return documentsOf(
    [root, ...all],
    root.label,
    all.map(({ label }) => label),
  )
}

/** An overlay of these actions, in YAML. */
const overlay = (actions: string, head = ''): string =>
  `overlay: 1.0.0\ninfo: { title: t, version: '1' }\n${head}actions:\n${actions}`

/** What the description is, mended. */
async function after(...overlays: readonly string[]): Promise<Record<string, never>> {
  const [root] = await mendedDocuments(documents(...overlays))
  return JSON.parse(root?.text ?? '') as Record<string, never>
}

describe('what an action does (Overlay 1.0, section 4.5)', () => {
  const cases: readonly (readonly [
    what: string,
    actions: string,
    at: (root: never) => unknown,
    is: unknown,
  ])[] = [
    [
      'merges an object, member by member',
      '  - { target: $.info, update: { title: Ours, x-more: { a: 1 } } }',
      (root: { info: object }) => root.info,
      { title: 'Ours', version: '1', 'x-more': { a: 1 } },
    ],
    [
      'adds an entry to a list',
      '  - { target: "$.paths[\'/marks\'].get.parameters", update: { name: tug, in: query } }',
      (root: never) => parametersOf(root).at(-1),
      { name: 'tug', in: 'query' },
    ],
    [
      'puts lists within together',
      '  - { target: "$.paths[\'/marks\'].get", update: { tags: [tide] } }',
      (root: { paths: Record<string, { get: { tags: string[] } }> }) =>
        root.paths['/marks']?.get.tags,
      ['marks', 'tide'],
    ],
    [
      'does so wherever its target is',
      "  - { target: '$..parameters[*]', update: { x-seen: true } }",
      (root: never) => parametersOf(root).map((each) => each['x-seen']),
      [true, true, true],
    ],
    [
      'finds by filters (RFC 9535)',
      `  - { target: "$..parameters[?@.name == 'from']", update: { required: true } }`,
      (root: never) => parametersOf(root).map((each) => each['required']),
      [undefined, true, undefined],
    ],
    [
      'removes entries of lists, several at once',
      "  - { target: '$..parameters[0,1]', remove: true }",
      (root: never) => parametersOf(root).map((each) => each['name']),
      ['to'],
    ],
    [
      'removes what lies in what it removes',
      "  - { target: '$..schema', remove: true }",
      (root: never) => JSON.stringify(root).includes('"schema"'),
      false,
    ],
    [
      'takes what earlier actions made',
      '  - { target: $.components, update: { x-kept: {} } }\n  - { target: $.components.x-kept, update: { a: [1] } }\n  - { target: $.components.x-kept.a, update: 2 }',
      (root: { components: object }) => (root.components as Record<string, unknown>)['x-kept'],
      { a: [1, 2] },
    ],
    [
      'removes and does not update, where it says both',
      '  - { target: $.components.schemas.Mark, remove: true, update: { type: string } }',
      (root: { components: { schemas: object } }) => root.components.schemas,
      {},
    ],
  ]
  function parametersOf(root: {
    paths: Record<string, { get: { parameters: Record<string, unknown>[] } }>
  }): Record<string, unknown>[] {
    return root.paths['/marks']?.get.parameters ?? []
  }
  test.each(cases)('it %s', async (_, actions, at, is) => {
    expect(at((await after(overlay(actions))) as never)).toEqual(is)
  })

  test('several overlays are applied one after the other; numbers stay as they were written', async () => {
    const one = overlay('  - { target: $.info, update: { title: One } }')
    const other = overlay('  - { target: "$.info[?@ == \'One\']", remove: true }')
    const [root] = await mendedDocuments(documents(one, other))
    expect(JSON.parse(root?.text ?? '')).toHaveProperty('info', { version: '1' })
    expect(root?.text).toContain('"maximum": 1.50')
  })
})

test('what an overlay brings belongs to the description, and has its place in the overlay', async () => {
  const text = overlay(
    "  - target: $.components.schemas\n    update:\n      Odd: { type: string, pattern: '[' }\n  - target: $.components.schemas.Mark.properties\n    update:\n      odd: { $ref: '#/components/schemas/Odd' }",
  )
  const contract = await readOpenApi(documents(text), 'gauge')
  const odd = Object.values(contract.types).find(({ name }) => name === 'Odd')
  expect(odd?.id).toBe('#/components/schemas/Odd')
  const [note] = contract.notes
  expect(note?.origin).toMatchObject({ document: 'overlay-0.yaml', line: 6 })
})

test('an overlay is for the document that it extends; where there is none of that name it is told', async () => {
  const told = async (head: string): Promise<string[]> => {
    const all = documents(overlay('  - { target: $.info, update: { title: Ours } }', head))
    const codes: string[] = []
    const overlays = new Overlays(all, (code) => codes.push(code))
    const tree = parseData(description, 'gauge.yaml', () => undefined)
    await overlays.mend(tree, all.root)
    overlays.tellUnused()
    return [...codes, String(tree.members.get('info')?.text('title'))]
  }
  expect(await told('extends: https://elsewhere.example/v1/gauge.yaml\n')).toEqual(['Ours'])
  expect(await told('extends: ./other.yaml\n')).toEqual(['TM-2027', 'Marks'])
})

describe('what is no overlay, or can not be done, is refused with its place', () => {
  test.each([
    ['TM-2016', 'overlay: [', 1],
    ['TM-2022', 'actions: []', 1],
    ['TM-2022', 'overlay: 2.0.0\nactions: []', 1],
    ['TM-2022', 'overlay: 1.0.0\ninfo: {}', 1],
    ['TM-2023', 'overlay: 1.0.0\nactions:\n  - { update: {} }', 3],
    ['TM-2023', 'overlay: 1.0.0\nactions:\n  - { target: $.info }', 3],
    ['TM-2023', 'overlay: 1.0.0\nactions:\n  - { target: $.info, copy: $.info }', 3],
    ['TM-2023', 'overlay: 1.0.0\nactions:\n  - { target: info, update: {} }', 3],
    ['TM-2023', 'overlay: 1.0.0\nactions:\n  - { target: $, remove: true }', 3],
    ['TM-2023', 'overlay: 1.0.0\nactions:\n  - { target: $.openapi, update: 3.0.0 }', 3],
    ['TM-2023', 'overlay: 1.0.0\nactions:\n  - { target: $.info, update: [] }', 3],
  ])('%s: %j', async (code, text, line) => {
    await expect(after(text)).rejects.toMatchObject({
      code,
      place: { document: 'overlay-0.yaml', line },
    })
  })

  test('what multiplies itself is refused, what is nested deeply is found', async () => {
    const twice = "  - { target: '$..x-l', update: { x-l: [{ x-l: [] }, { x-l: [] }] } }\n"
    const begin = '  - { target: $.info, update: { x-l: [] } }\n'
    await expect(after(overlay(begin + twice.repeat(40)))).rejects.toMatchObject({
      code: 'TM-2012',
    })
    const deep = `${'{ a: '.repeat(300)}{ b: 1 }${' }'.repeat(300)}`
    const mark = "  - { target: '$..[?@.b == 1]', update: { b: 2 } }\n"
    const root = await after(overlay(`  - { target: $.info, update: ${deep} }\n${mark}`))
    expect(JSON.stringify(root)).toContain('{"b":2}')
  })

  test('an action that finds nothing is told, and changes nothing', async () => {
    const contract = await readOpenApi(
      documents(overlay('  - { target: "$.paths[\'/gone\']", remove: true }')),
      'gauge',
    )
    expect(contract.notes.map(({ code, origin }) => [code, origin.line])).toEqual([['TM-2024', 4]])
  })
})
