import { describe, expect, it } from '@jest/globals'
import fc from 'fast-check'
import { parse } from 'lossless-json'
import { exactJson } from '../../src/runtime/json/exact-json.js'
import { parseJson } from '../../src/runtime/json/parse-json.js'
import { anything, jsonText, RawNumber, readAnything } from '../../src/runtime/json/values.js'

/** A number of JSON, with few digits or many. */
const digits = fc.stringMatching(/^-?(?:0|[1-9]\d{0,22})(?:\.\d{1,22})?(?:[eE][+-]?\d{1,2})?$/)
const text = fc.string({ unit: 'binary', maxLength: 12 }).map((each) => JSON.stringify(each))
const hostileText = fc.constantFrom('"1234567890123456789"', '"\\\\"', '"\\"12345678901234567890"')
const { json } = fc.letrec<{ json: string }>((tie) => ({
  json: fc.oneof(
    { maxDepth: 4 },
    digits,
    text,
    hostileText,
    fc.constantFrom('true', 'null'),
    fc.array(tie('json'), { maxLength: 4 }).map((items) => `[${items.join(' ,')}]`),
    fc
      .uniqueArray(fc.tuple(fc.oneof(text, hostileText), tie('json')), {
        maxLength: 4,
        // The other parser takes no name twice.
        selector: ([name]) => JSON.parse(name) as string,
      })
      .map((members) => `{${members.map(([name, value]) => `${name}: ${value}`).join(',')}}`),
  ),
}))

/** Numbers as their value, to the last digit: digits and power of ten. */
function valueOf(number: string): string {
  const [, sign = '', whole = '', fraction = '', exponent = '0'] =
    /^(-?)(\d+)(?:\.(\d+))?(?:e([+-]?\d+))?$/i.exec(number) ?? []
  const all = `${whole}${fraction}`.replace(/^0+/, '')
  const short = all.replace(/0+$/, '')
  const power = Number(exponent) - fraction.length + all.length - short.length
  return short === '' ? '0' : `${sign}${short}e${String(power)}`
}

function thrownBy(act: () => unknown): string {
  try {
    act()
    return ''
  } catch (error) {
    return (error as Error).message
  }
}

describe('JSON whose numbers JavaScript might round', () => {
  it('is parsed as another parser does that keeps all digits', () => {
    fc.assert(
      fc.property(json, (written) => {
        const numbers = (value: unknown): unknown =>
          JSON.stringify(value, (_, each: unknown) => {
            if (each instanceof RawNumber) return `number ${valueOf(each.digits)}`
            return typeof each === 'number' ? `number ${valueOf(String(each))}` : each
          })
        const theirs = parse(written, null, (each) => new RawNumber(each))
        expect(numbers(parseJson(written))).toBe(numbers(theirs))
        // Exactly means to the letter, where the platform would not write it the same way.
        const letters = (value: unknown): string =>
          JSON.stringify(value, (_, each: unknown) => {
            if (each instanceof RawNumber) return `number ${each.digits}`
            return typeof each === 'number' ? `number ${jsonText(each)}` : each
          })
        expect(letters(exactJson(written))).toBe(letters(theirs))
      }),
      { numRuns: 2000 },
    )
  })

  it('what is no JSON is refused as the platform refuses it', () => {
    for (const wrong of [
      '',
      '12345678901234567890,',
      '"1234567890123456789',
      '[0123456789012345678]',
    ])
      for (const read of [parseJson, exactJson]) {
        expect(() => read(wrong)).toThrow(SyntaxError)
        expect(() => read(wrong)).toThrow(thrownBy(() => JSON.parse(wrong)))
      }
  })

  it('whole numbers keep all digits both ways; of others it is said that some are lost', () => {
    const lost: string[] = []
    const read = (written: string): unknown =>
      readAnything(parseJson(written), (message) => lost.push(message))
    expect(read('{"a":[9007199254740993,-12345678901234567890,1,-0,0.1,1e3]}')).toEqual({
      a: [9007199254740993n, -12345678901234567890n, 1, -0, 0.1, 1000],
    })
    expect(lost).toEqual([])
    expect(read('[1.00000000000000000001]')).toEqual([1])
    expect(lost).toEqual(['has more digits than a number holds exactly: 1.00000000000000000001'])
    expect(jsonText(anything.write([9007199254740993n, -0] as never))).toBe('[9007199254740993,-0]')
  })
})
