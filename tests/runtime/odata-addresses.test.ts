import { describe, expect, test } from '@jest/globals'
import type { Violation } from '../../src/runtime/failures.js'
import * as edm2 from '../../src/runtime/odata/edm2.js'
import * as edm4 from '../../src/runtime/odata/edm4.js'
import { allOf, anyOf, filterText, not } from '../../src/runtime/odata/filter.js'
import { keyText } from '../../src/runtime/odata/addresses.js'
import { invocationTarget, type AnyInvocation } from '../../src/runtime/odata/invocations.js'
import { checkQuery, queryString, type AnyQuery } from '../../src/runtime/odata/query.js'
import type { EnumType, AnyProperty, AnyStructure } from '../../src/runtime/odata/model.js'
import type {
  Comparable,
  Condition,
  Conditions,
  DateTimeTerm,
  EnumTerm,
  FlagsTerm,
  ListTerm,
  NumberTerm,
  Ordered,
  TextTerm,
} from '../../src/runtime/odata/terms.js'
import { v2 } from '../../src/runtime/odata/v2.js'
import { v4, v401 } from '../../src/runtime/odata/v4.js'
import { isTaken } from '../support/odata-parser.js'

/**
 * Every address here was worked by hand from the standard's rules; the section stands beside it.
 */

const kind: EnumType = { enumeration: 'Ns.Kind', values: ['Tug', 'Ferry'] }
const access: EnumType = { enumeration: 'Ns.Access', values: ['Read', 'Write'], flags: true }
const place: AnyStructure = {
  type: 'Ns.Place',
  members: { Quay: { is: edm4.string }, Row: { is: edm4.int16 } },
}
const survey: AnyStructure = {
  type: 'Ns.Survey',
  keys: ['Id'],
  members: {
    Id: { is: edm4.guid },
    Passed: { is: edm4.boolean },
    Day: { is: edm4.date },
    Ship: { is: () => ship, navigation: true },
  },
}
const ship: AnyStructure = {
  type: 'Ns.Ship',
  keys: ['Number'],
  members: {
    Number: { is: edm4.int64 },
    Name: { is: edm4.string },
    Length: { is: edm4.decimal },
    Speed: { is: edm4.double },
    Kind: { is: kind },
    Access: { is: access },
    Tags: { is: edm4.string, many: true },
    At: { is: edm4.dateTimeOffset },
    Stay: { is: edm4.duration },
    Token: { is: edm4.guid },
    Seal: { is: edm4.binary },
    Opens: { is: edm4.timeOfDay },
    Built: { is: edm4.date },
    Afloat: { is: edm4.boolean },
    Place: { is: () => place },
    Home: { is: () => ship, navigation: true, nullable: true },
    Surveys: { is: () => survey, many: true, navigation: true },
  },
}
interface Ship {
  Number: NumberTerm<bigint>
  Name: TextTerm
  Length: NumberTerm<string>
  Speed: NumberTerm<number>
  Kind: EnumTerm<string>
  Access: FlagsTerm<string>
  Tags: ListTerm<TextTerm>
  At: DateTimeTerm
  Stay: Ordered<string>
  Token: Ordered<string>
  Seal: Comparable<Uint8Array>
  Opens: Ordered<string>
  Built: Ordered<string>
  Afloat: Comparable<boolean>
  Place: { Quay: TextTerm; Row: NumberTerm<number> }
  Home: Ship
  Surveys: ListTerm<{ Passed: Comparable<boolean>; Day: Ordered<string>; Ship: Ship }>
}

const filter4 = (condition: (it: Ship) => Conditions): string =>
  filterText(condition as (it: never) => Conditions, ship, v4.words)

/** Variables inside of variables, which the independent parser of addresses does not know. */
const unjudged = /each2/

