import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { parse } from 'yaml'
import { noNames } from '../../src/contract/kept-names.js'
import type { Contract } from '../../src/contract/contract.js'
import { Problem } from '../../src/contract/problem.js'
import type { Dialect } from '../../src/dialects/dialect.js'
import { http } from '../../src/dialects/http/index.js'
import { odata } from '../../src/dialects/odata/index.js'
import { soap } from '../../src/dialects/soap/index.js'
import { documentsOf } from '../../src/documents/documents.js'
import { sampleInput } from '../../src/exercise/sample.js'
import { assignNames } from '../../src/naming/names.js'
import { clientFiles, type GeneratedFile } from '../../src/typescript/client.js'
import { tokensOf, troubleIn } from '../support/generated-code.js'
import { hostileTexts } from '../support/hostile.js'
import { repository } from '../support/program.js'

/**
 * Puts texts into the places of a document: prose, or any text that is not what the reader finds
 * its way by.
 */
type Fill = (document: string, textFor: (was: string) => string, everywhere: boolean) => string

/** What a description's reader finds its way by; another text there makes another document. */
const structural = new Set([
  'openapi',
  'swagger',
  '$ref',
  'type',
  'in',
  'format',
  'style',
  'scheme',
  'mapping',
  'required',
  'propertyName',
  'security',
  'flow',
  'collectionFormat',
  'operationRef',
  'operationId',
  '$id',
  '$anchor',
  '$dynamicRef',
  '$dynamicAnchor',
])
const prose = new Set(['description', 'summary', '$comment'])

const fillDescription: Fill = (document, textFor, everywhere) => {
  const fill = (value: unknown, key: string): unknown => {
    if (typeof value === 'string') return everywhere || prose.has(key) ? textFor(value) : value
    if (Array.isArray(value)) return value.map((each) => fill(each, key))
    if (typeof value !== 'object' || value === null) return value
    const named = everywhere && key === 'properties'
    return Object.fromEntries(
      Object.entries(value).map(([name, inside]) => [
        named ? textFor(name) : name,
        (structural.has(name) || (name === 'servers' && !everywhere)) && key !== 'properties'
          ? inside
          : fill(inside, name),
      ]),
    )
  }
  return JSON.stringify(fill(JSON.parse(document), ''))
}

