import { inspect } from 'node:util'
import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { entityPath, keyText, Reference, resourcePath } from '../../src/runtime/odata/addresses.js'
import { applyText } from '../../src/runtime/odata/aggregation.js'
import * as edm2 from '../../src/runtime/odata/edm2.js'
import * as edm4 from '../../src/runtime/odata/edm4.js'
import type { Edm } from '../../src/runtime/odata/edm.js'
import type { EnumType, AnyStructure } from '../../src/runtime/odata/model.js'
import { encodeQuery, queryString, type AnyQuery } from '../../src/runtime/odata/query.js'
import type { Conditions, NumberTerm, TextTerm } from '../../src/runtime/odata/terms.js'
import { v2 } from '../../src/runtime/odata/v2.js'
import { v4, v401 } from '../../src/runtime/odata/v4.js'
import { isTaken } from '../support/odata-parser.js'
import { writeStructure } from '../../src/runtime/odata/structure.js'

/** Cases by what they come to, which stands last in each. */
function titled<Case extends readonly [...unknown[], string]>(
  cases: readonly Case[],
): (readonly [title: string, ...Case])[] {
  return cases.map((each) => [String(each.at(-1)), ...each])
}

/**
 * Every text here was worked by hand: literals from the ABNF of OData 4.01 (its rules are named)
 * and from OData 2, Overview, section 6; addresses from the URL Conventions.
 */

/**
 * What the independent parser of addresses does not take: exponents without a fraction, durations
 * without days, options and casts with names that it does not expect.
 */
const unjudged = /^\de|duration'-?PT|sap-client|Next\/Ns/

const bytes = (...values: number[]): Uint8Array => new Uint8Array(values)

