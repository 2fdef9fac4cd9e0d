import { describe, expect, test } from '@jest/globals'
import { parseValues } from '../../src/draft/json-values.js'
import { plainOf } from '../../src/draft/remarked.js'
import { Remarked } from '../../src/draft/remarked.js'
import { SchemaWriter } from '../../src/draft/schemas.js'
import { Seen } from '../../src/draft/seen.js'
import { structuresOf } from '../../src/draft/structures.js'

/** What is drafted of a member that had these values, as JSON; and why. */
function drafted(values: string, member = 'mark'): [schema: string, reason: string] {
  const root = new Seen('received', ['things'])
  for (const value of parseValues(`[${values}]`) as []) root.see({ [member]: value })
  const writer = new SchemaWriter(structuresOf([root]))
  writer.of(root, '', '')
  const [[, record] = []] = Object.entries(writer.all)
  const plain = record instanceof Remarked ? record.value : record
  const { properties } = plain as { properties: Record<string, unknown> }
  const own = properties[member]
  const schema = plainOf(own) as Record<string, unknown>
  const { examples: _examples, ...keywords } = schema
  return [JSON.stringify(keywords).replaceAll('"', ''), own instanceof Remarked ? own.remark : '']
}

const times = (count: number, ...values: string[]): string =>
  Array.from({ length: count }, (_, at) => values[at % values.length]).join(',')

describe('numbers keep every digit', () => {
  test.each([
    ['1, 2, 3', '{type:integer}', 'whole numbers'],
    ['0', '{type:integer}', 'whole numbers, seen once'],
    ['-5, 5', '{type:integer}', 'whole numbers'],
    ['9007199254740991', '{type:integer}', 'whole numbers, seen once'],
    ['1, 9007199254740992', '{type:integer,format:int64}', 'whole numbers beyond 2^53'],
    ['-9007199254740993, 2', '{type:integer,format:int64}', 'whole numbers beyond 2^53'],
    ['9223372036854775807, 1', '{type:integer,format:int64}', 'whole numbers beyond 2^53'],
    ['9223372036854775808, 1', '{type:number,format:decimal}', 'whole numbers beyond 64 bits'],
    [
      '123456789012345678901234567890, 1',
      '{type:number,format:decimal}',
      'whole numbers beyond 64 bits',
    ],
    ['12.50, 3.75', '{type:number,format:decimal}', 'fractions: every digit counts'],
    ['12, 12.5', '{type:number,format:decimal}', 'fractions: every digit counts'],
    ['1.0, 2.0', '{type:number,format:decimal}', 'fractions: every digit counts'],
    [
      '0.1000000000000000055511151231257827, 1',
      '{type:number,format:decimal}',
      'fractions: every digit counts',
    ],
    ['1e3, 2', '{type:number,format:double}', 'written with exponents'],
    ['1.5E-7, 0.25', '{type:number,format:double}', 'written with exponents'],
    ['1, null', '{type:[integer,null]}', 'null in 1 of 2, whole numbers'],
    [
      '1.5, null, null',
      '{type:[number,null],format:decimal}',
      'null in 2 of 3, fractions: every digit counts',
    ],
  ])('%s', (values, schema, reason) => {
    expect(drafted(values)).toEqual([schema, reason])
  })
})

