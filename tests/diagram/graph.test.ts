import { execFileSync } from 'node:child_process'
import { readdir } from 'node:fs/promises'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { readSource } from '../../src/app/contracts/read-source.js'
import type { Contract, Field } from '../../src/contract/contract.js'
import { neededOf } from '../../src/contract/queries.js'
import { dotText } from '../../src/diagram/dot.js'
import { drawingOf } from '../../src/diagram/drawing.js'
import { drawnTypes, graphOf, type Graph } from '../../src/diagram/graph.js'
import { layOut } from '../../src/diagram/layout.js'
import type { Layout } from '../../src/diagram/placed.js'
import { mermaidText } from '../../src/diagram/mermaid.js'
import type { Shape } from '../../src/diagram/shapes.js'
import { svgText } from '../../src/diagram/svg.js'
import { typesOfView, type View } from '../../src/diagram/view.js'
import { libxml2WellFormed } from '../support/libxml2.js'
import { repository } from '../support/program.js'
import { hasViewers } from '../support/viewers.js'

const read = async (path: string): Promise<Contract> =>
  neededOf((await readSource(join(repository, path), 'c')).contract)
const nameOf = (graph: Graph, id: string): string =>
  graph.boxes.find((box) => box.id === id)?.name ?? '?'
/** Links as lines: `PortCall Calls * leadsTo Vessel Vessel 1`. */
const linksOf = (graph: Graph): string[] =>
  graph.links
    .map(({ kind, from, to, source, target }) =>
      [
        nameOf(graph, from),
        source.name ?? '',
        source.multiplicity ?? '',
        kind,
        nameOf(graph, to),
        target.name ?? '',
        target.multiplicity ?? '',
      ].join('|'),
    )
    .sort()

describe('a graph says what the metadata says', () => {
  test('of the vessel register: every navigation property, both ways where there is a partner', async () => {
    const graph = graphOf(await read('demo/registry/registry.xml'))
    expect(linksOf(graph)).toEqual([
      'Office|||leadsTo|Address|Address|0..1',
      'Owner|Owner|0..1|leadsTo|Vessel|Vessels|*',
      'Owner|||leadsTo|Address|Address|1',
      'Paper|||leadsTo|Vessel|Vessel|0..1',
      'PortCall|Calls|*|leadsTo|Vessel|Vessel|1',
      'Survey|Surveys|*|leadsTo|Vessel|Vessel|1',
      'Tug|||extends|Vessel||',
      'Vessel|||contains|LogEntry|Log|*',
      'Vessel|||uses|Clearance|Cleared|',
      'Vessel|||uses|VesselKind|Kind|',
    ])
    expect(graph.boxes.map(({ name, kind }) => `${name} ${kind}`)).toEqual([
      'Address record',
      'Clearance enumeration',
      'LogEntry entity',
      'Office record',
      'Owner entity',
      'Paper entity',
      'PortCall entity',
      'Survey entity',
      'Tug entity',
      'Vessel entity',
      'VesselKind enumeration',
    ])
    expect(
      graph.boxes
        .find(({ name }) => name === 'PortCall')
        ?.rows.filter(({ key }) => key)
        .map(({ name }) => name),
    ).toEqual(['VesselNumber', 'Call'])
    expect(graph.listings.find(({ title }) => title === 'sets')?.entries).toContain(
      'VesselsLog: LogEntry[]',
    )
    expect(graph.listings.find(({ title }) => title === 'operations')?.entries).toContain(
      'Vessels.Rename(key, name)',
    )
  })

  test('of version 2: associations, with what holds at both ends', async () => {
    expect(linksOf(graphOf(await read('demo/cargo/cargo.xml')))).toEqual(
      [
        'Crate|Crates|*|leadsTo|Ship|Ship|0..1',
        'Crate|Crate|1|leadsTo|Move|Moves|*',
        'Crate|||leadsTo|Place|Place|1',
      ].sort(),
    )
  })

  test('of WSDL: records, what extends what, how often elements occur', async () => {
    const lines = linksOf(graphOf(await read('demo/berths/desk.wsdl')))
    expect(lines).toEqual(
      expect.arrayContaining([
        'Quote|||leadsTo|QuoteLine|Line|1..*',
        'Reservation|||leadsTo|Vessel|Vessel|1',
        'ReservationRequest|||leadsTo|Remark|Remark|0..1',
        'Tug|||extends|Vessel||',
        'ReservationRequest|||uses|Service|Service|',
      ]),
    )
    expect(lines).toHaveLength(11)
  })

  test('of OpenAPI: unions with their alternatives, and allOf', async () => {
    expect(linksOf(graphOf(await read('demo/ferries/openapi.yaml')))).toEqual(
      expect.arrayContaining([
        'LashingPlan|||oneOf|Chains||',
        'Vehicle|||oneOf|Lorry||',
        'Car|||extends|Wheeled||',
        'SailingFull|||extends|Problem||',
        'BookingInput|||leadsTo|Vehicle|vehicle|0..1',
        'Booking|||leadsTo|Person|lead|1',
      ]),
    )
    expect(
      graphOf(await read('demo/ferries/openapi.yaml'))
        .boxes.find(({ name }) => name === 'LashingPlan')
        ?.rows.map(({ name }) => name),
    ).toEqual(['"by the crew"'])
  })

  test('nothing is dropped: every field of every type of the fixtures is a row, or at the end of a link', async () => {
    for (const file of [
      ...(await readdir(join(repository, 'tests/fixtures/odata'))).map(
        (name) => `tests/fixtures/odata/${name}`,
      ),
      'demo/ferries/openapi.yaml',
      'demo/berths/desk.wsdl',
      'tests/fixtures/openapi/circles.yaml',
    ]) {
      const contract = await read(file)
      const graph = graphOf(contract)
      for (const type of drawnTypes(contract)) {
        const fields: readonly Field[] = type.kind === 'record' ? type.fields : []
        const rows =
          graph.boxes.find(({ id }) => id === type.id)?.rows.map(({ name }) => name) ?? []
        const ends = graph.links.flatMap(({ from, to, source, target }) => [
          ...(from === type.id ? [target.name] : []),
          ...(to === type.id ? [source.name] : []),
        ])
        for (const { name } of fields.filter((field) => field.name !== '$etag'))
          expect({
            file,
            type: type.name,
            name,
            told: rows.includes(name) || ends.includes(name),
          }).toMatchObject({ told: true })
      }
    }
  })

  test('of a part, fields that lead out of it stay as rows', async () => {
    const contract = await read('demo/registry/registry.xml')
    const graph = graphOf(
      contract,
      typesOfView(contract, { around: ['survey'], steps: 0, add: ['Paper'] }),
    )
    expect(graph.boxes.map(({ name }) => name)).toEqual(['Paper', 'Survey'])
    expect(graph.boxes[1]?.rows.find(({ name }) => name === 'Vessel')).toMatchObject({
      type: 'Vessel?',
    })
    expect(graph.links).toEqual([])
    expect(graph.whole).toBe(11)
  })
})