describe('literals of version 4 (OData ABNF 4.01, primitiveLiteral)', () => {
  const table: Readonly<
    Record<
      string,
      readonly [edm: Edm, pairs: readonly (readonly [value: unknown, literal: string])[]]
    >
  > = {
    booleanValue: [
      edm4.boolean,
      [
        [true, 'true'],
        [false, 'false'],
      ],
    ],
    sbyteValue: [
      edm4.sbyte,
      [
        [-128, '-128'],
        [0, '0'],
        [127, '127'],
      ],
    ],
    byteValue: [
      edm4.byte,
      [
        [0, '0'],
        [255, '255'],
      ],
    ],
    int16Value: [
      edm4.int16,
      [
        [-32768, '-32768'],
        [32767, '32767'],
      ],
    ],
    int32Value: [
      edm4.int32,
      [
        [-2147483648, '-2147483648'],
        [0, '0'],
        [2147483647, '2147483647'],
      ],
    ],
    int64Value: [
      edm4.int64,
      [
        [-9223372036854775808n, '-9223372036854775808'],
        [0n, '0'],
        [9007199254740993n, '9007199254740993'],
        [9223372036854775807n, '9223372036854775807'],
      ],
    ],
    decimalValue: [
      edm4.decimal,
      [
        ['0', '0'],
        ['-0.50', '-0.50'],
        ['12.5000', '12.5000'],
        ['99999999999999999999.99', '99999999999999999999.99'],
        ['1e-7', '1e-7'],
      ],
    ],
    doubleValue: [
      edm4.double,
      [
        [1.5, '1.5'],
        [-0.25, '-0.25'],
        [1e21, '1e+21'],
        [1e-7, '1e-7'],
        [Infinity, 'INF'],
        [-Infinity, '-INF'],
        [Number.NaN, 'NaN'],
      ],
    ],
    singleValue: [
      edm4.single,
      [
        [0.5, '0.5'],
        [-Infinity, '-INF'],
      ],
    ],
    string: [
      edm4.string,
      [
        ['', "''"],
        ['quay', "'quay'"],
        ["O'Neil", "'O''Neil'"],
        ["''", "''''''"],
        ['Åsgård & Søn', "'Åsgård & Søn'"],
        ['a/b\\c', "'a/b\\c'"],
        ['100 %', "'100 %'"],
        ['null', "'null'"],
        ['7', "'7'"],
        ['😀', "'😀'"],
      ],
    ],
    dateValue: [
      edm4.date,
      [
        ['2026-11-23', '2026-11-23'],
        ['0001-01-01', '0001-01-01'],
        ['2024-02-29', '2024-02-29'],
      ],
    ],
    dateTimeOffsetValue: [
      edm4.dateTimeOffset,
      [
        ['2026-11-23T14:30:00Z', '2026-11-23T14:30:00Z'],
        ['2026-11-23T14:30:00.123456789012+05:30', '2026-11-23T14:30:00.123456789012+05:30'],
        ['2026-11-23T14:30Z', '2026-11-23T14:30Z'],
        ['2026-11-23T23:59:59-11:00', '2026-11-23T23:59:59-11:00'],
      ],
    ],
    timeOfDayValue: [
      edm4.timeOfDay,
      [
        ['00:00:00', '00:00:00'],
        ['23:59:59.999', '23:59:59.999'],
        ['07:15', '07:15'],
      ],
    ],
    duration: [
      edm4.duration,
      [
        ['P1D', "duration'P1D'"],
        ['-PT2H30M', "duration'-PT2H30M'"],
        ['P11DT23H59M59.999999999999S', "duration'P11DT23H59M59.999999999999S'"],
      ],
    ],
    guidValue: [
      edm4.guid,
      [
        ['01234567-89ab-cdef-0123-456789abcdef', '01234567-89ab-cdef-0123-456789abcdef'],
        ['01234567-89AB-CDEF-0123-456789ABCDEF', '01234567-89AB-CDEF-0123-456789ABCDEF'],
      ],
    ],
    binary: [
      edm4.binary,
      [
        [bytes(), "binary''"],
        [bytes(251, 255), "binary'-_8'"],
        [bytes(0), "binary'AA'"],
        [bytes(84, 111, 109), "binary'VG9t'"],
      ],
    ],
  }
  const rows = Object.entries(table).flatMap(([rule, [edm, pairs]]) =>
    pairs.map(([value, literal]) => [rule, literal, edm, value] as const),
  )
  test.each(rows)('%s %s', (_, literal, edm, value) => {
    expect(edm.check(value)).toBe(true)
    expect(edm.literal(value as never)).toBe(literal)
    if (!unjudged.test(literal)) expect(isTaken('literal', encodeQuery(literal))).toBe(true)
  })

  test('any text, in a query and in a key: the independent parser takes it, the platform reads it back', () =>
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme' }), (value) => {
        const option = queryString([['$filter', `Name eq ${edm4.string.literal(value as never)}`]])
        expect(isTaken('query', option.slice(1))).toBe(true)
        expect(new URLSearchParams(option.replaceAll('+', '%2B')).get('$filter')).toBe(
          `Name eq '${value.replaceAll("'", "''")}'`,
        )
        expect(isTaken('resourcePath', `Xs${keyText(keyed(edm4.string), value, v4)}`)).toBe(true)
      }),
    ))

  const refused: readonly (readonly [Edm, unknown])[] = [
    [edm4.sbyte, 128],
    [edm4.byte, -1],
    [edm4.int16, 32768],
    [edm4.int32, 1.5],
    [edm4.int64, 9223372036854775808n],
    [edm4.int64, 5],
    [edm4.decimal, '1,5'],
    [edm4.decimal, 1.5],
    [edm4.date, '2026-13-01'],
    [edm4.date, '23.11.2026'],
    [edm4.dateTimeOffset, '2026-11-23T14:30:00'],
    [edm4.timeOfDay, '24:00:00'],
    [edm4.duration, 'P1Y'],
    [edm4.duration, 'P'],
    [edm4.guid, '0123'],
    [edm4.binary, 'AA'],
    [edm4.string, 5],
    [edm4.boolean, 'true'],
  ]
  test.each(refused.map(([edm, value]) => [inspect(value), edm, value] as const))(
    '%s is no value of its type',
    (_, edm, value) => expect(edm.check(value)).toBe(false),
  )
})