describe('texts have a form only where all of them have it', () => {
  test.each([
    ['"a", "b"', '{type:string}', '2 different texts'],
    ['"a", "a", "a"', '{type:string}', 'always the same so far'],
    ['""', '{type:string}', 'always empty so far, seen once'],
    ['"", ""', '{type:string}', 'always empty so far'],
    ['"x"', '{type:string}', 'a text, seen once'],
    ['"2027-07-15", "2027-07-16"', '{type:string,format:date}', 'dates'],
    ['"2027-07-15", ""', '{type:string}', 'dates, but for 1 that were empty'],
    ['"2027-07-15", "tomorrow"', '{type:string}', '2 different texts'],
    ['"2027-07-15", "2027-07-15T06:00:00Z"', '{type:string}', '2 different texts'],
    ['"15.07.2027", "16.07.2027"', '{type:string}', '2 different texts'],
    ['"07/15/2027", "07/16/2027"', '{type:string}', '2 different texts'],
    ['"2027-13-01", "2027-12-01"', '{type:string}', '2 different texts'],
    ['"20270715", "20270716"', '{type:string}', 'digits, written as texts'],
    [
      '"2027-07-15T06:00:00Z", "2027-07-15T06:00:00.123+02:00"',
      '{type:string,format:date-time}',
      'moments with their zone',
    ],
    [
      '"2027-07-15T06:00:00", "2027-07-15T07:00:00"',
      '{type:string,format:date-time-local}',
      'moments without a zone',
    ],
    [
      '"2027-07-15 06:00", "2027-07-15 07:30"',
      '{type:string,format:date-time-local}',
      'moments without a zone',
    ],
    ['"2027-07-15T06:00:00Z", "2027-07-15T07:00:00"', '{type:string}', '2 different texts'],
    ['"06:00:00Z", "07:00:00+01:00"', '{type:string,format:time}', 'times with their zone'],
    ['"06:00", "07:00"', '{type:string}', '2 different texts'],
    ['"PT6H", "P1DT2H30M"', '{type:string,format:duration}', 'durations'],
    ['"P", "PT"', '{type:string}', '2 different texts'],
    ['"6f1e1f1c-5f0c-4b1f-8a1e-3f0a4b9a0c11"', '{type:string,format:uuid}', 'UUIDs, seen once'],
    ['"https://gauge.example/a", "http://gauge.example"', '{type:string,format:uri}', 'addresses'],
    ['"gauge.example/a"', '{type:string}', 'a text, seen once'],
    ['"anna@brack.example", "bo@brack.example"', '{type:string,format:email}', 'mail addresses'],
    ['"10.0.0.1", "192.168.7.250"', '{type:string,format:ipv4}', 'addresses of IP'],
    ['"10.0.0.256", "1.2.3.4"', '{type:string}', '2 different texts'],
    [
      '"aGVsbG8gaGFyYm91cjE=", "QnJhY2ttb3V0aCBwb3J0"',
      '{type:string,contentEncoding:base64}',
      'bytes in base64',
    ],
    ['"QnJhY2ttb3V0aCBwb3J0"', '{type:string}', 'base64, perhaps, seen once'],
    ['"aGVsbG8=", "YWhveQ=="', '{type:string}', '2 different texts'],
    ['"true", "false"', '{type:string,enum:[true,false]}', 'truth values, written as texts'],
    ['"True", "False"', '{type:string}', '2 different texts'],
    ['"true", "yes"', '{type:string}', '2 different texts'],
    ['"12.50", "3.75"', '{type:string,format:decimal}', 'amounts, written as texts'],
    ['"12", "3.75"', '{type:string,format:decimal}', 'amounts, written as texts'],
    ['"012.50", "3.75"', '{type:string}', '2 different texts'],
    ['"12,50", "3,75"', '{type:string}', '2 different texts'],
    ['"1 250.00", "3.75"', '{type:string}', '2 different texts'],
    ['"EUR 12.50", "EUR 3.75"', '{type:string}', '2 different texts'],
    ['"17", "18"', '{type:string}', 'digits, written as texts'],
    ['"0017", "0018"', '{type:string}', 'digits with leading zeros'],
    ['"0", "1"', '{type:string}', 'digits, written as texts'],
    ['"+4712345678", "+4787654321"', '{type:string}', '2 different texts'],
    ['"9007199254740993123456", "1"', '{type:string}', 'digits, written as texts'],
    ['"BKM-114", "BKM-031"', '{type:string}', '2 different texts'],
    ['"a", null', '{type:[string,null]}', 'null in 1 of 2, a text'],
    ['"2027-07-15", null', '{type:[string,null],format:date}', 'null in 1 of 2, dates'],
    ['"***", "***"', '{type:string}', 'masked where it was recorded'],
    ['"***", "2027-07-15"', '{type:string,format:date}', 'dates'],
  ])('%s', (values, schema, reason) => {
    expect(drafted(values)).toEqual([schema, reason])
  })

  test.each([
    [
      'few words, many times',
      times(12, '"rising"', '"falling"', '"slack"'),
      'mark',
      '{type:string,enum:[falling,rising,slack]}',
    ],
    ['too few of them', times(6, '"rising"', '"falling"', '"slack"'), 'mark', '{type:string}'],
    ['one of them once', `${times(12, '"rising"', '"falling"')},"slack"`, 'mark', '{type:string}'],
    ['not often enough', times(9, '"a"', '"b"', '"c"', '"d"'), 'mark', '{type:string}'],
    ['one word only', times(20, '"rising"'), 'mark', '{type:string}'],
    ['sentences', times(12, '"It is rising now, mind you"', '"It falls"'), 'mark', '{type:string}'],
    ['digits', times(12, '"1"', '"2"'), 'mark', '{type:string}'],
    [
      'names of persons in a member of another name',
      times(12, '"Anna"', '"Bo"'),
      'mark',
      '{type:string}',
    ],
    [
      'kinds with capitals',
      times(12, '"Rising"', '"Falling"'),
      'tideState',
      '{type:string,enum:[Falling,Rising]}',
    ],
    ['codes', times(12, '"BRK-0715"', '"OST-0715"'), 'mark', '{type:string}'],
    ['names of persons', times(12, '"Anna"', '"Bo"'), 'skipperName', '{type:string}'],
    [
      'with null',
      `${times(12, '"rising"', '"falling"')},null`,
      'mark',
      '{type:[string,null],enum:[falling,rising,null]}',
    ],
    ['texts with an empty one', times(12, '"rising"', '""'), 'mark', '{type:string}'],
  ])('an enumeration needs evidence: %s', (_, values, member, schema) => {
    expect(drafted(values, member)[0]).toBe(schema)
  })
})

