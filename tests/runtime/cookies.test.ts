import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import { CookieJar as Judge } from 'tough-cookie'
import { CookieJar } from '../../src/runtime/node/cookies.js'

/** Hosts that are below each other, beside each other, without a dot, and no names at all. */
const hosts = [
  'quay.example',
  'desk.quay.example',
  'other.example',
  'localhost',
  '127.0.0.1',
  '10.0.0.1',
]
const paths = ['/', '/desk', '/desk/', '/desk/berths', '/deskside', '/ferries/x']
const domains = [...hosts, '.quay.example', 'Quay.Example', '0.0.1', 'example', '']

const address = fc
  .tuple(fc.constantFrom('http', 'https'), fc.constantFrom(...hosts), fc.constantFrom(...paths))
  .map(([scheme, host, path]) => new URL(`${scheme}://${host}${path}`))

const attribute = fc.oneof(
  fc.constantFrom(...domains).map((domain) => `Domain=${domain}`),
  fc.constantFrom(...paths, 'desk', '').map((path) => `Path=${path}`),
  fc.constantFrom('60', '0', '-1', 'soon', '').map((age) => `Max-Age=${age}`),
  fc
    .constantFrom('Wed, 21 Oct 2065 07:28:00 GMT', 'Wed, 21 Oct 2015 07:28:00 GMT', 'never')
    .map((moment) => `expires=${moment}`),
  fc.constantFrom('Secure', 'HttpOnly', 'SameSite=Lax', 'Colour=red', ''),
)

const header = fc
  .tuple(
    fc.constantFrom('a', 'b', 'session'),
    fc.constantFrom('1', 'x=y', '"q"', ''),
    fc.array(attribute, { maxLength: 4 }),
  )
  .map(([name, value, attributes]) => [`${name}=${value}`, ...attributes].join('; '))

function inOrder(header: string): string[] {
  return header.split('; ').sort()
}

test('the cookies of a session are kept and sent as another implementation of RFC 6265 does', () => {
  const seen = new Set<string>()
  fc.assert(
    fc.property(
      fc.array(fc.tuple(address, header), { minLength: 1, maxLength: 6 }),
      fc.array(address, { minLength: 1, maxLength: 4 }),
      (answers, asked) => {
        const jar = new CookieJar()
        const judge = new Judge(undefined, {
          rejectPublicSuffixes: true,
          allowSpecialUseDomain: true,
          allowSecureOnLocal: false,
        })
        for (const [url, text] of answers) {
          jar.keep(url, [text])
          judge.setCookieSync(text, url.href, { ignoreError: true })
        }
        for (const url of asked) {
          const sent = jar.headerFor(url)
          seen.add(sent)
          // In which order those of one path stand is nobody's business: one that ended may be forgotten.
          expect(inOrder(sent)).toEqual(inOrder(judge.getCookieStringSync(url.href)))
        }
      },
    ),
    { numRuns: 3000 },
  )
  expect(seen.size).toBeGreaterThan(20)
})