const xmlEscaped = (text: string): string =>
  text.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`)

const fillXml: Fill = (document, textFor, everywhere) => {
  const documented = document
    .replace(
      /(<(?:\w+:)?(?:documentation|Summary|LongDescription)>)([^<]*)(<)/g,
      (_, open: string, was: string, close: string) => `${open}${xmlEscaped(textFor(was))}${close}`,
    )
    .replace(
      /(Term="[\w.]*Description"\s+String=")([^"]*)(")/g,
      (_, open: string, was: string, close: string) => `${open}${xmlEscaped(textFor(was))}${close}`,
    )
  if (!everywhere) return documented
  const literals = documented.replace(
    /((?:location|soapAction|value|default|fixed|String|DefaultValue|sap:label)=")([^"]*)(")/g,
    (whole, open: string, was: string, close: string) =>
      /^(?:\d|true|false)/.test(was) ? whole : `${open}${xmlEscaped(textFor(was))}${close}`,
  )
  // A name with all that refers to it.
  const names = [
    ...new Set([...literals.matchAll(/ (?:name|Name)="(\w{4,})"/g)].map((found) => found[1] ?? '')),
  ]
  return names
    .filter((_, at) => at % 3 === 0)
    .reduce((text, name) => {
      const other = xmlEscaped(textFor(name))
      return text.replace(new RegExp(`(?<=["/:.])${name}(?=["/)])`, 'g'), () => other)
    }, literals)
}

function generated(dialect: Dialect, contract: Contract): GeneratedFile[] {
  const runtime = new Proxy<Record<string, string>>({}, { get: () => '' })
  const rules = dialect.rules?.(contract)
  const files = clientFiles(
    contract,
    assignNames(contract, noNames, dialect.emit.reservedNames(contract)),
    dialect,
    {
      contractName: 'quay',
      runtime,
      sources: {},
      inputs: '',
      importSuffix: '.js',
      sample: (operation) => sampleInput(contract, operation, { full: true, rules }),
    },
  )
  return files.filter(({ path }) => path.endsWith('.ts') && !path.startsWith('runtime/'))
}

async function read(dialect: Dialect, label: string, text: string): Promise<Contract> {
  return dialect.read(
    documentsOf(
      [{ label, from: `/${label}`, bytes: new Uint8Array(), text, refers: new Map() }],
      label,
    ),
    'quay',
  )
}

function texts(folder: string, ending: RegExp): [name: string, text: string][] {
  return readdirSync(join(repository, folder))
    .filter((name) => ending.test(name))
    .map((name) => [name, readFileSync(join(repository, folder, name), 'utf8')])
}

const descriptions = [...texts('tests/fixtures/openapi', /\.(?:yaml|json)$/)].map(
  ([name, text]): [string, string] => [name, JSON.stringify(parse(text, { merge: true }))],
)
const entityModels = [
  ...texts('tests/fixtures/odata', /\.xml$/),
  ...texts('demo/registry', /registry\.xml$/),
  ...texts('demo/cargo', /cargo\.xml$/),
]
const definitions = texts('tests/fixtures/soap', /\.wsdl$/).filter(
  ([, text]) => !/schemaLocation=|<wsdl:import|<import/.test(text),
)

const dialects: readonly [
  name: string,
  dialect: Dialect,
  label: string,
  documents: readonly [string, string][],
  fill: Fill,
][] = [
  ['OpenAPI', http, 'quay.json', descriptions, fillDescription],
  ['OData', odata, 'quay.xml', entityModels, fillXml],
  ['WSDL', soap, 'quay.wsdl', definitions, fillXml],
]

describe.each(dialects)('%s', (_, dialect, label, documents, fill) => {
  const hostile = hostileTexts(label !== 'quay.json')

  test('hostile prose changes nothing but comments', async () => {
    let next = 0
    let tokens = 0
    for (const [, document] of documents) {
      const [plain, other] = await Promise.all(
        [
          fill(document, () => 'calm', false),
          fill(
            document,
            () =>
              `calm ${Array.from({ length: 20 }, () => hostile[(next += 1) % hostile.length] ?? '').join('')}`,
            false,
          ),
        ].map(async (text) => generated(dialect, await read(dialect, label, text))),
      )
      expect(other?.map(({ path }) => path)).toEqual(plain?.map(({ path }) => path))
      for (const [at, { path, text }] of (other ?? []).entries()) {
        expect(tokensOf(text).join('\n')).toBe(tokensOf(plain?.[at]?.text ?? '').join('\n'))
        expect(troubleIn(path, text)).toEqual([])
        tokens += 1
      }
    }
    expect(tokens).toBeGreaterThan(100)
  })

  test('hostile texts in names, values, addresses and patterns are printed as literals or not at all', async () => {
    let [next, good, refused] = [0, 0, 0]
    const placed = new Set<string>()
    for (let round = 0; placed.size < hostile.length && round < 8; round += 1) {
      for (const [at, [, document]] of documents.entries()) {
        let place = round
        const text = fill(
          document,
          (was) => {
            place += 1
            if (place % 3 !== 0) return was
            const chosen = Array.from(
              { length: 20 },
              () => hostile[(next += 1) % hostile.length] ?? '',
            )
            for (const each of chosen) placed.add(each)
            return `${was}${(at + round) % 2 === 0 ? '' : ' '}${chosen.join('')}`
          },
          true,
        )
        try {
          for (const { path, text: code } of generated(dialect, await read(dialect, label, text)))
            expect(troubleIn(path, code)).toEqual([])
          good += 1
        } catch (error) {
          if (!(error instanceof Problem)) throw error
          refused += 1
        }
      }
    }
    expect({ placed: placed.size, mostly: good > refused }).toEqual({
      placed: hostile.length,
      mostly: true,
    })
  })
})
