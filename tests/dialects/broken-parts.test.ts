import { readFile } from 'node:fs/promises'
import { join } from 'node:path'
import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import { chooseOperations } from '../../src/app/contracts/open-contract.js'
import type { Contract, Operation, Type, TypeId } from '../../src/contract/contract.js'
import { originAt, partsOfOrigin } from '../../src/contract/origin.js'
import { Problem } from '../../src/contract/problem.js'
import {
  directSubtypes,
  namedType,
  operationsOf,
  partsOf,
  pathOf,
  selectOperations,
  typesOfOperation,
} from '../../src/contract/queries.js'
import { dialectNamed, dialectOf } from '../../src/dialects/registry.js'
import { documentsOf, loadDocuments, type LoadedDocument } from '../../src/documents/documents.js'
import { fixtures, metadataFiles } from '../support/contracts.js'

interface Service {
  readonly whole: Contract
  readonly documents: readonly LoadedDocument[]
  /** Its types that can be broken, by their place among those. */
  readonly types: readonly { readonly id: TypeId; readonly start: RegExpExecArray }[]
}

const definition = /<(\w+:)?(complexType|simpleType|EntityType|ComplexType) [^<>]*[^/]>/g

/** All services of the fixtures and the demo that are described in XML, and are sound. */
async function services(): Promise<Service[]> {
  const found: Service[] = []
  for (const file of await metadataFiles()) {
    const dialect = await dialectOf(await readFile(file, 'utf8'))
    if (dialect === undefined || !/\.(wsdl|xml)$/.test(file)) continue
    const loaded = await loadDocuments(file, { recognise: (text) => dialect.recognise(text) })
    const whole = await dialect.read(loaded, 'service').catch(() => undefined)
    if (whole === undefined) continue
    const documents = loaded.all()
    const types = documents.flatMap(({ text }, at) =>
      [...text.matchAll(definition)].flatMap((start) => {
        const origin = originAt(at, start.index)
        const type = Object.values(whole.types).find((each) => each.origin === origin)
        return type === undefined ? [] : [{ id: type.id, start }]
      }),
    )
    if (types.length > 0) found.push({ whole, documents, types })
  }
  return found
}

/** What makes a type wrong, wherever it is put into it first. */
function nonsense([, prefix = '', local]: RegExpExecArray): string {
  if (local === 'simpleType') return `<${prefix}restriction base="${prefix}gone"/>`
  return local === 'complexType'
    ? `<${prefix}complexContent><${prefix}restriction/></${prefix}complexContent>`
    : '<Property Name="Zz" Type="Edm.Gone"/>'
}

/** Every type of which an operation may send or get a value, and what those are made of. */
function needed(contract: Contract, operation: Operation): Set<TypeId> {
  const [found, values] = [new Set<TypeId>(), new Set<TypeId>()]
  const visit = (type: Type): void => {
    if (type.kind === 'reference') value(type.to)
    else partsOf(type).forEach(visit)
  }
  const itself = (id: TypeId): void => {
    if (found.has(id)) return
    found.add(id)
    const type = namedType(contract, id)
    if (type.kind !== 'record') visit(type.kind === 'reference' ? { ...type } : type)
    else {
      for (const part of partsOf(type)) if (part !== type.base) visit(part)
      for (const other of [type.base?.to, type.variantOf]) if (other !== undefined) itself(other)
    }
  }
  const value = (id: TypeId): void => {
    if (values.has(id)) return
    values.add(id)
    itself(id)
    for (const subtype of directSubtypes(contract).get(id) ?? []) value(subtype)
  }
  typesOfOperation(operation).forEach(visit)
  for (const id of operation.needs ?? []) itself(id)
  for (const { type } of operation.identifies ?? []) itself(type)
  return found
}

const withoutOrigins = (value: unknown): unknown =>
  JSON.parse(JSON.stringify(value, (key, each: unknown) => (key === 'origin' ? 0 : each)))