describe('filters of version 4 (URL Conventions 4.01, section 5.1.1)', () => {
  const table: [rule: string, condition: (it: Ship) => Conditions, text: string][] = [
    ['5.1.1.1.1, quotes doubled', (it) => it.Name.eq("O'Neil's"), "Name eq 'O''Neil''s'"],
    ['5.1.1.1.2, null', (it) => it.Name.ne(null), 'Name ne null'],
    [
      '5.1.1.1.3 to 6',
      (it) => [
        it.Length.gt('12.50'),
        it.Length.le('99'),
        it.Speed.ge(1.5),
        it.Number.lt(9007199254740993n),
      ],
      'Length gt 12.50 and Length le 99 and Speed ge 1.5 and Number lt 9007199254740993',
    ],
    [
      '5.1.1.1.7 and 8, an "or" inside an "and" in brackets',
      (it) => [anyOf(it.Kind.eq('Tug'), it.Afloat.eq(false)), it.Name.ne('')],
      "(Kind eq Ns.Kind'Tug' or Afloat eq false) and Name ne ''",
    ],
    [
      '5.1.1.1.8, an "and" inside an "or" needs none',
      (it) => anyOf(allOf(it.Speed.gt(1), it.Speed.lt(2)), it.Speed.eq(9)),
      'Speed gt 1 and Speed lt 2 or Speed eq 9',
    ],
    [
      '5.1.1.1.9, not',
      (it) => not(anyOf(it.Speed.eq(1), it.Speed.eq(2))),
      'not (Speed eq 1 or Speed eq 2)',
    ],
    [
      '5.1.1.1.11, has',
      (it) => it.Access.has(['Read', 'Write']),
      "Access has Ns.Access'Read,Write'",
    ],
    [
      '5.1.1.1.12, "in" is of 4.01 only',
      (it) => it.Kind.in(['Tug', 'Ferry']),
      "Kind eq Ns.Kind'Tug' or Kind eq Ns.Kind'Ferry'",
    ],
    [
      '5.1.1.2, arithmetic',
      (it) => it.Speed.plus(1).times(2).gt(it.Speed.minus(3)),
      '((Speed add 1) mul 2) gt (Speed sub 3)',
    ],
    [
      '5.1.1.5, texts',
      (it) => [
        it.Name.contains('a,b'),
        it.Name.startsWith('A'),
        it.Name.toLower().endsWith('z'),
        it.Name.length().eq(3),
        it.Name.substring(1, 2).eq('x'),
        it.Name.indexOf('q').ne(0),
        it.Name.concat('!').trim().eq('a!'),
      ],
      "contains(Name,'a,b') and startswith(Name,'A') and endswith(tolower(Name),'z') and length(Name) eq 3 and substring(Name,1,2) eq 'x' and indexof(Name,'q') ne 0 and trim(concat(Name,'!')) eq 'a!'",
    ],
    [
      '5.1.1.7, dates',
      (it) => [
        it.At.year().eq(2026),
        it.At.lt('2026-11-23T14:30:00Z'),
        it.Built.gt('1998-04-17'),
        it.Opens.le('06:30:00'),
        it.Stay.ge('P1DT2H'),
      ],
      "year(At) eq 2026 and At lt 2026-11-23T14:30:00Z and Built gt 1998-04-17 and Opens le 06:30:00 and Stay ge duration'P1DT2H'",
    ],
    [
      '5.1.1.9, rounding',
      (it) => [it.Speed.round().eq(2), it.Length.floor().eq('3'), it.Speed.ceiling().eq(4)],
      'round(Speed) eq 2 and floor(Length) eq 3 and ceiling(Speed) eq 4',
    ],
    [
      '5.1.1.13, any and all',
      (it) => [
        it.Surveys.any((each) => [each.Passed.eq(true), each.Day.gt('2026-01-01')]),
        it.Tags.all((tag) => tag.ne('x')),
        it.Surveys.any(),
      ],
      "Surveys/any(each:each/Passed eq true and each/Day gt 2026-01-01) and Tags/all(each:each ne 'x') and Surveys/any()",
    ],
    [
      '5.1.1.13, one inside another',
      (it) => it.Surveys.any((each) => each.Ship.Surveys.all((inner) => inner.Passed.eq(true))),
      'Surveys/any(each:each/Ship/Surveys/all(each2:each2/Passed eq true))',
    ],
    [
      '5.1.1.14.1, literals',
      (it) => [
        it.Token.eq('01234567-89ab-cdef-0123-456789abcdef'),
        it.Seal.eq(new Uint8Array([251, 255])),
        it.Speed.eq(Infinity),
        it.Speed.ne(Number.NaN),
      ],
      "Token eq 01234567-89ab-cdef-0123-456789abcdef and Seal eq binary'-_8' and Speed eq INF and Speed ne NaN",
    ],
    [
      '5.1.1.15, paths',
      (it) => [
        it.Place.Quay.eq('S'),
        it.Home.Home.Name.eq('x'),
        it.Surveys.count().gt(2),
        it.Home.Name.eq(it.Name),
      ],
      "Place/Quay eq 'S' and Home/Home/Name eq 'x' and Surveys/$count gt 2 and Home/Name eq Name",
    ],
  ]
  test.each(table)('%s', (_, condition, text) => {
    expect(filter4(condition)).toBe(text)
    if (!unjudged.test(text)) expect(isTaken('filter', text)).toBe(true)
  })

  test('4.01 knows "in" (5.1.1.1.12); nothing is in an empty list', () => {
    const text = (condition: (it: Ship) => Condition): string =>
      filterText(condition as (it: never) => Conditions, ship, v401.words)
    expect(text((it) => it.Name.in(['a', "b'c"]))).toBe("Name in ('a','b''c')")
    expect(text((it) => it.Name.in([]))).toBe('false')
  })

  test('a property that there is not is told with the nearest one', () => {
    expect(() =>
      filter4((it) => (it as unknown as Record<string, TextTerm>)['Nmae']?.eq('x') as Condition),
    ).toThrow('is not known here; is "Name" meant?')
  })
})

