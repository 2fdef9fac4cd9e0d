import fc from 'fast-check'
import { expect, test } from '@jest/globals'
import { keepSecret, mask, maskedBody, maskedJson, maskedPlain, maskedUrl, withoutSecrets } from '../../src/exercise/masking.js'

test('a secret of whatever letters is masked in every form; JSON stays JSON, and everything else what it was', () => {
  fc.assert(
    fc.property(fc.string({ unit: 'grapheme', minLength: 6, maxLength: 30 }).filter((text) => text.trim().length >= 6), fc.integer({ min: 0, max: 5 }), (secret, before) => {
      keepSecret(secret)
      const bytes = Buffer.concat([Buffer.alloc(before, 'x'), Buffer.from(secret)])
      const json = JSON.stringify(secret).slice(1, -1)
      for (const form of [secret, encodeURIComponent(secret), json, JSON.stringify(json).slice(1, -1), secret.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;'), Buffer.from(secret).toString('hex')]) {
        expect(withoutSecrets(`a ${form} b`)).not.toContain(form)
      }
      const inside = bytes.toString('base64')
      expect(withoutSecrets(inside)).not.toBe(inside)
      expect(() => JSON.parse(maskedJson({ text: `<${secret}>`, number: 1234567, yes: true, list: [null, secret] })) as unknown).not.toThrow()
    }),
    // All secrets of a run are remembered.
    { numRuns: 60 },
  )
})

test('secrets that look like words of JSON do not break it', () => {
  for (const secret of ['true', 'null', '123456', '":{}', 'text']) keepSecret(secret)
  const value = { text: 'it is true, not null; 123456', number: 123456, yes: true, none: null }
  expect(JSON.parse(maskedJson(value))).toEqual({ text: `it is ${mask}, not ${mask}; ${mask}`, number: 123456, yes: true, none: null })
  expect(maskedPlain(value)).toMatchObject({ number: 123456, yes: true })
})

test('what is called like a secret is masked where it stands: in elements, members, forms, queries', () => {
  expect(maskedBody('<w:Password Type="x">hush</w:Password><DeskKey>abc</DeskKey>')).toBe('<w:Password Type="x">***</w:Password><DeskKey>***</DeskKey>')
  expect(maskedBody('{"client_secret":"a\\"b","name":"n"}')).toBe('{"client_secret":"***","name":"n"}')
  expect(maskedBody('grant_type=password&password=a%20b&x=1')).toBe('grant_type=password&password=***&x=1')
  expect(maskedUrl('https://me:pw@quay.example/a?api_key=k1&x=%zz')).toBe('https://***@quay.example/a?api_key=***&x=%zz')
})
