import { describe, expect, test } from '@jest/globals'
import { camelCase } from '../../src/naming/identifiers.js'
import { methodName } from '../../src/naming/methods.js'
import fc from 'fast-check'
import { mkdir, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { Contract, Field, Operation, RecordType } from '../../src/contract/contract.js'
import { Problem } from '../../src/contract/problem.js'
import { operationsOf, pathOf } from '../../src/contract/queries.js'
import { odata } from '../../src/dialects/odata/index.js'
import { isTrue } from '../../src/dialects/odata/play/evaluate.js'
import { parseExpression, parseOrder } from '../../src/dialects/odata/play/expression.js'
import { loadDocuments } from '../../src/documents/documents.js'
import { sampleInput } from '../../src/exercise/sample.js'
import { allOf, anyOf, filterText, not } from '../../src/runtime/odata/filter.js'
import * as edm4 from '../../src/runtime/odata/edm4.js'
import type { AnyStructure } from '../../src/runtime/odata/model.js'
import type { Condition, Conditions, NumberTerm, TextTerm } from '../../src/runtime/odata/terms.js'
import { v4 } from '../../src/runtime/odata/v4.js'
import { freshFolder, startServer } from '../support/program.js'

async function read(files: Readonly<Record<string, string>>): Promise<Contract> {
  const folder = await freshFolder()
  for (const [name, text] of Object.entries(files)) {
    await mkdir(join(folder, name, '..'), { recursive: true })
    await writeFile(join(folder, name), text)
  }
  const documents = await loadDocuments(join(folder, Object.keys(files)[0] ?? ''), {
    recognise: odata.recognise,
  })
  return odata.read(documents, 'fixture')
}

const edmx4 = (schemas: string, references = '', version = '4.0'): string =>
  `<edmx:Edmx Version="${version}" xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx">${references}<edmx:DataServices>${schemas}</edmx:DataServices></edmx:Edmx>`
const schema4 = (inside: string, attributes = 'Namespace="Ns" Alias="N"'): string =>
  `<Schema ${attributes} xmlns="http://docs.oasis-open.org/odata/ns/edm">${inside}</Schema>`
const thing =
  '<EntityType Name="Thing"><Key><PropertyRef Name="Id"/></Key><Property Name="Id" Type="Edm.Int32" Nullable="false"/></EntityType>'
const container = (inside: string): string =>
  `<EntityContainer Name="Container">${inside}</EntityContainer>`
const things = container('<EntitySet Name="Things" EntityType="N.Thing"/>')
const paths = (contract: Contract): string[] => operationsOf(contract).map(pathOf)
const fieldsOf = (contract: Contract, id: string): Record<string, Field> =>
  Object.fromEntries((contract.types[id] as RecordType).fields.map((field) => [field.name, field]))
const problemOf = async (files: Record<string, string>): Promise<Problem> => {
  const failure: unknown = await read(files).catch((error: unknown) => error)
  if (!(failure instanceof Problem)) throw failure
  return failure
}

describe('metadata of version 4 (CSDL XML 4.01)', () => {
  test('a set has eight operations, a singleton two; without a key there are fewer', async () => {
    const contract = await read({
      'a.xml': edmx4(
        schema4(
          `${thing}<EntityType Name="Bare"><Property Name="X" Type="Edm.String"/></EntityType>${container('<EntitySet Name="Things" EntityType="Ns.Thing"/><EntitySet Name="Bares" EntityType="N.Bare"/><Singleton Name="Me" Type="N.Thing"/>')}`,
        ),
      ),
    })
    expect(paths(contract)).toEqual([
      'Things.list',
      'Things.get',
      'Things.count',
      'Things.aggregate',
      'Things.create',
      'Things.update',
      'Things.replace',
      'Things.upsert',
      'Things.delete',
      'Bares.list',
      'Bares.count',
      'Bares.aggregate',
      'Bares.create',
      'Me.get',
      'Me.update',
    ])
    expect(contract).toMatchObject({
      title: 'Ns',
      dialect: 'odata',
      services: [{ endpoints: [{ protocol: 'OData 4.0', address: '/' }] }],
      notes: [],
    })
  })

  test('names through aliases; a namespace wins over an alias that is called like it', async () => {
    const other = schema4(
      '<ComplexType Name="Box"><Property Name="A" Type="Edm.String"/></ComplexType>',
      'Namespace="N"',
    )
    const contract = await read({
      'a.xml': edmx4(
        schema4(
          `<EntityType Name="Thing" BaseType="N.Root"><Property Name="Box" Type="N.Box"/></EntityType><EntityType Name="Root" Abstract="true"><Key><PropertyRef Name="Id"/></Key><Property Name="Id" Type="Edm.Guid" Nullable="false"/></EntityType>${things}`,
        ) + other,
      ),
    })
    expect(fieldsOf(contract, 'Ns.Thing')['Box']).toMatchObject({
      type: { kind: 'reference', to: 'N.Box' },
    })
    expect(contract.types['Ns.Thing']).toMatchObject({ base: { to: 'Ns.Root' } })
    expect(contract.types['Ns.Root']).toMatchObject({ abstract: true, keys: ['Id'] })
    expect(
      operationsOf(contract).find((each) => pathOf(each) === 'Things.get')?.inputs[0],
    ).toMatchObject({ name: 'key', type: { base: 'text', format: 'Edm.Guid' } })
  })

  test('other documents are fetched when their namespaces are needed; vocabularies are not', async () => {
    const reference = (uri: string, namespace: string, alias: string): string =>
      `<edmx:Reference Uri="${uri}"><edmx:Include Namespace="${namespace}" Alias="${alias}"/></edmx:Reference>`
    const contract = await read({
      'a.xml': edmx4(
        schema4(`<EntityType Name="Thing" BaseType="P.Root"/>${things}`),
        reference('parts/b.xml', 'Parts', 'P') +
          reference('http://nowhere.invalid/core.xml', 'Org.OData.Core.V1', 'Core'),
      ),
      'parts/b.xml': edmx4(
        schema4(
          '<EntityType Name="Root"><Key><PropertyRef Name="Id"/></Key><Property Name="Id" Type="Edm.Int64" Nullable="false"/><Property Name="C" Type="More.C"/></EntityType>',
          'Namespace="Parts"',
        ),
        reference('c.xml', 'More', 'M'),
      ),
      'parts/c.xml': edmx4(
        schema4(
          '<ComplexType Name="C"><Property Name="X" Type="Edm.String"/></ComplexType>',
          'Namespace="More"',
        ),
      ),
    })
    expect(Object.keys(contract.types)).toEqual(
      expect.arrayContaining(['More.C', 'Ns.Thing', 'Parts.Root']),
    )
    expect(
      (
        await problemOf({
          'a.xml': edmx4(
            schema4(`<EntityType Name="Thing" BaseType="P.Root"/>${things}`),
            reference('gone.xml', 'Parts', 'P'),
          ),
        })
      ).code,
    ).toBe('TM-2010')
  })

  test('properties: facets, flags, type definitions, collections, annotations inside and from outside', async () => {
    const contract = await read({
      'a.xml': edmx4(
        schema4(`<EnumType Name="Flags" IsFlags="true"><Member Name="A" Value="1"/></EnumType><TypeDefinition Name="Money" UnderlyingType="Edm.Decimal" Precision="9" Scale="2"/>
          <EntityType Name="Thing" OpenType="true"><Key><PropertyRef Name="Id"/></Key><Property Name="Id" Type="Edm.Int32"/><Property Name="F" Type="N.Flags" Nullable="false"/><Property Name="M" Type="N.Money"/><Property Name="L" Type="Collection(Edm.String)"/>
          <Property Name="S" Type="Edm.String" MaxLength="5" DefaultValue="x" Nullable="false"/><Property Name="G" Type="Edm.GeographyPoint"/><Property Name="U" Type="Edm.Untyped"/><Property Name="Old" Type="Edm.DateTime"/><Property Name="T" Type="Edm.Stream"/></EntityType>
          <Annotations Target="N.Thing/M"><Annotation Term="Org.OData.Core.V1.Computed" Bool="true"/><Annotation Term="Org.OData.Core.V1.Description"><String>In crowns</String></Annotation></Annotations>
          <Annotations Target="N.Thing"><Annotation Term="My.Own" String="x"/></Annotations><Nonsense/>${things}`),
      ),
    })
    const fields = fieldsOf(contract, 'Ns.Thing')
    expect(fields['Id']).toMatchObject({ nullable: false })
    expect(fields['F']).toMatchObject({
      type: { kind: 'list', item: { to: 'Ns.Flags' }, specifics: { flags: true } },
    })
    expect(fields['M']).toMatchObject({
      nullable: true,
      readOnly: true,
      documentation: 'In crowns',
      type: { to: 'Ns.Money' },
    })
    expect(contract.types['Ns.Money']).toMatchObject({
      base: 'decimal',
      constraints: { totalDigits: 9, fractionDigits: 2 },
    })
    expect(fields['L']).toMatchObject({
      type: { kind: 'list', item: { base: 'text' } },
      nullable: false,
    })
    expect(fields['S']).toMatchObject({ type: { constraints: { maxLength: 5 } }, default: 'x' })
    expect(fields['U']).toMatchObject({ type: { kind: 'anything' } })
    expect(Object.keys(fieldsOf(contract, 'Ns.Thing#new'))).toEqual([
      'Id',
      'F',
      'L',
      'S',
      'G',
      'U',
      'Old',
    ])
    expect(fieldsOf(contract, 'Ns.Thing#new')['S']).toMatchObject({ optional: true })
    expect(Object.keys(fieldsOf(contract, 'Ns.Thing#changes'))).toEqual([
      'F',
      'L',
      'S',
      'G',
      'U',
      'Old',
    ])
    expect(contract.notes.map(({ code, message }) => `${code} ${message.slice(0, 40)}`)).toEqual([
      'TM-2408 "Ns.Thing/G" of the type Edm.GeographyPo',
      'TM-2408 "Ns.Thing/Old" of the type Edm.DateTime ',
      'TM-2406 The annotation My.Own has no effect in t',
      'TM-2404 <Nonsense> is not understood and is igno',
    ])
  })

  test('functions and actions: bound to one and to many, to subtypes, overloads, parameters called like ours, results', async () => {
    const contract = await read({
      'a.xml': edmx4(
        schema4(`${thing}<EntityType Name="Big" BaseType="N.Thing"/>
          <Action Name="Get" IsBound="true"><Parameter Name="t" Type="N.Thing"/><Parameter Name="key" Type="Edm.String" Nullable="false"/></Action>
          <Action Name="Grow" IsBound="true"><Parameter Name="t" Type="N.Big"/></Action>
          <Function Name="Near" IsBound="true"><Parameter Name="t" Type="Collection(N.Thing)"/><Parameter Name="a" Type="Edm.Int32" Nullable="false"/><ReturnType Type="Collection(N.Thing)"/></Function>
          <Function Name="Near" IsBound="true"><Parameter Name="t" Type="Collection(N.Thing)"/><Parameter Name="b" Type="Edm.Int32"/><ReturnType Type="Edm.Int32"/></Function>
          <Action Name="Nowhere" IsBound="true"><Parameter Name="t" Type="Edm.String"/></Action><Action Name="Go"><ReturnType Type="N.Thing" Nullable="false"/></Action><Function Name="Alone"><Parameter Name="x" Type="Edm.Int32"/></Function>
          ${container('<EntitySet Name="Things" EntityType="N.Thing"/><ActionImport Name="Start" Action="N.Go" EntitySet="Things"/><FunctionImport Name="Lost" Function="N.Gone"/>')}`),
      ),
    })
    const all = Object.fromEntries(operationsOf(contract).map((each) => [pathOf(each), each]))
    expect(all['Things.Get_']).toMatchObject({
      inputs: [
        { name: 'key', type: { base: 'int32' } },
        { name: 'key_', type: { base: 'text' } },
        { name: 'ifMatch', optional: true, place: 'header' },
      ],
      outcome: { kind: 'nothing' },
      specifics: { method: 'POST', call: 'Ns.Get' },
    })
    expect(all['Things.Grow']).toMatchObject({
      specifics: { on: { path: 'Things', cast: 'Ns.Big' } },
    })
    const options = ['filter', 'select', 'orderBy', 'top', 'skip', 'search', 'custom']
    expect(all['Things.Near']).toMatchObject({
      inputs: [
        { name: 'a', optional: false },
        ...options.map((name) => ({ name, place: 'query' })),
      ],
      outcome: { field: { type: { kind: 'list' } } },
      specifics: { on: { many: true }, asks: { entity: 'Ns.Thing', options } },
    })
    expect(all['Things.NearByB']).toMatchObject({
      inputs: [{ name: 'b', optional: true, nullable: true }],
      outcome: { field: { nullable: true } },
    })
    expect(all['Start']).toMatchObject({
      outcome: { field: { type: { to: 'Ns.Thing' }, nullable: false } },
    })
    expect(
      contract.notes.map(
        ({ code, message }) =>
          `${code} ${/^The (?:overload|action|function|import)[^,]*?"[\w.]+"/.exec(message)?.[0] ?? message}`,
      ),
    ).toEqual([
      'TM-2409 The overload of "Things.Near"',
      'TM-2407 The action "Ns.Nowhere"',
      'TM-2407 The function "Ns.Alone"',
      'TM-2407 The import "Lost"',
    ])
  })

  test('functions whose long names are cut to the same are numbered', async () => {
    const long = `Near${'by'.repeat(50)}`
    const contract = await read({
      'a.xml': edmx4(
        schema4(
          `${thing}${['A', 'B', 'C'].map((each) => `<Function Name="${long}${each}"><ReturnType Type="Edm.Int32"/></Function>`).join('')}
          ${container(['A', 'B', 'C'].map((each) => `<FunctionImport Name="${long}${each}" Function="N.${long}${each}"/>`).join(''))}`,
        ),
      ),
    })
    expect(operationsOf(contract).map(methodName)).toEqual([
      camelCase(long),
      `${camelCase(long).slice(0, 70)}2`,
      `${camelCase(long).slice(0, 70)}3`,
    ])
  })

  test.each<[string, Record<string, string>, string, RegExp]>([
    [
      'an unknown type',
      { 'a.xml': edmx4(schema4(`${thing.replace('Edm.Int32', 'Ns.Tihng')}${things}`)) },
      'TM-2402',
      /<Property Name="Id"> refers to the type "Ns\.Tihng".*/,
    ],
    [
      'a set of an unknown type',
      { 'a.xml': edmx4(schema4(container('<EntitySet Name="Things" EntityType="N.Thing"/>'))) },
      'TM-2402',
      /"N\.Thing"/,
    ],
    [
      'an unknown primitive type',
      { 'a.xml': edmx4(schema4(`${thing.replace('Edm.Int32', 'Edm.Number')}${things}`)) },
      'TM-2402',
      /"Edm\.Number"/,
    ],
    ['nothing to call', { 'a.xml': edmx4(schema4(thing)) }, 'TM-2403', /offers nothing to call/],
    [
      'a type that extends itself',
      {
        'a.xml': edmx4(
          schema4(
            `<EntityType Name="Thing" BaseType="N.Other"/><EntityType Name="Other" BaseType="N.Thing"/>${things}`,
          ),
        ),
      },
      'TM-2411',
      /extends itself/,
    ],
    [
      'a set of things without properties',
      { 'a.xml': edmx4(schema4(`<EnumType Name="Thing"/>${things}`)) },
      'TM-2414',
      /"N\.Thing", which is an enumeration/,
    ],
    [
      'a version of the future',
      { 'a.xml': edmx4(schema4(things), '', '5.0') },
      'TM-2401',
      /version "5\.0"/,
    ],
  ])('%s is refused, with its place', async (_, files, code, words) => {
    const failure = await problemOf(files)
    expect(failure).toMatchObject({ code, kind: 'metadata', place: { line: 1 } })
    expect(failure.message).toMatch(words)
    if (code === 'TM-2402' && failure.message.includes('Tihng'))
      expect(failure.advice).toContain('"Ns.Thing"')
  })

  test('from the service root, with or without a slash at its end, with a service document of either version', async () => {
    for (const [path, root] of [
      ['/svc', '{"@odata.context":"$metadata","value":[]}'],
      ['/svc/', '<service xmlns="http://www.w3.org/2007/app" xml:base="x"><workspace/></service>'],
      ['/svc', '{"d":{"EntitySets":["Things"]}}'],
    ] as const) {
      const answers = new Map([
        ['/svc/$metadata', edmx4(schema4(thing + things))],
        [path, root],
      ])
      const server = await startServer(
        (request, response) =>
          void response.end(answers.get(request.url ?? '') ?? response.writeHead(404)),
      )
      const documents = await loadDocuments(server.url + path, { recognise: odata.recognise })
      expect(odata.recognise(documents.root.text)).toBe(true)
      const contract = await odata.read(documents, 'x')
      await server.stop()
      expect(contract.services[0]?.endpoints[0]?.address).toBe(`${server.url}/svc/`)
      expect(documents.all().map(({ label }) => label)).toEqual(['svc', 'metadata.xml'])
    }
  })
})

test('types that all lead to all others have a full sample that ends, and keys where it would go on', async () => {
  const count = 14
  const types = Array.from(
    { length: count },
    (_, at) =>
      `<EntityType Name="T${at}"><Key><PropertyRef Name="Id"/></Key><Property Name="Id" Type="Edm.Int32" Nullable="false"/>${Array.from({ length: count }, (__, to) => `<NavigationProperty Name="N${to}" Type="N.T${to}"/>`).join('')}</EntityType>`,
  )
  const contract = await read({
    'a.xml': edmx4(
      schema4(
        types.join('') +
          container(
            types.map((_, at) => `<EntitySet Name="S${at}" EntityType="N.T${at}"/>`).join(''),
          ),
      ),
    ),
  })
  const operation = operationsOf(contract).find((each) => pathOf(each) === 'S0.create')
  const { body } = sampleInput(contract, operation as Operation, {
    full: true,
    rules: undefined,
  }) as { body: Record<string, unknown> }
  expect(Object.keys(body)).toHaveLength(count + 1)
  expect(body['N3']).toMatchObject({ Id: 1, N4: { $bind: 1 }, N5: { $bind: 1 } })
})

test('what a capability says beyond what is read is told, once however often it is looked at', async () => {
  const set = (name: string): string =>
    `<EntitySet Name="${name}" EntityType="N.Thing"><Annotation Term="Org.OData.Capabilities.V1.SortRestrictions"><Record><PropertyValue Property="AscendingOnlyProperties"><Collection><PropertyPath>Id</PropertyPath></Collection></PropertyValue></Record></Annotation><Annotation Term="Org.OData.Capabilities.V1.UpdateRestrictions"><Record><PropertyValue Property="Updatable" Bool="false"/><PropertyValue Property="MaxLevels" Int="1"/></Record></Annotation></EntitySet>`
  const contract = await read({ 'a.xml': edmx4(schema4(thing + container(set('As') + set('Bs')))) })
  expect(
    contract.notes.filter(({ code }) => code === 'TM-2406').map(({ message }) => message),
  ).toEqual([
    'The annotation Org.OData.Capabilities.V1.SortRestrictions/AscendingOnlyProperties has no effect in the client (2 times, here first).',
    'The annotation Org.OData.Capabilities.V1.UpdateRestrictions/MaxLevels has no effect in the client (2 times, here first).',
  ])
  expect(contract.notOffered).toEqual(
    expect.arrayContaining(['As.update', 'As.replace', 'Bs.update']),
  )
})

test('CSDL in JSON is read as the same metadata in XML is', async () => {
  const xml = edmx4(
    schema4(
      `<Annotation Term="Org.OData.Core.V1.Description" String="All."/><EnumType Name="Side" IsFlags="true"><Member Name="A" Value="1"><Annotation Term="Org.OData.Core.V1.Description" String="First."/></Member></EnumType><ComplexType Name="Spot"><Property Name="Row" Type="Edm.Int16" Nullable="false"/></ComplexType><EntityType Name="Thing" OpenType="true"><Key><PropertyRef Name="Spot/Row" Alias="Row"/></Key><Annotation Term="Org.OData.Core.V1.Description" String="A thing."/><Property Name="Spot" Type="N.Spot" Nullable="false"/><Property Name="Length" Type="Edm.Decimal" Nullable="true" Precision="7" Scale="2"><Annotation Term="Org.OData.Validation.V1.Minimum" Decimal="1.5"/></Property><Property Name="Side" Type="N.Side" Nullable="false"/><Property Name="Names" Type="Collection(Edm.String)" Nullable="false"/><NavigationProperty Name="Next" Type="N.Thing" Nullable="true" Partner="Back"><ReferentialConstraint Property="Length" ReferencedProperty="Length"/></NavigationProperty><NavigationProperty Name="Back" Type="Collection(N.Thing)"/></EntityType><EntityType Name="Sub" BaseType="N.Thing" Abstract="true"/><Function Name="Near"><Parameter Name="spot" Type="N.Spot" Nullable="false"/><ReturnType Type="Collection(N.Thing)" Nullable="false"/></Function><Action Name="Ring" IsBound="true"><Parameter Name="it" Type="N.Thing" Nullable="false"/><Parameter Name="times" Type="Edm.Byte" Nullable="true"><Annotation Term="Org.OData.Core.V1.OptionalParameter"><Record/></Annotation></Parameter></Action>${container('<EntitySet Name="Things" EntityType="N.Thing"><NavigationPropertyBinding Path="Next" Target="Things"/><Annotation Term="Org.OData.Capabilities.V1.FilterRestrictions"><Record><PropertyValue Property="NonFilterableProperties"><Collection><PropertyPath>Side</PropertyPath></Collection></PropertyValue></Record></Annotation></EntitySet><Singleton Name="Me" Type="N.Sub"/><FunctionImport Name="Near" Function="N.Near"/>')}`,
    ),
  )
  const json = {
    $Version: '4.0',
    $EntityContainer: 'Ns.Container',
    Ns: {
      $Alias: 'N',
      '@Org.OData.Core.V1.Description': 'All.',
      Side: {
        $Kind: 'EnumType',
        $IsFlags: true,
        A: 1,
        'A@Org.OData.Core.V1.Description': 'First.',
      },
      Spot: { $Kind: 'ComplexType', Row: { $Type: 'Edm.Int16' } },
      Thing: {
        $Kind: 'EntityType',
        $OpenType: true,
        $Key: [{ Row: 'Spot/Row' }],
        '@Org.OData.Core.V1.Description': 'A thing.',
        Spot: { $Type: 'N.Spot' },
        Length: {
          $Type: 'Edm.Decimal',
          $Nullable: true,
          $Precision: 7,
          $Scale: 2,
          '@Org.OData.Validation.V1.Minimum': 1.5,
        },
        Side: { $Type: 'N.Side' },
        Names: { $Collection: true },
        Next: {
          $Kind: 'NavigationProperty',
          $Type: 'N.Thing',
          $Nullable: true,
          $Partner: 'Back',
          $ReferentialConstraint: { Length: 'Length' },
        },
        Back: { $Kind: 'NavigationProperty', $Type: 'N.Thing', $Collection: true },
      },
      Sub: { $Kind: 'EntityType', $BaseType: 'N.Thing', $Abstract: true },
      Near: [
        {
          $Kind: 'Function',
          $Parameter: [{ $Name: 'spot', $Type: 'N.Spot' }],
          $ReturnType: { $Type: 'N.Thing', $Collection: true },
        },
      ],
      Ring: [
        {
          $Kind: 'Action',
          $IsBound: true,
          $Parameter: [
            { $Name: 'it', $Type: 'N.Thing' },
            {
              $Name: 'times',
              $Type: 'Edm.Byte',
              $Nullable: true,
              '@Org.OData.Core.V1.OptionalParameter': {},
            },
          ],
        },
      ],
      Container: {
        $Kind: 'EntityContainer',
        Things: {
          $Collection: true,
          $Type: 'N.Thing',
          $NavigationPropertyBinding: { Next: 'Things' },
          '@Org.OData.Capabilities.V1.FilterRestrictions': { NonFilterableProperties: ['Side'] },
        },
        Me: { $Type: 'N.Sub' },
        Near: { $Function: 'N.Near' },
      },
    },
  }
  const bare = (contract: Contract): unknown =>
    JSON.parse(
      JSON.stringify(contract, (key, value: unknown) =>
        key === 'origin' || key === 'notes' ? undefined : value,
      ),
    )
  const [fromXml, fromJson] = [
    await read({ 'a.xml': xml }),
    await read({ 'a.json': JSON.stringify(json, null, 1) }),
  ]
  expect(bare(fromJson)).toEqual(bare(fromXml))
  expect(fromJson.notes.map(({ code }) => code)).toEqual(fromXml.notes.map(({ code }) => code))
  const length = (fromJson.types['Ns.Thing'] as RecordType).fields[1]
  expect(length?.name).toBe('Length')
  expect(JSON.stringify(json, null, 1).slice(0, length?.origin)).toMatch(/"Length": $/)
})

describe('metadata of version 2 (CSDL 2 in EDMX 1)', () => {
  const edmx2 = (inside: string, version = '2.0', edm = '2008/09'): string =>
    `<edmx:Edmx Version="1.0" xmlns:edmx="http://schemas.microsoft.com/ado/2007/06/edmx"><edmx:DataServices m:DataServiceVersion="${version}" xmlns:m="http://schemas.microsoft.com/ado/2007/08/dataservices/metadata"><Schema Namespace="Ns" xmlns="http://schemas.microsoft.com/ado/${edm}/edm" xmlns:sap="http://www.sap.com/Protocols/SAPData">${inside}</Schema></edmx:DataServices></edmx:Edmx>`
  const inside = `<EntityType Name="A"><Key><PropertyRef Name="Id"/></Key><Property Name="Id" Type="Edm.Int64" Nullable="false" sap:label="Number" sap:filterable="false"/><Property Name="BId" Type="Edm.String" sap:filterable="false"/><NavigationProperty Name="B" Relationship="Ns.AB" FromRole="a" ToRole="b"/></EntityType>
    <EntityType Name="B"><Key><PropertyRef Name="Id"/></Key><Property Name="Id" Type="Edm.String" Nullable="false"/><NavigationProperty Name="As" Relationship="Ns.AB" FromRole="b" ToRole="a"/></EntityType>
    <Association Name="AB"><End Role="a" Type="Ns.A" Multiplicity="*"/><End Role="b" Type="Ns.B" Multiplicity="0..1"/><ReferentialConstraint><Principal Role="b"><PropertyRef Name="Id"/></Principal><Dependent Role="a"><PropertyRef Name="BId"/></Dependent></ReferentialConstraint></Association>
    <EntityContainer Name="C"><EntitySet Name="As" EntityType="Ns.A"/><FunctionImport Name="Do" ReturnType="Ns.A" EntitySet="As" m:HttpMethod="POST" xmlns:m="http://schemas.microsoft.com/ado/2007/08/dataservices/metadata"><Parameter Name="X" Type="Edm.Guid" Nullable="false"/></FunctionImport><FunctionImport Name="Drop" m:HttpMethod="DELETE" xmlns:m="http://schemas.microsoft.com/ado/2007/08/dataservices/metadata"/></EntityContainer>`

  test('associations become navigation with both ends, multiplicity and equal properties', async () => {
    const contract = await read({ 'a.edmx': edmx2(inside) })
    expect(fieldsOf(contract, 'Ns.A')['B']).toMatchObject({
      nullable: true,
      type: { to: 'Ns.B' },
      relation: { multiplicity: '0..1', partner: 'As', opposite: '*' },
      specifics: { navigation: { association: 'Ns.AB', constraints: [['BId', 'Id']] } },
    })
    expect(fieldsOf(contract, 'Ns.B')['As']).toMatchObject({
      type: { kind: 'list', item: { to: 'Ns.A' } },
      relation: { multiplicity: '*', partner: 'B', opposite: '0..1' },
    })
    expect(fieldsOf(contract, 'Ns.A')['Id']).toMatchObject({ documentation: 'Number' })
    expect(operationsOf(contract).find((each) => pathOf(each) === 'Do')).toMatchObject({
      specifics: { method: 'POST', passing: 'query', call: 'Do' },
      outcome: { field: { nullable: false } },
    })
    expect(paths(contract)).not.toContain('Drop')
    expect(contract.notes.map(({ code, message }) => `${code} ${message}`)).toEqual([
      'TM-2407 The function import "Drop" is left out: its method is DELETE.',
    ])
  })

  test.each([
    ['1.0', '2006/04', 'OData 2.0'],
    ['2.0', '2007/05', 'OData 2.0'],
    ['3.0', '2009/11', 'OData 3.0'],
  ])('version %s in the namespace of %s', async (version, edm, protocol) => {
    expect(
      (await read({ 'a.xml': edmx2(inside, version, edm) })).services[0]?.endpoints[0],
    ).toMatchObject({ protocol })
  })

  test('what stands for bytes can be created without them as well: gateways take both', async () => {
    const streamed = inside.replace(
      '<EntityType Name="A">',
      '<EntityType Name="A" m:HasStream="true">',
    )
    const contract = await read({ 'a.xml': edmx2(streamed) })
    const made = operationsOf(contract).filter(({ path }) => /^create/.test(path.at(-1) ?? ''))
    expect(made.map(({ path, inputs }) => [path.at(-1), inputs.map(({ name }) => name)])).toEqual([
      ['create', ['content', 'contentType', 'slug']],
      ['createWithoutContent', ['body']],
    ])
    expect(made[1]?.specifics).toMatchObject({ kind: 'create' })
  })

  test('a relation that nobody declares, and an end of no such role, are refused', async () => {
    expect(
      await problemOf({
        'a.xml': edmx2(
          inside.replace('Relationship="Ns.AB" FromRole="a"', 'Relationship="Ns.AC" FromRole="a"'),
        ),
      }),
    ).toMatchObject({ code: 'TM-2402' })
    expect(
      (await problemOf({ 'a.xml': edmx2(inside.replace('ToRole="b"', 'ToRole="c"')) })).advice,
    ).toContain('"a", "b"')
  })
})

describe("the stand-in's own reading of filters", () => {
  const structure: AnyStructure = {
    type: 'T',
    members: {
      n: { is: edm4.int32 },
      d: { is: edm4.decimal },
      s: { is: edm4.string },
      t: { is: edm4.string, nullable: true },
      l: { is: edm4.int32, many: true },
    },
  }
  interface Row {
    n: number
    d: string
    s: string
    t: string | null
    l: number[]
  }
  interface Terms {
    n: NumberTerm<number>
    d: NumberTerm<string>
    s: TextTerm
    t: TextTerm
    l: {
      any(condition: (each: NumberTerm<number>) => Condition): Condition
      all(condition: (each: NumberTerm<number>) => Condition): Condition
    }
  }
  type Both = readonly [build: (it: Terms) => Condition, holds: (row: Row) => boolean]
  const text = fc.string({ unit: fc.constantFrom('a', 'b', "'", '(', ' ', 'é', ','), maxLength: 4 })
  const number = fc.integer({ min: -3, max: 3 })
  const leaf: fc.Arbitrary<Both> = fc.oneof(
    number.map((value): Both => [(it) => it.n.gt(value), (row) => row.n > value]),
    number.map((value): Both => [(it) => it.n.plus(value).le(2), (row) => row.n + value <= 2]),
    number.map((value): Both => [
      (it) => it.d.eq(`${value}.50`),
      (row) => Number(row.d) === Number(`${value}.50`),
    ]),
    text.map((value): Both => [(it) => it.s.contains(value), (row) => row.s.includes(value)]),
    text.map((value): Both => [(it) => it.s.startsWith(value), (row) => row.s.startsWith(value)]),
    text.map((value): Both => [(it) => it.t.eq(value), (row) => row.t === value]),
    fc.constant<Both>([(it) => it.t.eq(null), (row) => row.t === null]),
    fc.constant<Both>([(it) => it.s.length().ge(2), (row) => row.s.length >= 2]),
    number.map((value): Both => [
      (it) => it.l.any((each) => each.lt(value)),
      (row) => row.l.some((each) => each < value),
    ]),
    number.map((value): Both => [
      (it) => it.l.all((each) => each.ne(value)),
      (row) => row.l.every((each) => each !== value),
    ]),
  )
  const { tree } = fc.letrec<{ tree: Both }>((tie) => ({
    tree: fc.oneof(
      { maxDepth: 4 },
      leaf,
      fc
        .array(tie('tree'), { minLength: 1, maxLength: 3 })
        .map((parts): Both => [
          (it) => allOf(...parts.map(([build]) => build(it))),
          (row) => parts.every(([, holds]) => holds(row)),
        ]),
      fc
        .array(tie('tree'), { minLength: 1, maxLength: 3 })
        .map((parts): Both => [
          (it) => anyOf(...parts.map(([build]) => build(it))),
          (row) => parts.some(([, holds]) => holds(row)),
        ]),
      tie('tree').map(([build, holds]): Both => [(it) => not(build(it)), (row) => !holds(row)]),
    ),
  }))
  const row = fc.record<Row>({
    n: number,
    d: number.map((value) => `${value}.5`),
    s: text,
    t: fc.option(text),
    l: fc.array(number, { maxLength: 3 }),
  })

  test('what the builder writes means what was said: any condition on any row', () => {
    fc.assert(
      fc.property(tree, fc.array(row, { minLength: 3, maxLength: 6 }), ([build, holds], rows) => {
        const expression = parseExpression(
          filterText(((it: Terms) => build(it)) as (it: never) => Conditions, structure, v4.words),
        )
        for (const values of rows)
          expect(
            isTrue(expression, {
              row: { structure, values: { ...values } },
              variables: new Map(),
              related: () => undefined,
            }),
          ).toBe(holds(values))
      }),
      { numRuns: 500 },
    )
  })

  test.each([
    ['n gt', 'ends too early'],
    ['n gt 5)', 'position 7'],
    ['n gt #', 'position 6'],
    ['(n', 'ends too early'],
    ['n gt 5 n', 'position 8'],
    ['nope(n)', 'is not played'],
    ['x eq 1', 'has no property "x"'],
  ])('%s is refused', (bad, words) => {
    expect(() =>
      isTrue(parseExpression(bad), {
        row: { structure, values: {} },
        variables: new Map(),
        related: () => undefined,
      }),
    ).toThrow(words)
  })

  test('orders', () =>
    expect(parseOrder('n desc, tolower(s)')).toMatchObject([
      { by: { steps: ['n'] }, descending: true },
      { by: { name: 'tolower' }, descending: false },
    ]))
})

test('built-in abstract types, types of paths, annotations by signature and by cast; nothing that only annotates is fetched', async () => {
  const contract = await read({
    'a.xml': edmx4(
      schema4(`<Term Name="T" Type="Core.Tag"/>
        <EntityType Name="A"><Key><PropertyRef Name="Id"/></Key><Property Name="Id" Type="Edm.Int32" Nullable="false"/><Property Name="P" Type="Edm.PrimitiveType"/><Property Name="Path" Type="Edm.NavigationPropertyPath"/><NavigationProperty Name="E" Type="Collection(Edm.EntityType)"/></EntityType>
        <EntityType Name="B" BaseType="N.A"><Property Name="X" Type="Edm.String"/></EntityType>
        <Function Name="F" IsBound="true"><Parameter Name="it" Type="N.A"/><Parameter Name="n" Type="Edm.Int32"/><Parameter Name="o" Type="Edm.Int32"/><ReturnType Type="Edm.EntityType"/></Function>
        ${container('<EntitySet Name="As" EntityType="N.A"/>')}
        <Annotations Target="N.F(N.A,Edm.Int32,Edm.Int32)/o"><Annotation Term="Org.OData.Core.V1.OptionalParameter"/></Annotations>
        <Annotations Target="N.A/N.B/X"><Annotation Term="Org.OData.Core.V1.Description" String="by cast"/></Annotations>`),
      '<edmx:Reference Uri="http://127.0.0.1:1/core.xml"><edmx:Include Namespace="Org.OData.Core.V1" Alias="Core"/></edmx:Reference>',
    ),
  })
  const { P, Path, E } = fieldsOf(contract, 'Ns.A')
  expect([P, Path, E].map((field) => field?.type.kind)).toEqual(['anything', 'scalar', 'list'])
  const bound = operationsOf(contract).find(({ path }) => path[1] === 'F')
  expect(bound?.inputs.map(({ name, specifics }) => [name, specifics])).toEqual([
    ['key', undefined],
    ['n', { always: true }],
    ['o', undefined],
    ['ifMatch', undefined],
  ])
  expect(fieldsOf(contract, 'Ns.B')['X']?.documentation).toBe('by cast')
})

test('vocabularies by their aliases in version 2, in the namespace of version 4', async () => {
  const contract = await read({
    'a.xml': `<edmx:Edmx Version="1.0" xmlns:edmx="http://schemas.microsoft.com/ado/2007/06/edmx"><edmx:Reference xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx" Uri="http://127.0.0.1:1/c.xml"><edmx:Include Namespace="Org.OData.Capabilities.V1" Alias="Capa"/></edmx:Reference><edmx:DataServices xmlns:m="http://schemas.microsoft.com/ado/2007/08/dataservices/metadata" m:DataServiceVersion="2.0"><Schema Namespace="Ns" xmlns="http://schemas.microsoft.com/ado/2008/09/edm">
      ${thing}${container('<EntitySet Name="Things" EntityType="Ns.Thing"/>')}
      <Annotations Target="Ns.Container/Things" xmlns="http://docs.oasis-open.org/odata/ns/edm"><Annotation Term="Capa.DeleteRestrictions"><Record><PropertyValue Property="Deletable" Bool="false"/></Record></Annotation></Annotations>
    </Schema></edmx:DataServices></edmx:Edmx>`,
  })
  expect(paths(contract)).not.toContain('Things.delete')
})
