import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import type { Contract, Endpoint, NamedType, Operation } from '../../src/contract/contract.js'
import { noNames } from '../../src/contract/kept-names.js'
import { camelCase, isIdentifier, pascalCase } from '../../src/naming/identifiers.js'
import { assignNames, operationExports, type Names } from '../../src/naming/names.js'
import { moduleOfOperation } from '../../src/naming/operation-files.js'
import { globals, keywords } from '../../src/naming/reserved.js'

const origin = 0

/** A contract with operations of these names, each taking a record of each of these types. */
function contractWith(operations: readonly string[], types: readonly string[]): Contract {
  const ids = types.map((name, at) => `{urn:made-up:n${at % 3}}${name}`)
  const named = Object.fromEntries(
    ids.map((id, at): [string, NamedType] => [
      id,
      { kind: 'record', fields: [], id, name: types[at] ?? '', origin },
    ]),
  )
  const inputs = ids.map((to, at) => ({
    name: `f${at}`,
    type: { kind: 'reference' as const, to, origin },
    optional: true,
    nullable: false,
    place: 'body' as const,
    origin,
  }))
  const made = operations.map((name): Operation => ({
    path: [name],
    inputs,
    outcome: { kind: 'nothing' },
    faults: [],
    wire: {},
    origin,
  }))
  return {
    name: 'c',
    dialect: 'soap',
    title: 'The Desk',
    services: [{ name: 's', endpoints: [], operations: made, origin }],
    types: named,
    security: [],
    notes: [],
    origin,
  }
}

const assign = (contract: Contract, kept = noNames): Names =>
  assignNames(contract, kept, ['text', 'int', 'send'])

/** Everything that one module scope would hold. */
function exportsOf(names: Names): string[] {
  return [
    names.class,
    ...Object.values(names.types),
    ...Object.values(names.operations).flatMap(operationExports),
  ]
}

describe('names of the wire as identifiers', () => {
  test.each([
    ['list-berths', 'ListBerths', 'listBerths'],
    ['XMLFile', 'XMLFile', 'xmlFile'],
    ['10 ft', 'N10Ft', 'n10Ft'],
    ['get_x0020_all', 'GetAll', 'getAll'],
    ['', 'Unnamed', 'unnamed'],
    ['été:prix', 'ÉtéPrix', 'étéPrix'],
    ['__proto__', 'Proto', 'proto'],
    ['\u0928\u094c\u0915\u093e', '\u0928\u094c\u0915\u093e', '\u0928\u094c\u0915\u093e'],
    ['\u{10428}a', '\u{10400}a', '\u{10428}a'],
    ['\u00dfa', 'SSa', '\u00dfa'],
    ['a.b/c d', 'ABCD', 'aBCD'],
    ['…', 'Unnamed', 'unnamed'],
    ['URL', 'URL', 'url'],
    ['getURLOf', 'GetURLOf', 'getURLOf'],
  ])('%j is %s as a type and %s as a member', (wire, pascal, camel) =>
    expect([pascalCase(wire), camelCase(wire)]).toEqual([pascal, camel]),
  )

  test('whatever the wire says, an identifier comes out, and it is not too long for a file name', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary', maxLength: 500 }), (wire) => {
        for (const name of [pascalCase(wire), camelCase(wire)]) {
          expect(isIdentifier(name)).toBe(true)
          expect([...name].length).toBeLessThanOrEqual(82)
        }
      }),
    )
  })
})