describe('literals of version 2 (OData 2, Overview, section 6, "Abstract Type System")', () => {
  const table: readonly (readonly [Edm, unknown, string])[] = [
    [edm2.boolean, true, 'true'],
    [edm2.byte, 255, '255'],
    [edm2.sbyte, -8, '-8'],
    [edm2.int16, -32768, '-32768'],
    [edm2.int32, 32, '32'],
    [edm2.int64, 64n, '64L'],
    [edm2.int64, -9223372036854775808n, '-9223372036854775808L'],
    [edm2.decimal, '2.345', '2.345M'],
    [edm2.decimal, '-0.10', '-0.10M'],
    [edm2.double, 2.5, '2.5d'],
    [edm2.double, -1e21, '-1e+21d'],
    [edm2.single, 2, '2f'],
    [edm2.single, 2.5, '2.5f'],
    [edm2.string, 'Hello OData', "'Hello OData'"],
    [edm2.string, "O'Neil", "'O''Neil'"],
    [edm2.string, '', "''"],
    [edm2.dateTime, '2000-12-12T12:00:00', "datetime'2000-12-12T12:00:00'"],
    [edm2.dateTime, '2000-12-12T12:00:00.123', "datetime'2000-12-12T12:00:00.123'"],
    [edm2.dateTimeOffset, '2002-10-10T17:00:00Z', "datetimeoffset'2002-10-10T17:00:00Z'"],
    [edm2.dateTimeOffset, '2002-10-10T17:00:00+02:00', "datetimeoffset'2002-10-10T17:00:00+02:00'"],
    [edm2.time, 'PT13H20M', "time'PT13H20M'"],
    [
      edm2.guid,
      '12345678-aaaa-bbbb-cccc-ddddeeeeffff',
      "guid'12345678-aaaa-bbbb-cccc-ddddeeeeffff'",
    ],
    [edm2.binary, bytes(35, 171, 255), "X'23ABFF'"],
    [edm2.binary, bytes(), "X''"],
  ]
  test.each(titled(table))('%s', (_, edm, value, literal) => {
    expect(edm.check(value)).toBe(true)
    expect(edm.literal(value as never)).toBe(literal)
  })
})

const kind: EnumType = { enumeration: 'Ns.Kind', values: ['Tug', 'Ferry'] }
const clearance: EnumType = {
  enumeration: 'Ns.Clearance',
  values: ['Customs', 'Health'],
  flags: true,
}
const place: AnyStructure = {
  type: 'Ns.Place',
  members: { Quay: { is: edm4.string }, Row: { is: edm4.int16 } },
}
const keyed = (is: Edm | EnumType, name = 'Id'): AnyStructure => ({
  type: 'Ns.Thing',
  keys: [name],
  members: { [name]: { is } },
})