const crate: AnyStructure = {
  type: 'Ns.Crate',
  keys: ['Number', 'Row'],
  members: {
    Number: { is: edm2.int64 },
    Row: { is: edm2.string },
    Weight: { is: edm2.decimal },
    Tilt: { is: edm2.double },
    Lean: { is: edm2.single },
    Landed: { is: edm2.dateTime },
    Sealed: { is: edm2.dateTimeOffset },
    Opens: { is: edm2.time },
    Token: { is: edm2.guid },
    Seal: { is: edm2.binary },
    Fragile: { is: edm2.boolean },
    Layers: { is: edm2.byte },
    Ship: { is: () => crate, navigation: true },
    Moves: { is: () => crate, many: true, navigation: true },
  },
}
type Crate = { Row: TextTerm } & {
  [
    Name in
      | 'Number'
      | 'Weight'
      | 'Tilt'
      | 'Lean'
      | 'Landed'
      | 'Sealed'
      | 'Opens'
      | 'Token'
      | 'Seal'
      | 'Fragile'
      | 'Layers'
  ]: Comparable<unknown>
}

test.each<[(it: Crate) => Conditions, string]>([
  // OData V2, Overview, section 6 (literal forms), and URI Conventions, section 4.5.
  [
    (it) => [
      it.Number.eq(5n),
      it.Weight.eq('12.50'),
      it.Tilt.eq(1.5),
      it.Lean.eq(2),
      it.Layers.eq(3),
      it.Fragile.eq(true),
    ],
    'Number eq 5L and Weight eq 12.50M and Tilt eq 1.5d and Lean eq 2f and Layers eq 3 and Fragile eq true',
  ],
  [
    (it) => [
      it.Landed.eq('2026-11-23T08:15:00'),
      it.Sealed.eq('2026-11-23T08:15:00Z'),
      it.Opens.eq('PT6H'),
    ],
    "Landed eq datetime'2026-11-23T08:15:00' and Sealed eq datetimeoffset'2026-11-23T08:15:00Z' and Opens eq time'PT6H'",
  ],
  [
    (it) => [
      it.Token.eq('01234567-89ab-cdef-0123-456789abcdef'),
      it.Seal.eq(new Uint8Array([10, 255])),
    ],
    "Token eq guid'01234567-89ab-cdef-0123-456789abcdef' and Seal eq X'0AFF'",
  ],
  [(it) => it.Row.contains("a'b"), "substringof('a''b',Row)"],
])('literals of version 2: %#', (condition, text) =>
  expect(filterText(condition as (it: never) => Conditions, crate, v2.words)).toBe(text),
)