describe('the names of a client', () => {
  test('clashes with globals, keywords, each other and our own words get a telling suffix', () => {
    const names = assign(
      contractWith(
        ['delete', 'send', 'Date', 'connect', 'list', 'List'],
        ['Date', 'Error', 'settings', 'Vessel', 'vessel', 'ListInput'],
      ),
    )
    expect(names.operations).toMatchObject({
      delete: 'deleteOperation',
      send: 'sendOperation',
      connect: 'connectOperation',
    })
    expect(Object.values(names.types)).toEqual(
      expect.arrayContaining(['DateRecord', 'ErrorRecord', 'SettingsRecord']),
    )
    expect(new Set(exportsOf(names)).size).toBe(exportsOf(names).length)
    expect(names.codecs['{urn:made-up:n0}Date']).toBe('dateRecord')
  })

  test('what a plain-HTTP port alone needs takes no good name from what SOAP needs', () => {
    const contract = contractWith(['find', 'findPlain'], ['Berth', 'Berth'])
    const [service] = contract.services
    const endpoint = (name: string, protocol: string): Endpoint => ({
      name,
      protocol,
      address: '',
      origin,
      specifics: {},
    })
    const endpoints = [endpoint('get', 'HTTP GET'), endpoint('line', 'SOAP 1.1')]
    const operations = ['line', 'get'].map((name, at): Operation => {
      const [find] = service?.operations ?? []
      if (find === undefined) throw new Error('no operation')
      return {
        ...find,
        path: [`find${name}`],
        inputs: find.inputs.filter((_, place) => place !== at),
        wire: { [name]: {} },
      }
    })
    const { types } = assign({
      ...contract,
      services: [{ name: 's', endpoints, operations, origin }],
    })
    expect(types).toEqual({
      '{urn:made-up:n0}Berth': 'BerthRecord',
      '{urn:made-up:n1}Berth': 'Berth',
    })
  })

  const wireName = fc.oneof(
    fc.string({ unit: 'grapheme', maxLength: 8 }),
    fc.constantFrom(
      ...keywords,
      ...globals,
      '__proto__',
      'constructor',
      'toString',
      'a',
      'A',
      'a b',
      'a-b',
      'AInput',
    ),
  )
  const wireNames = fc.uniqueArray(
    wireName.filter((name) => name !== ''),
    { maxLength: 12 },
  )

  test('torture: all identifiers are valid and different, even ignoring case, and never a word of the language', () => {
    fc.assert(
      fc.property(wireNames, wireNames, (operations, types) => {
        const names = assign(contractWith(operations, types))
        const all = exportsOf(names)
        expect(
          all.filter((name) => !isIdentifier(name) || keywords.has(name) || globals.has(name)),
        ).toEqual([])
        expect(
          new Set([names.class, ...Object.values(names.types)].map((name) => name.toLowerCase()))
            .size,
        ).toBe(Object.keys(names.types).length + 1)
        expect(
          new Set(Object.values(names.operations).map((name) => name.toLowerCase())).size,
        ).toBe(Object.keys(names.operations).length)
        expect(new Set(all).size).toBe(all.length)
        expect(new Set(Object.values(names.codecs)).size).toBe(Object.keys(names.codecs).length)
      }),
    )
  })

  test('adding operations and types never renames anything, in whatever order the document has them', () => {
    fc.assert(
      fc.property(
        wireNames,
        wireNames,
        wireNames,
        wireNames,
        (operations, types, moreOperations, moreTypes) => {
          const before = assign(contractWith(operations, types))
          const after = assign(
            contractWith([...new Set([...moreOperations, ...operations])], types),
            before,
          )
          expect(after.operations).toMatchObject(before.operations)
          expect(after.types).toMatchObject(before.types)
          expect(after.codecs).toMatchObject(before.codecs)
          expect(assign(contractWith([...operations].reverse(), types))).toEqual(before)
          const grown = assign(
            contractWith(operations, [
              ...types,
              ...moreTypes.filter((each) => !types.includes(each)),
            ]),
            before,
          )
          expect(grown.types).toMatchObject(before.types)
        },
      ),
    )
  })
})

describe('the files of operations', () => {
  const grouped = (count: number, groups: readonly string[]): Contract => {
    const contract = contractWith([], [])
    const operation = (path: readonly string[]): Operation => ({
      path,
      inputs: [],
      outcome: { kind: 'nothing' },
      faults: [],
      wire: {},
      origin,
    })
    const inGroups = groups.flatMap((group) =>
      Array.from({ length: count }, (_, at) => operation([group, `do${String(at)}`])),
    )
    const operations = [...inGroups, operation(['Vessels']), operation(['alone', 'only'])]
    return { ...contract, services: contract.services.map((each) => ({ ...each, operations })) }
  }
  const modulesOf = (contract: Contract): string[] => {
    const names = assign(contract)
    const all = contract.services.flatMap(({ operations }) => operations)
    return [...new Set(all.map((each) => moduleOfOperation(contract, names, each)))]
  }

  test('are one each in small clients, in others one for each group; never two by one name', () => {
    expect(modulesOf(grouped(2, ['berths'])).sort()).toEqual(
      ['do0Berths', 'do1Berths', 'onlyAlone', 'vessels'].map((name) => `operations/${name}`),
    )
    expect(modulesOf(grouped(30, ['vessels', 'con']))).toEqual(
      ['vesselsOperations', 'theDeskCon', 'vessels', 'onlyAlone'].map(
        (each) => `operations/${each}`,
      ),
    )
  })

  test('of very large groups are stretches of the alphabet', () => {
    const modules = modulesOf(grouped(400, ['berths']))
    expect(modules.length).toBeGreaterThan(6)
    expect(modules.length).toBeLessThan(40)
    expect(modules[0]).toMatch(/^operations\/berths-\w+/)
  })
})
