import { describe, expect, test } from '@jest/globals'
import * as fc from 'fast-check'
import { documentInside } from '../../src/exercise/inside.js'

const nil =
  '<?xml version="1.0"?><x:a xmlns:x="urn:x" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance"><x:b>&lt;&amp;</x:b><x:c xsi:nil="true"/></x:a>'

describe('a document in a text of an answer', () => {
  test.each<[string, unknown, string, unknown]>([
    ['JSON', { Answer: '{"a": [1, 2]}' }, 'Answer', { a: [1, 2] }],
    [
      'JSON, every digit',
      '[12345678901234567890, 7.50, 1.5]',
      '.',
      ['12345678901234567890', '7.50', 1.5],
    ],
    ['deeper down', [{ Body: { Text: '[true]' } }], '[0].Body.Text', [true]],
    [
      'XML: elements of one name are a list',
      '<rows><row><n>1</n></row><row><n>2</n></row></rows>',
      '.',
      { row: [{ n: '1' }, { n: '2' }] },
    ],
    [
      'XML: attributes, and text beside them',
      '<a b="EUR"> 2.50 </a>',
      '.',
      { b: 'EUR', $text: '2.50' },
    ],
    [
      'XML: an attribute called like an element',
      '<a b="1"><b>2</b></a>',
      '.',
      { '@b': '1', b: '2' },
    ],
    ['XML: a namespace, an entity, null', nil, '.', { b: '<&', c: null }],
    ['XML: nothing but text', '<a>x</a>', '.', 'x'],
  ])('%s', async (_, value, path, plain) => {
    expect(await documentInside(value, path)).toEqual(plain)
  })

  test.each<[string, unknown, string, string]>([
    ['no such place', { Answer: '{}' }, 'Anwser', 'there is no text at "Anwser" in the answer'],
    ['no text', { n: 1 }, 'n', 'there is no text at "n"'],
    ['neither of both', 'Nordkai', '.', 'is neither XML nor JSON; it starts with "Nordkai"'],
    ['broken JSON', '{"a": ', '.', 'is not well-formed'],
    ['broken XML', '<a><b></a>', '.', 'is not well-formed'],
    ['a document type', '<!DOCTYPE a [<!ENTITY x "y">]><a>&x;</a>', '.', 'is not well-formed'],
    ['too deep', '<a>'.repeat(100_000), '.', 'is not well-formed'],
    ['too deep in JSON', '['.repeat(100_000), '.', 'is not well-formed'],
  ])('%s is refused', async (_, value, path, reason) => {
    await expect(documentInside(value, path)).rejects.toThrow(reason)
  })

  test('whatever stands in JSON comes out as it went in', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(fc.jsonValue()), async (value) => {
        const text = JSON.stringify(value)
        const read = JSON.stringify(await documentInside(text, '.'))
        // Numbers in exponents are kept as they are written.
        expect(read.replace(/"(-?[\d.]+e[+-]?\d+)"/g, '$1')).toBe(text)
      }),
    )
  })
})