describe('views', () => {
  const cases: [View, string[]][] = [
    [{ around: ['Survey'] }, ['Survey', 'Vessel']],
    [
      { around: ['Survey'], steps: 2, remove: ['*k*'] },
      ['Clearance', 'LogEntry', 'Owner', 'Paper', 'PortCall', 'Survey', 'Tug', 'Vessel'],
    ],
    [{ start: 'nothing', add: ['P*'] }, ['Paper', 'PortCall']],
    [{ start: 'nothing' }, []],
    [
      { remove: ['Vessel*', 'Tug'] },
      ['Address', 'Clearance', 'LogEntry', 'Office', 'Owner', 'Paper', 'PortCall', 'Survey'],
    ],
  ]
  test.each(cases)('%j', async (view, names) => {
    const contract = await read('demo/registry/registry.xml')
    expect(graphOf(contract, typesOfView(contract, view)).boxes.map(({ name }) => name)).toEqual(
      names,
    )
  })
  test('a name that fits nothing is told with the nearest', async () => {
    const contract = await read('demo/registry/registry.xml')
    expect(() => typesOfView(contract, { around: ['Vesel'] })).toThrow(
      'The diagram of c has no type "Vesel".',
    )
  })
})

describe('the picture', () => {
  const texts = (shapes: readonly Shape[]): string[] =>
    shapes.flatMap((shape) => {
      if (shape.kind === 'group') return texts(shape.shapes)
      if (shape.kind === 'text') return [shape.text]
      return []
    })
  const overlap = (
    a: { x: number; y: number; w: number; h: number },
    b: { x: number; y: number; w: number; h: number },
  ): boolean => a.x < b.x + b.w && b.x < a.x + a.w && a.y < b.y + b.h && b.y < a.y + a.h
  const drawn = async (
    path: string,
    towards: 'right' | 'down',
  ): Promise<{ graph: Graph; layout: Layout; svg: string; all: string[] }> => {
    const graph = graphOf(await read(path))
    const layout = await layOut(graph, towards)
    const picture = drawingOf(graph, layout)
    return { graph, layout, svg: svgText(picture), all: texts(picture.shapes) }
  }

  test.each([
    ['demo/registry/registry.xml', 'right'],
    ['demo/cargo/cargo.xml', 'down'],
    ['demo/berths/desk.wsdl', 'right'],
    ['demo/ferries/openapi.yaml', 'down'],
  ] as const)(
    '%s, %s: every box, row and end of a link is in it, no two boxes overlap, and libxml2 reads it',
    async (path, towards) => {
      const { graph, layout, svg, all } = await drawn(path, towards)
      for (const box of graph.boxes) expect(svg).toContain(`data-name="${box.name}"`)
      for (const { source, target, kind } of graph.links)
        for (const end of kind === 'uses' ? [] : [source, target])
          if (end.name !== undefined)
            expect(all).toContain(
              `${end.name}${end.multiplicity === undefined ? '' : `  ${end.multiplicity}`}`,
            )
      for (const [at, box] of layout.boxes.entries())
        for (const other of layout.boxes.slice(at + 1))
          expect({
            box: box.title,
            other: other.title,
            overlap: overlap(box, other),
          }).toMatchObject({ overlap: false })
      const labels = layout.links.flatMap(({ labels: found }) =>
        found.map((label) => ({ ...label, h: 12 })),
      )
      for (const [at, label] of labels.entries())
        for (const other of labels.slice(at + 1))
          expect({ label, other, overlap: overlap(label, other) }).toMatchObject({ overlap: false })
      expect(await libxml2WellFormed(svg)).toBe('')
      expect((await drawn(path, towards)).svg).toBe(svg)
    },
  )

  test('links lead in the direction that was asked for', async () => {
    for (const towards of ['right', 'down'] as const) {
      const { layout } = await drawn('demo/cargo/cargo.xml', towards)
      const at = (name: string): { x: number; y: number } =>
        layout.boxes.find(({ box }) => box.name === name) ?? { x: 0, y: 0 }
      expect(at('Ship')[towards === 'right' ? 'x' : 'y']).toBeGreaterThan(
        at('Crate')[towards === 'right' ? 'x' : 'y'],
      )
    }
  })

  test("what the metadata says can't become markup", async () => {
    const hostile = '</title><script>alert(1)</script>"\'&\u0000'
    const graph: Graph = {
      title: hostile,
      whole: 1,
      listings: [{ title: 'sets', entries: [hostile] }],
      links: [],
      boxes: [
        {
          id: hostile,
          name: hostile,
          kind: 'record',
          abstract: false,
          namespace: '',
          documentation: hostile,
          rows: [{ name: hostile, type: hostile, key: true, documentation: undefined }],
        },
      ],
    }
    const svg = svgText(drawingOf(graph, await layOut(graph, 'right')))
    expect(svg).not.toContain('<script')
    expect(await libxml2WellFormed(svg)).toBe('')
    expect(
      mermaidText(graph, 'right')
        .split('\n')
        .filter((line) => line.includes('class ')),
    ).toHaveLength(1)
  })
})