describe('keys (URL Conventions, section 4.3.1; RFC 3986, section 3.3)', () => {
  const two: AnyStructure = {
    type: 'Ns.Two',
    keys: ['Vessel', 'Call'],
    members: { Vessel: { is: edm4.int64 }, Call: { is: edm4.string } },
  }
  const inside: AnyStructure = {
    type: 'Ns.Deep',
    keys: ['Row', 'Number'],
    keyPaths: { Row: ['Place', 'Row'] },
    members: { Place: { is: () => place }, Number: { is: edm4.int32 } },
  }
  const heir: AnyStructure = { type: 'Ns.Heir', base: () => two, members: {} }
  test.each(
    titled<[AnyStructure, unknown, typeof v4, string]>([
      [keyed(edm4.int32), 7, v4, '(7)'],
      [keyed(edm4.int64), -7n, v4, '(-7)'],
      [keyed(edm4.string), 'BKM/4', v4, "('BKM%2F4')"],
      [keyed(edm4.string), "O'Neil", v4, "('O''Neil')"],
      [keyed(edm4.string), 'a b?c#d&e=f+g', v4, "('a%20b%3Fc%23d%26e=f%2Bg')"],
      [keyed(edm4.string), 'Å', v4, "('%C3%85')"],
      [keyed(edm4.string), '(x)', v4, "('(x)')"],
      [
        keyed(edm4.guid),
        '01234567-89ab-cdef-0123-456789abcdef',
        v4,
        '(01234567-89ab-cdef-0123-456789abcdef)',
      ],
      [keyed(edm4.date), '2026-11-23', v4, '(2026-11-23)'],
      [
        keyed(edm4.dateTimeOffset),
        '2026-11-23T14:30:00+01:00',
        v4,
        '(2026-11-23T14:30:00%2B01:00)',
      ],
      [keyed(edm4.duration), 'PT1H', v4, "(duration'PT1H')"],
      [keyed(edm4.boolean), true, v4, '(true)'],
      [keyed(kind), 'Tug', v4, "(Ns.Kind'Tug')"],
      [two, { Vessel: 9007199254740993n, Call: 'a,b' }, v4, "(Vessel=9007199254740993,Call='a,b')"],
      [two, { Call: 'x', Vessel: 1n }, v4, "(Vessel=1,Call='x')"],
      [heir, { Vessel: 1n, Call: '' }, v4, "(Vessel=1,Call='')"],
      [inside, { Row: 3, Number: 4 }, v4, '(Row=3,Number=4)'],
      [keyed(edm2.int64), 7n, v2, '(7L)'],
      [
        keyed(edm2.guid),
        '01234567-89ab-cdef-0123-456789abcdef',
        v2,
        "(guid'01234567-89ab-cdef-0123-456789abcdef')",
      ],
      [keyed(edm2.dateTime), '2026-11-23T00:00:00', v2, "(datetime'2026-11-23T00:00:00')"],
      [keyed(edm2.decimal), '1.50', v2, '(1.50M)'],
      [keyed(edm2.string), 'BKM/4', v2, "('BKM%2F4')"],
      [keyed(edm2.binary), bytes(171), v2, "(X'AB')"],
    ]),
  )('key %s', (_, structure, key, protocol, text) => {
    expect(keyText(structure, key, protocol)).toBe(text)
    if (protocol === v4 && !unjudged.test(text))
      expect(isTaken('resourcePath', `Xs${text}`)).toBe(true)
  })

  test('what lies inside something else: its key in between, a singleton without (section 4.3.3)', () => {
    const log: AnyStructure = keyed(edm4.int32, 'Page')
    const within = [{ path: 'Vessels', of: keyed(edm4.int64) }]
    expect(resourcePath({ path: 'Log', of: log, within }, { of: 7n }, v4)).toBe('Vessels(7)/Log')
    expect(entityPath({ path: 'Log', of: log, within }, { of: 7n, key: 2 }, v4)).toBe(
      'Vessels(7)/Log(2)',
    )
    expect(
      entityPath(
        { path: 'Notes', of: log, within: [...within, { path: 'Log', of: log }] },
        { of: { Vessels: 7n, Log: 2 }, key: 3 },
        v4,
      ),
    ).toBe('Vessels(7)/Log(2)/Notes(3)')
    expect(
      entityPath(
        {
          path: 'Desk',
          of: log,
          singleton: true,
          within: [{ path: 'Office', of: log, singleton: true }],
        },
        {},
        v4,
      ),
    ).toBe('Office/Desk')
  })
})

const ship: AnyStructure = {
  type: 'Ns.Ship',
  is: 'Ship',
  keys: ['Number'],
  subtypes: () => [tug],
  members: {
    Number: { is: edm4.int64 },
    Name: { is: edm4.string },
    Length: { is: edm4.decimal },
    Kind: { is: kind },
    Cleared: { is: clearance },
    Stay: { is: edm4.duration },
    At: { is: edm4.dateTimeOffset },
    Place: { is: () => place },
    Owner: { is: () => owner, navigation: true, nullable: true, binds: 'Owners' },
    Surveys: { is: () => owner, many: true, navigation: true, binds: 'Owners' },
    Next: { is: () => ship, navigation: true },
  },
}
const tug: AnyStructure = {
  type: 'Ns.Tug',
  is: 'Tug',
  base: () => ship,
  members: { Pull: { is: edm4.double } },
}
const owner: AnyStructure = {
  type: 'Ns.Owner',
  keys: ['Id'],
  members: { Id: { is: edm4.int32 }, Name: { is: edm4.string } },
}
interface Terms {
  $is(kind: string): Conditions
  $as(kind: string): { Pull: NumberTerm<number> }
  Name: TextTerm & { matches(pattern: string): Conditions }
  Stay: { totalSeconds(): NumberTerm<number> }
  At: {
    date(): NumberTerm<string>
    time(): NumberTerm<string>
    fractionalSeconds(): NumberTerm<number>
    totalOffsetMinutes(): NumberTerm<number>
  }
  Next: Terms
}