test('a type that is broken takes along what needs it and nothing else; who chooses that is told', async () => {
  const all = await services()
  expect(all.length).toBeGreaterThan(30)
  const counts = { kept: 0, broken: 0, nothingLeft: 0 }
  await fc.assert(
    fc.asyncProperty(fc.nat(), fc.nat(), async (of, at) => {
      const { whole, documents, types } = all[of % all.length] as Service
      const { id, start } = types[at % types.length] as Service['types'][number]
      const where = partsOfOrigin(namedType(whole, id).origin).document
      const spoiled = documents.map((document, index) => {
        const cut = start.index + start[0].length
        const { text } = document
        return index === where
          ? { ...document, text: text.slice(0, cut) + nonsense(start) + text.slice(cut) }
          : document
      })
      const label = documents[0]?.label ?? ''
      const dialect = await dialectNamed(whole.dialect)
      const contract = await dialect
        .read(documentsOf(spoiled, label), 'service')
        .catch((error: unknown) => {
          if (error instanceof Problem) return error
          throw error
        })
      if (contract instanceof Problem) {
        expect(contract.place?.document).toBe(documents[where]?.label)
        counts.nothingLeft += 1
        return
      }
      expect(contract.types).not.toHaveProperty([id])
      expect(contract.notes).toContainEqual(expect.objectContaining({ code: 'TM-2020' }))
      const gone = new Set(Object.keys(whole.types).filter((each) => !(each in contract.types)))
      const broken = (contract.broken ?? []).map(({ path }) => path.join('.'))
      const sound = operationsOf(contract).map(pathOf)
      for (const operation of operationsOf(whole)) {
        const path = pathOf(operation)
        const needs = [...needed(whole, operation)].some((each) => gone.has(each))
        expect([path, broken.includes(path), sound.includes(path)]).toEqual([path, needs, !needs])
        const chosen = (): Contract => chooseOperations(contract, [path], 'service')
        if (needs) expect(chosen).toThrow(Problem)
        else {
          const before = selectOperations(whole, (each) => each === operation)
          const after = chosen()
          expect(withoutOrigins(operationsOf(after))).toEqual(withoutOrigins([operation]))
          for (const [name, type] of Object.entries(after.types))
            expect(withoutOrigins(type)).toEqual(withoutOrigins(before.types[name]))
        }
        counts[needs ? 'broken' : 'kept'] += 1
      }
      if (broken.length > 0)
        expect(() => chooseOperations(contract, undefined, 'service')).toThrow(Problem)
    }),
    { numRuns: 150 },
  )
  for (const count of Object.values(counts)) expect(count).toBeGreaterThan(15)
})

test('descriptions of other kinds: schemas without end, faults that nobody declares, types without a name', async () => {
  const deep = `${'{"type":"array","items":'.repeat(400)}{"type":"string"}${'}'.repeat(400)}`
  const answer = (schema: string): string =>
    `{"description":"d","content":{"application/json":{"schema":${schema}}}}`
  const get = (id: string, schema: string): string =>
    `{"get":{"operationId":"${id}","responses":{"200":${answer(schema)}}}}`
  const named = '{"$ref":"#/components/schemas/Deep"}'
  const openapi = `{"openapi":"3.1.0","info":{"title":"t","version":"1"},"paths":{"/a":${get('a', '{"type":"string"}')},"/b":${get('b', named)},"/c":${get('c', deep)}},
    "webhooks":{"told":{"post":{"requestBody":${answer(named).replace('"description":"d",', '')}}}},"components":{"schemas":{"Deep":${deep}}}}`
  const newer = await readFile(join(fixtures, 'soap-messages/newer.wsdl'), 'utf8')
  const keys = await readFile(join(fixtures, 'odata/keys.xml'), 'utf8')
  const nameless = keys.replace('<EntityType ', '<ComplexType/><EntityType ')
  const results: [text: string, broken: string[], ...parts: string[]][] = [
    [openapi, ['c', 'b'], 'operation "c"', 'type "Deep"; operation "b"; message "told"'],
    [
      newer.replace('outfault ref="t:NoTug"', 'outfault ref="t:No"'),
      ['orderTug'],
      'operation "orderTug"',
    ],
    [nameless, [], 'type without a name'],
  ]
  for (const [text, broken, ...parts] of results) {
    const dialect = await dialectOf(text)
    const document = { label: 'd', from: '/d', bytes: new Uint8Array(), text, refers: new Map() }
    const contract = await dialect?.read(documentsOf([document], 'd'), 'service')
    expect(contract?.broken?.map(({ path }) => path.join('.')) ?? []).toEqual(broken)
    const notes = contract?.notes.filter(({ code }) => code === 'TM-2020') ?? []
    expect(notes.map(({ message }) => / left out: ([^.]*)/.exec(message)?.[1])).toEqual(parts)
  }
})