;(hasViewers ? test : test.skip)('Graphviz reads the same facts from the DOT text', async () => {
  for (const path of [
    'demo/registry/registry.xml',
    'demo/cargo/cargo.xml',
    'demo/berths/desk.wsdl',
    'demo/ferries/openapi.yaml',
  ]) {
    const graph = graphOf(await read(path))
    const told = JSON.parse(
      execFileSync('dot', ['-Tjson0'], { input: dotText(graph, 'right'), encoding: 'utf8' }),
    ) as {
      objects: { name: string; label: string; nodes?: number[] }[]
      edges: { tail: number; head: number; taillabel?: string; headlabel?: string }[]
    }
    const label = (at: number): string => told.objects[at]?.label.split('|')[0] ?? ''
    const expected = graph.links.map(({ kind, from, to, source, target }) =>
      [
        nameOf(graph, from),
        nameOf(graph, to),
        [source.name, source.multiplicity].filter(Boolean).join('  '),
        kind === 'uses' ? '' : [target.name, target.multiplicity].filter(Boolean).join('  '),
      ].join('|'),
    )
    expect(
      told.edges
        .map(({ tail, head, taillabel = '', headlabel = '' }) =>
          [label(tail), label(head), taillabel, headlabel].join('|'),
        )
        .sort(),
    ).toEqual(expected.sort())
  }
})