describe('query strings', () => {
  const address = (query: AnyQuery): string => queryString(v4.query(query, ship))
  test.each<[string, AnyQuery, string]>([
    [
      '5.1.2 to 5.1.6, in one order, spaces as %20',
      {
        count: true,
        skip: 5,
        top: 3,
        orderBy: ['Name desc', 'Place/Quay'],
        select: ['Name', 'Length'],
        filter: "Name eq 'a'",
      },
      "?$filter=Name%20eq%20'a'&$select=Name,Length&$orderby=Name%20desc,Place/Quay&$top=3&$skip=5&$count=true",
    ],
    [
      '5.1.3, options of expansions in brackets, with semicolons between them',
      {
        expand: [
          'Home',
          {
            Surveys: {
              top: 3,
              select: ['Day'],
              filter: 'Passed eq true',
              expand: [{ Ship: { select: ['Name'] } }],
            },
          },
        ],
      },
      '?$expand=Home,Surveys($filter=Passed%20eq%20true;$select=Day;$expand=Ship($select=Name);$top=3)',
    ],
    [
      'RFC 3986, section 2.1: what would end the option is encoded',
      { filter: "Name eq 'a&b#c+d%é/ü'" },
      "?$filter=Name%20eq%20'a%26b%23c%2Bd%25%C3%A9%2F%C3%BC'",
    ],
    ['5.1.7, search', { search: 'old AND "slow boat"' }, '?$search=old%20AND%20%22slow%20boat%22'],
    ['nothing asked for', {}, ''],
    [
      'raw text everywhere',
      { select: 'Name,Length', expand: 'Surveys($top=1)', orderBy: 'Name' },
      '?$select=Name,Length&$expand=Surveys($top=1)&$orderby=Name',
    ],
  ])('%s', (_, query, text) => {
    expect(address(query)).toBe(text)
    expect(text === '' || isTaken('query', text.slice(1))).toBe(true)
    // What the platform's own parser reads back is what was meant.
    const read = new URL(`http://h/Ships${text}`).searchParams
    expect([...read.keys()]).toEqual(v4.query(query, ship).map(([name]) => name))
    for (const [name, value] of v4.query(query, ship)) expect(read.get(name)).toBe(value)
  })

  test('version 2 (URI Conventions, section 4): nested expansions are paths, counting is inline', () => {
    const text = (query: AnyQuery): string => queryString(v2.query(query, crate))
    expect(
      text({
        expand: ['Moves', { Ship: { select: ['Row'], expand: ['Moves'] } }],
        count: true,
        top: 1,
      }),
    ).toBe(
      '?$select=*,Ship/Row,Ship/Moves&$expand=Moves,Ship,Ship/Moves&$top=1&$inlinecount=allpages',
    )
    expect(text({ select: ['Number'], expand: ['Ship'] })).toBe('?$select=Number,Ship&$expand=Ship')
    expect(text({ expand: 'Ship,Moves', select: 'Number,Ship/Row' })).toBe(
      '?$select=Number,Ship/Row&$expand=Ship,Moves',
    )
  })

  test('what a query names must be there, also deep inside and in raw text; the nearest name is offered', () => {
    const misfits: Violation[] = []
    const query = {
      filter:
        "Lenght gt 5 and Surveys/any(s:s/Pased eq true) and contains(Name,'Lenght') and Place/Quai eq 'x' and Kind eq Ns.Kind'Tug' and At lt 2026-11-23T14:30:00Z and Token ne abcdef01-89ab-cdef-0123-456789abcdef",
      select: 'Naem',
      orderBy: ['Lenght desc'],
      expand: ['Suveys', { Surveys: { select: ['Dya'], top: -1 } }],
      top: 1.5,
      count: 'yes',
      skipp: 1,
    }
    checkQuery(query, ship, v4, v4.options, [], '', misfits)
    expect(misfits.map(({ path, message }) => `${path}: ${message}`)).toEqual([
      'filter: "Lenght" is not known here; is "Length" meant?',
      'filter: "Pased" is not known here; is "Passed" meant?',
      'filter: "Quai" is not known here; is "Quay" meant?',
      'select: "Naem" is not known here; is "Name" meant?',
      'orderBy: "Lenght" is not known here; is "Length" meant?',
      'expand: "Suveys" is not known here; is "Surveys" meant?',
      'expand.Surveys.select: "Dya" is not known here; is "Day" meant?',
      'expand.Surveys.top: expected a whole number from 0 on, got -1',
      'top: expected a whole number from 0 on, got 1.5',
      'count: expected true or false, got "yes"',
      'skipp: is not known here; is "skip" meant?',
    ])
    const nested: Violation[] = []
    checkQuery(
      { expand: [{ Ship: { filter: "Row eq 'a'" } }], search: 'x' },
      crate,
      v2,
      v2.options,
      [],
      '',
      nested,
    )
    expect(nested).toEqual([
      { path: 'expand.Ship.filter', message: "can't be asked for here" },
      { path: 'search', message: "can't be asked for here" },
    ])
  })

  test('an open type admits any name', () => {
    const misfits: Violation[] = []
    checkQuery(
      { filter: 'Anything eq 1', select: ['Whatever'] },
      { ...place, open: true },
      v4,
      v4.options,
      [],
      '',
      misfits,
    )
    expect(misfits).toEqual([])
  })
})

