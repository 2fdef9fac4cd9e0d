import { describe, expect, test } from '@jest/globals'
import { readAnswer } from '../support/soap-answers.js'
import { soap11, writeRequest } from '../../src/runtime/soap/envelope.js'
import { liveOperation, readFixture } from '../support/contracts.js'
import { answerCases, disorderlyCases } from './soap-answers.cases.js'

/**
 * Answers of the small fixtures in tests/fixtures/soap, written by hand: `<v>` stands for the
 * value's element, `n:` for the fixture's namespace.
 */
async function read(
  fixture: string,
  inside: string,
): Promise<{ value: unknown; deviations: string[] }> {
  const { contract } = await readFixture(`tests/fixtures/soap/${fixture}.wsdl`)
  const namespace = `urn:brackmouth:${fixture}`
  const isQualified = fixture !== 'unqualified'
  const element = inside
    .replace('<v', isQualified ? '<n:value' : '<value')
    .replace(/<\/v>$/, isQualified ? '</n:value>' : '</value>')
  const xml = `<?xml version="1.0"?><e:Envelope xmlns:e="${soap11}" xmlns:i="http://www.w3.org/2001/XMLSchema-instance" xmlns:s="http://www.w3.org/2001/XMLSchema"><e:Body><n:sendResponse xmlns:n="${namespace}">${element}</n:sendResponse></e:Body></e:Envelope>`
  const deviations: string[] = []
  const value = readAnswer(
    liveOperation(contract, 'send'),
    { status: 200, headers: {}, body: new TextEncoder().encode(xml) },
    ({ path, message }) => deviations.push(`${path} ${message}`),
  )
  return { value, deviations }
}

describe('answers as the contract has them', () => {
  test.each(answerCases)('%s', async (fixture, xml, value) =>
    expect(await read(fixture, xml)).toEqual({ value, deviations: [] }),
  )
})

test('an element given where anything may be keeps its own name; one called as its place is that place', async () => {
  const { contract } = await readFixture('tests/fixtures/soap/any-type.wsdl')
  const send = liveOperation(contract, 'send')
  const gift = { name: '{urn:gifts}Gift', content: ['rope'] }
  const written = writeRequest(
    send,
    {
      value: { Any: gift, Simple: 'x', Many: [{ ...gift, name: '{urn:brackmouth:any-type}Many' }] },
    },
    soap11,
  )
  expect(written).toMatch(/<(n\d):Any><(n\d):Gift>rope<\/\2:Gift><\/\1:Any>/)
  expect(written).toMatch(/<(n\d):Many>rope<\/\1:Many>/)
})

describe('answers in disorder decode right, and the breach of the contract is told', () => {
  test.each(disorderlyCases)('%s', async (_what, fixture, xml, value, deviations) =>
    expect(await read(fixture, xml)).toEqual({ value, deviations }),
  )

  test('what has no place in the types is a breach, with the place', async () => {
    await expect(
      read('repeated-sequence', '<v><n:Time>6</n:Time><n:Height>1</n:Height></v>'),
    ).rejects.toThrow('value.Time: promised was a time')
    await expect(
      read('restricted-text', '<v><n:Total Currency="NOK">1,5</n:Total></v>'),
    ).rejects.toThrow('promised was a decimal number, but there came "1,5"')
    await expect(read('optional-sequence', '<v><n:Vessel><n:X/></n:Vessel></v>')).rejects.toThrow(
      'value.Vessel.X: promised was a text, but there came an element <n:X>',
    )
  })
})

test('null where there may be none is left out, as the type says, and told', async () => {
  expect(await read('recursion', '<v><n:Name i:nil="true"/><n:Next i:nil="true"/></v>')).toEqual({
    value: {},
    deviations: [
      'value.Name is null, which the contract does not allow',
      'value.Next is null, which the contract does not allow',
    ],
  })
  await expect(read('recursion', '<v i:nil="true"/>')).rejects.toThrow('promised was a value')
})
