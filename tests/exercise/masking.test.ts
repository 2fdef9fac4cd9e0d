import fc from 'fast-check'
import { expect, test } from '@jest/globals'
import { isSecretName, type NamePlace } from '../../src/contract/secret-names.js'
import {
  keepSecret,
  mask,
  maskedBody,
  maskedHeaders,
  maskedJson,
  maskedNames,
  maskedPlain,
  maskedUrl,
  withoutSecrets,
} from '../../src/exercise/masking.js'

test('a secret of whatever letters is masked in every form; JSON stays JSON, and everything else what it was', () => {
  fc.assert(
    fc.property(
      fc
        .string({ unit: 'grapheme', minLength: 6, maxLength: 30 })
        .filter((text) => text.trim().length >= 6),
      fc.integer({ min: 0, max: 5 }),
      (secret, before) => {
        keepSecret(secret)
        const bytes = Buffer.concat([Buffer.alloc(before, 'x'), Buffer.from(secret)])
        const json = JSON.stringify(secret).slice(1, -1)
        for (const form of [
          secret,
          encodeURIComponent(secret),
          json,
          JSON.stringify(json).slice(1, -1),
          secret.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;'),
          Buffer.from(secret).toString('hex'),
        ]) {
          expect(withoutSecrets(`a ${form} b`)).not.toContain(form)
        }
        const inside = bytes.toString('base64')
        expect(withoutSecrets(inside)).not.toBe(inside)
        expect(
          () =>
            JSON.parse(
              maskedJson({ text: `<${secret}>`, number: 1234567, yes: true, list: [null, secret] }),
            ) as unknown,
        ).not.toThrow()
      },
    ),
    // All secrets of a run are remembered.
    { numRuns: 60 },
  )
})

test('secrets that look like words of JSON do not break it', () => {
  for (const secret of ['true', 'null', '123456', '":{}', 'text']) keepSecret(secret)
  const value = { text: 'it is true, not null; 123456', number: 123456, yes: true, none: null }
  expect(JSON.parse(maskedJson(value))).toEqual({
    text: `it is ${mask}, not ${mask}; ${mask}`,
    number: 123456,
    yes: true,
    none: null,
  })
  expect(maskedPlain(value)).toMatchObject({ number: 123456, yes: true })
})

test('what is called like a secret is masked where it stands: in elements, members, forms, queries', () => {
  expect(maskedBody('<w:Password Type="x">hush</w:Password><DeskKey>abc</DeskKey>')).toBe(
    '<w:Password Type="x">***</w:Password><DeskKey>***</DeskKey>',
  )
  expect(maskedBody('{"client_secret":"a\\"b","name":"n"}')).toBe(
    '{"client_secret":"***","name":"n"}',
  )
  expect(maskedBody('grant_type=password&password=a%20b&x=1')).toBe(
    'grant_type=password&password=***&x=1',
  )
  expect(maskedUrl('https://me:pw@quay.example/a?api_key=k1&x=%zz')).toBe(
    'https://***@quay.example/a?api_key=***&x=%zz',
  )
})

test('one list says what secrets are called, however that is spelt and wherever it stands', () => {
  const everywhere = [
    'password',
    'Password',
    'userPassword',
    'USER_PASSWORD',
    'passwd',
    'pwd',
    'passphrase',
    'token',
    'accessToken',
    'access_token',
    'idToken',
    'jwt',
    'JWT',
    'secret',
    'client-secret',
    'clientSecrets',
    'apiKey',
    'API_KEY',
    'x-api-key',
    'apikey',
    'deskKey',
    'Ocp-Apim-Subscription-Key',
    'credential',
    'credentials',
    'sessionId',
    'sessionid',
    'SESSION_ID',
    'authorization',
    'bearer',
    'otp',
    'userPass',
    'pass',
  ]
  const addressesOnly = ['key', 'code', 'auth', 'sig', 'signature', 'session', 'ticket', 'pin']
  const never = [
    'name',
    'Key',
    'keys',
    'primaryKey',
    'foreign_key',
    'publicKey',
    'partitionKey',
    'nextPageToken',
    'continuationToken',
    '$skiptoken',
    'boardingPass',
    'tokenize',
    'secretary',
    'passenger',
    'codes',
    'zipCode',
    'monkey',
    'turkey',
    'compass',
    'author',
    'design',
    'sessions',
    'constructor',
    '__proto__',
    '',
  ]
  const said = (names: readonly string[], place: NamePlace): string[] =>
    names.filter((name) => isSecretName(name, place))
  expect(said(everywhere, 'body')).toEqual(everywhere)
  expect(said(everywhere, 'address')).toEqual(everywhere)
  expect(said(everywhere, 'header')).toEqual(everywhere)
  expect(said(addressesOnly, 'address')).toEqual(addressesOnly)
  expect(said(addressesOnly, 'body')).toEqual([])
  expect(said(never, 'body')).toEqual([])
})

test('the list is used in attributes, members of any kind, values, addresses in headers, and in good time', () => {
  expect(maskedBody('<Login password="hush" name=\'n\'/>')).toBe(
    '<Login password="***" name=\'n\'/>',
  )
  expect(maskedBody('{"pwd":1234,"jwt": "a.b","name":"n"}')).toBe(
    '{"pwd":"***","jwt": "***","name":"n"}',
  )
  expect(
    maskedNames({
      user: 'n',
      login: [{ passWord: 'x', Tokens: ['a', 'b'], apiKey: 7, isSecret: true }],
      secret: null,
    }),
  ).toEqual({
    user: 'n',
    login: [{ passWord: mask, Tokens: [mask, mask], apiKey: mask, isSecret: true }],
    secret: null,
  })
  expect(
    maskedHeaders({ location: '/next?sessionid=abc&x=1#access_token=t', 'x-note': 'n' }),
  ).toEqual({ location: `/next?sessionid=${mask}&x=1#access_token=${mask}`, 'x-note': 'n' })
  const started = performance.now()
  for (const piece of ['\\"', '"', '<a ', '&a', '{"a":"', ' password="', '<password>'])
    maskedBody(piece.repeat(100_000))
  expect(performance.now() - started).toBeLessThan(20_000)
})