describe('keys and calls', () => {
  const keyed = (is: AnyProperty['is']): AnyStructure => ({
    type: 'Ns.X',
    keys: ['K'],
    members: { K: { is } },
  })
  test.each<[string, AnyStructure, unknown, string]>([
    // URL Conventions 4.01, section 4.3.1.
    ['a number', ship, 9007199254740993n, '(9007199254740993)'],
    [
      'a text with a slash, a quote, a question mark and letters',
      keyed(edm4.string),
      "O'B/7? é",
      "('O''B%2F7%3F%20%C3%A9')",
    ],
    ['an enumeration', keyed(kind), 'Tug', "(Ns.Kind'Tug')"],
    ['a date', keyed(edm4.date), '2026-11-23', '(2026-11-23)'],
    [
      'several',
      {
        type: 'Ns.Y',
        keys: ['A', 'B'],
        members: { A: { is: edm4.string }, B: { is: edm4.int32 } },
      },
      { A: 'x=y', B: 2 },
      "(A='x=y',B=2)",
    ],
  ])('%s', (_, structure, key, text) => {
    expect(keyText(structure, key, v4)).toBe(text)
    expect(isTaken('resourcePath', `Xs${text}`)).toBe(true)
  })

  test('keys of version 2 have the suffixes of their types', () =>
    expect(keyText(crate, { Number: 5n, Row: 'a b' }, v2)).toBe("(Number=5L,Row='a%20b')"))

  const call = (facts: Partial<AnyInvocation>): AnyInvocation => ({
    name: 'x',
    protocol: v4,
    call: 'Ns.Do',
    method: 'GET',
    passing: 'inline',
    ...facts,
  })
  test.each<[string, AnyInvocation, Record<string, unknown>, object]>([
    // URL Conventions 4.01, sections 5.1.1.11 and 5.3.2; Protocol, section 11.5.
    ['a function without parameters', call({}), {}, { target: 'Ns.Do()' }],
    [
      'bound to an entity',
      call({
        on: { path: 'Ships', of: ship },
        parameters: { a: { is: edm4.int32 }, b: { is: edm4.string, nullable: true } },
      }),
      { key: 7n, a: 1 },
      { target: 'Ships(7)/Ns.Do(a=1,b=null)' },
    ],
    [
      'left out where the metadata allows it',
      call({ parameters: { a: { is: edm4.int32, optional: true } } }),
      {},
      { target: 'Ns.Do()' },
    ],
    [
      'bound to a set, of a subtype',
      call({ on: { path: 'Ships', of: ship, many: true, cast: 'Ns.Tug' } }),
      {},
      { target: 'Ships/Ns.Tug/Ns.Do()' },
    ],
    [
      'slashes and what is no simple value go behind the question mark',
      call({
        parameters: {
          text: { is: edm4.string },
          list: { is: edm4.int64, many: true },
          place: { is: () => place },
        },
      }),
      { text: 'a/b', list: [1n, 2n], place: { Quay: 'S', Row: 1 } },
      {
        target:
          "Ns.Do(text=@text,list=@list,place=@place)?@text='a%2Fb'&@list=%5B%221%22,%222%22%5D&@place=%7B%22Quay%22:%22S%22,%22Row%22:1%7D",
      },
    ],
    [
      'an action',
      call({
        method: 'POST',
        passing: 'body',
        on: { path: 'Office', of: ship, singleton: true },
        parameters: {
          when: { is: edm4.date, name: 'key' },
          why: { is: edm4.string, nullable: true },
        },
      }),
      { when: '2026-01-01' },
      { target: 'Office/Ns.Do', body: '{"key":"2026-01-01"}' },
    ],
    [
      'of version 2 (URI Conventions, section 3.4)',
      call({
        protocol: v2,
        call: 'Weigh',
        passing: 'query',
        parameters: { Number: { is: edm2.int64 }, Since: { is: edm2.dateTime, nullable: true } },
      }),
      { Number: 5n, Since: '2026-11-23T00:00:00' },
      { target: "Weigh?Number=5L&Since=datetime'2026-11-23T00:00:00'" },
    ],
  ])('%s', (_, operation, input, wanted) => {
    expect(invocationTarget(operation, input)).toEqual(wanted)
    const { target } = wanted as { target: string }
    const [path = ''] = target.split('?')
    if (!/^Ns\./.test(path)) expect(isTaken('resourcePath', path)).toBe(true)
  })
})