describe('query options (URL Conventions, section 5.1; ABNF, queryOptions)', () => {
  const by = (condition: (it: Terms) => Conditions): AnyQuery => ({
    filter: condition as unknown as (it: never) => Conditions,
  })
  test.each(
    titled<[AnyQuery, typeof v4, string]>([
      [{}, v4, ''],
      [{ top: 0 }, v4, '?$top=0'],
      [{ skip: 20, top: 10 }, v4, '?$top=10&$skip=20'],
      [{ count: true }, v4, '?$count=true'],
      [{ count: false }, v4, '?$count=false'],
      [{ select: ['Name', 'Length'] }, v4, '?$select=Name,Length'],
      [{ select: 'Place/Quay' }, v4, '?$select=Place/Quay'],
      [{ orderBy: ['Length desc', 'Name'] }, v4, '?$orderby=Length%20desc,Name'],
      [{ orderBy: 'Place/Row asc' }, v4, '?$orderby=Place/Row%20asc'],
      [{ search: 'blue OR "green tug"' }, v4, '?$search=blue%20OR%20%22green%20tug%22'],
      [{ filter: "Name eq 'A&B'" }, v4, "?$filter=Name%20eq%20'A%26B'"],
      [{ filter: "Name eq '50% + 1'" }, v4, "?$filter=Name%20eq%20'50%25%20%2B%201'"],
      [{ filter: "Name eq '#1'" }, v4, "?$filter=Name%20eq%20'%231'"],
      [{ expand: ['Owner'] }, v4, '?$expand=Owner'],
      [{ expand: ['Owner', 'Next'] }, v4, '?$expand=Owner,Next'],
      [{ expand: [{ Owner: { select: ['Name'] } }] }, v4, '?$expand=Owner($select=Name)'],
      [
        { expand: [{ Surveys: { filter: 'Id gt 5', top: 1, orderBy: ['Id desc'] } }] },
        v4,
        '?$expand=Surveys($filter=Id%20gt%205;$orderby=Id%20desc;$top=1)',
      ],
      [
        { expand: [{ Next: { expand: [{ Next: { expand: ['Owner'] } }] } }] },
        v4,
        '?$expand=Next($expand=Next($expand=Owner))',
      ],
      [{ expand: [{ Next: { levels: 3 } }] }, v4, '?$expand=Next($levels=3)'],
      [{ expand: [{ Next: { levels: 'max' } }] }, v4, '?$expand=Next($levels=max)'],
      [
        { expand: [{ Surveys: { count: true, search: 'x' } }] },
        v4,
        '?$expand=Surveys($search=x;$count=true)',
      ],
      [
        { compute: 'Length mul 2 as Twice', select: ['Name'] },
        v401,
        '?$select=Name&$compute=Length%20mul%202%20as%20Twice',
      ],
      [{ custom: { 'sap-client': '100', 'x y': 'a&b' } }, v4, '?sap-client=100&x%20y=a%26b'],
      [by((it) => it.$is('Tug')), v4, '?$filter=isof(Ns.Tug)'],
      [by((it) => it.Next.$is('Tug')), v4, '?$filter=isof(Next,Ns.Tug)'],
      [by((it) => it.$as('Tug').Pull.gt(40)), v4, '?$filter=Ns.Tug/Pull%20gt%2040'],
      [by((it) => it.Next.$as('Tug').Pull.lt(1)), v4, '?$filter=Next/Ns.Tug/Pull%20lt%201'],
      [
        by((it) => [it.At.date().eq('2026-11-23'), it.At.time().lt('12:00:00')]),
        v4,
        '?$filter=date(At)%20eq%202026-11-23%20and%20time(At)%20lt%2012:00:00',
      ],
      [
        by((it) => [it.At.fractionalSeconds().eq(0.5), it.At.totalOffsetMinutes().ne(60)]),
        v4,
        '?$filter=fractionalseconds(At)%20eq%200.5%20and%20totaloffsetminutes(At)%20ne%2060',
      ],
      [by((it) => it.Stay.totalSeconds().ge(3600)), v4, '?$filter=totalseconds(Stay)%20ge%203600'],
      [by((it) => it.Name.matches('^A.e$')), v401, "?$filter=matchesPattern(Name,'%5EA.e$')"],
      [
        { select: ['Name'], expand: [{ Owner: { select: ['Id'] } }] },
        v2,
        '?$select=Name,Owner/Id&$expand=Owner',
      ],
      [{ expand: [{ Next: { expand: ['Owner'] } }] }, v2, '?$expand=Next,Next/Owner'],
      [{ count: true, top: 5 }, v2, '?$top=5&$inlinecount=allpages'],
      [
        { filter: "Name eq 'x'", orderBy: ['Name desc'] },
        v2,
        "?$filter=Name%20eq%20'x'&$orderby=Name%20desc",
      ],
      [{ search: 'tug', custom: { 'sap-language': 'EN' } }, v2, '?search=tug&sap-language=EN'],
      [by((it) => it.$is('Tug')), v2, "?$filter=isof('Ns.Tug')"],
    ]),
  )('query %s', (_, query, protocol, text) => {
    const made = queryString(protocol.query(query, ship))
    expect(made).toBe(text)
    if (made !== '' && protocol === v4 && !unjudged.test(made))
      expect(isTaken('query', made.slice(1))).toBe(true)
    // The platform reads back what was meant.
    expect([...new URLSearchParams(made.replaceAll('+', '%2B'))]).toEqual(
      protocol.query(query, ship),
    )
  })

  test.each(
    titled<[Parameters<typeof applyText>[0], string]>([
      [{ measures: { Number: 'count' } }, 'aggregate($count as Number)'],
      [{ groupBy: ['Kind'], measures: {} }, 'groupby((Kind))'],
      [
        {
          groupBy: ['Kind', 'Place/Quay'],
          measures: { Total: { of: 'Length', by: 'sum' }, Number: 'count' },
        },
        'groupby((Kind,Place/Quay),aggregate(Length with sum as Total,$count as Number))',
      ],
      [
        {
          filter: 'Length gt 5',
          measures: {
            Mean: { of: 'Length', by: 'average' },
            Names: { of: 'Name', by: 'countdistinct' },
          },
        },
        'filter(Length gt 5)/aggregate(Length with average as Mean,Name with countdistinct as Names)',
      ],
    ]),
  )('data aggregation (sections 3.2 to 3.4): %s', (_, aggregation, text) =>
    expect(applyText(aggregation, ship, { protocol: v4 })).toBe(text),
  )
})