describe('what is of several kinds, or of none', () => {
  test.each([
    ['null', '{}', 'always null so far'],
    ['null, null', '{}', 'always null so far'],
    ['true', '{type:boolean}', 'truth values, seen once'],
    ['true, null', '{type:[boolean,null]}', 'null in 1 of 2, truth values'],
    [
      '1, "1"',
      '{anyOf:[{type:integer},{type:string}]}',
      'of 2 kinds: whole numbers; digits, written as texts',
    ],
    [
      'true, "yes", null',
      '{anyOf:[{type:boolean},{type:string},{type:null}]}',
      'of 2 kinds: truth values; a text',
    ],
    [
      '1, [1]',
      '{anyOf:[{type:integer},{type:array,items:{type:integer}}]}',
      'of 2 kinds: whole numbers; ',
    ],
    ['[]', '{type:array,items:{}}', 'always empty so far, seen once'],
    ['[], [1]', '{type:array,items:{type:integer}}', ''],
    ['[1, "a"], [2]', '{type:array,items:{anyOf:[{type:integer},{type:string}]}}', ''],
    ['[[1], [2, 3]], []', '{type:array,items:{type:array,items:{type:integer}}}', ''],
    ['[null, 1], [2]', '{type:array,items:{type:[integer,null]}}', ''],
    [
      '{"17": 1.5, "18": 2.5, "19": 3.5}',
      '{type:object,additionalProperties:{type:number,format:decimal}}',
      'the members are keys: 17, 18 …, seen once',
    ],
    [
      '{"2027-07-15": "a", "2027-07-16": "b", "2027-07-17": "c"}',
      '{type:object,additionalProperties:{type:string}}',
      'the members are keys: 2027-07-15, 2027-07-16 …, seen once',
    ],
  ])('%s', (values, schema, reason) => {
    const [found, why] = drafted(values)
    expect(found.replace(/,examples:\[[^\]]*\]/g, '')).toBe(schema)
    expect(why).toBe(reason)
  })
})