describe('what is bound (JSON Format, section 8.5; OData 2, JSON Format, section 9)', () => {
  const both = {
    Name: 'a',
    Owner: { $bind: 7 },
    Surveys: [{ $bind: 8 }, { Id: 9, Name: 'new' }, { $bind: 10 }],
  }
  test('version 4: beside the property; what is new stands in it', () => {
    expect(writeStructure(ship, both, v4)).toEqual({
      Name: 'a',
      'Owner@odata.bind': 'Owners(7)',
      'Surveys@odata.bind': ['Owners(8)', 'Owners(10)'],
      Surveys: [{ Id: 9, Name: 'new' }],
    })
    expect(writeStructure(ship, { Owner: { $bind: new Reference('3') } }, v4)).toEqual({
      'Owner@odata.bind': '$3',
    })
    expect(writeStructure(ship, { Owner: { Id: 1, Name: 'x' }, Surveys: [] }, v4)).toEqual({
      Owner: { Id: 1, Name: 'x' },
      Surveys: [],
    })
  })
  test('version 2: by its address, among what is new', () => {
    expect(writeStructure(ship, both, v2)).toEqual({
      Name: 'a',
      Owner: { __metadata: { uri: 'Owners(7)' } },
      Surveys: [
        { __metadata: { uri: 'Owners(8)' } },
        { __metadata: { uri: 'Owners(10)' } },
        { Id: 9, Name: 'new' },
      ],
    })
  })
})
