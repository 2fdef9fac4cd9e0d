/**
 * Documents with mistakes that keep their structure: what stands in one place stands in another, is
 * gone, there twice, or makes no sense.
 */

/** The name that no generated code may have as an identifier of its own. */
export const marker = 'wentOverboard'

const junk = [
  '',
  ' ',
  'x',
  '0',
  '-1',
  '1e400',
  '999999999999999999999',
  '#/',
  '#/components/schemas/',
  'true',
  'a.b.c',
  '__proto__',
  'constructor',
  'toString',
  '(a+)+$',
  '[',
  '*',
  '\u202e',
  '\u0000',
  '\ud800',
  '/dev/zero',
  '//host/x',
  '%',
  '../../x',
  'Collection(Collection(Edm.Int32))',
  `*/ ${marker}() /*`,
  `'; ${marker}(); '`,
  `\`\${${marker}()}\``,
  `"]; ${marker}(); ["`,
  `</script><script>${marker}()</script>`,
  `\n${marker}()\n//`,
  `\u2028${marker}()`,
  'x'.repeat(5000),
  '('.repeat(300),
]

/** Numbers from 0 to below 1, the same ones for the same seed. */
export function randomFrom(seed) {
  let state = seed >>> 0
  return () => {
    state = (state + 0x6d2b79f5) >>> 0
    let mixed = Math.imul(state ^ (state >>> 15), state | 1)
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61)
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4294967296
  }
}

/** One of several. */
export const pick = (items, random) => items[Math.floor(random() * items.length)]
const escaped = (text) => text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/"/g, '&quot;')

/** XML with one mistake. */
export function spoiledXml(text, random) {
  const attributes = [...text.matchAll(/(?<=\s)(?!xmlns)[\w:.]+="([^"]*)"/g)]
  const elements = [
    ...text.matchAll(/<(?![/!?])[\w:]+[^<>]*\/>|<(?![/!?])([\w:]+)[^<>]*>[^<>]*<\/\1>/g),
  ]
  const attribute = pick(attributes, random)
  const element = pick(elements, random)
  if (attribute === undefined || element === undefined) return text
  const replaced = (found, by) =>
    text.slice(0, found.index) + by + text.slice(found.index + found[0].length)
  const valued = (value) =>
    replaced(
      attribute,
      attribute[0].replace(/"[^"]*"$/, () => `"${value}"`),
    )
  const ways = [
    () => valued(escaped(pick(junk, random))),
    () => valued(pick(attributes, random)[1]),
    () => replaced(attribute, ''),
    () => replaced(element, ''),
    () => replaced(element, element[0].repeat(2)),
    () => replaced(element, pick(elements, random)[0]),
    () => replaced(element, element[0] + pick(elements, random)[0]),
  ]
  return pick(ways, random)()
}

/** A tree of JSON with one mistake; changes it. */
export function spoilTree(tree, random) {
  const places = []
  const collect = (holder) => {
    for (const key of Object.keys(holder)) {
      places.push({ holder, key })
      if (typeof holder[key] === 'object' && holder[key] !== null) collect(holder[key])
    }
  }
  collect(tree)
  const { holder, key } = pick(places, random)
  const other = pick(places, random)
  const put = (name, value) =>
    Object.defineProperty(holder, name, {
      value,
      enumerable: true,
      configurable: true,
      writable: true,
    })
  const ways = [
    () => put(key, pick(junk, random)),
    () => put(key, pick([null, true, -1, 1e9, [], {}, [null], { $ref: '#' }], random)),
    () => put(key, structuredClone(other.holder[other.key])),
    () =>
      Array.isArray(holder) ? holder.splice(Number(key), 1) : Reflect.deleteProperty(holder, key),
    () =>
      Array.isArray(holder)
        ? holder.push(structuredClone(holder[key]))
        : put(pick(junk, random), holder[key]),
    () =>
      Array.isArray(holder)
        ? holder.push(structuredClone(other.holder[other.key]))
        : put(other.key, structuredClone(other.holder[other.key])),
  ]
  pick(ways, random)()
}

const headerJunk = [
  '',
  'x',
  '0',
  '-1',
  '99999999999',
  'text/xml',
  'application/json',
  'application/json; charset=utf-16',
  'text/plain; charset=no-such',
  'multipart/mixed; boundary=',
  'multipart/related; boundary="x"; type="application/xop+xml"',
  'application/x-ndjson',
  'text/event-stream',
  'application/octet-stream',
  'gzip',
  'W/"a',
  '"',
  '/',
  '//',
  '//host/x',
  'http://[',
  'http://elsewhere.example/',
  'data:,x',
  'file:///etc/hostname',
  'Basic realm="',
  'Bearer realm=x, scope="',
  'no-cache, x=',
  'respond-async',
  '4.0',
  'a'.repeat(5000),
  'a=b; Path=/; Domain=example',
  '%',
  '\u00e9',
  'Thu, 01 Jan 1970 00:00:00 GMT',
]
const headerNames = [
  'content-type',
  'content-encoding',
  'content-length',
  'location',
  'etag',
  'retry-after',
  'set-cookie',
  'www-authenticate',
  'odata-version',
  'preference-applied',
  'accept',
  'if-match',
  'prefer',
  'soapaction',
  'link',
  'authorization',
  'cookie',
  'x-total',
  'odata-entityid',
  'content-disposition',
]
const statuses = [
  200, 201, 202, 203, 204, 205, 206, 300, 301, 302, 303, 304, 307, 308, 400, 401, 403, 404, 405,
  409, 412, 413, 415, 422, 429, 451, 500, 501, 503, 511, 599,
]

/** A request or an answer with one to three mistakes: in its status, its headers and its body. */
export function spoiledExchange(exchange, random) {
  let { status, headers, body } = exchange
  const mistakes = 1 + Math.floor(random() * 3)
  for (let count = 0; count < mistakes; count += 1) {
    const way = random()
    if (way < 0.1) status = pick(statuses, random)
    else if (way < 0.25) headers = spoiledHeaders(headers, random)
    else body = spoiledBody(body, random)
  }
  return { status, headers, body }
}

function spoiledHeaders(headers, random) {
  const name = pick([...headerNames, ...Object.keys(headers)], random)
  const { [name]: dropped, ...others } = headers
  return random() < 0.2
    ? others
    : { ...others, [name]: pick([...headerJunk, dropped ?? ''], random) }
}

/** Bodies keep their structure more often than not. */
function spoiledBody(bytes, random) {
  if (bytes.length === 0)
    return new TextEncoder().encode(pick([...junk, 'null', '[]', '{}', '<a/>'], random))
  const text = new TextDecoder().decode(bytes)
  if (random() < 0.25) return spoiledBytes(bytes, random)
  if (text.trimStart().startsWith('<'))
    return new TextEncoder().encode(
      random() < 0.2 ? spoiledMarkup(text, random) : spoiledXml(text, random),
    )
  try {
    const holder = { whole: JSON.parse(text) }
    spoilTree(holder, random)
    return new TextEncoder().encode(JSON.stringify(holder.whole) ?? '')
  } catch {
    return spoiledBytes(bytes, random)
  }
}

function spoiledBytes(bytes, random) {
  const at = Math.floor(random() * bytes.length)
  const upTo = Math.min(bytes.length, at + 1 + Math.floor(random() * 20))
  const joined = (...pieces) =>
    new Uint8Array(Buffer.concat(pieces.map((piece) => Uint8Array.from(piece))))
  const inserted = (piece) => joined(bytes.subarray(0, at), piece, bytes.subarray(at))
  const ways = [
    () => bytes.subarray(0, at),
    () => bytes.subarray(at),
    () => joined(bytes.subarray(0, at), bytes.subarray(upTo)),
    () => inserted(bytes.subarray(at, upTo)),
    () => inserted([Math.floor(random() * 256)]),
    () => bytes.map((byte, index) => (index === at ? Math.floor(random() * 256) : byte)),
    () => inserted(new TextEncoder().encode(pick(junk, random))),
    () =>
      inserted(
        new TextEncoder().encode(
          pick(['[', '{"a":', '<a>', '\r\n--', '"', '\\'], random).repeat(
            pick([2000, 200_000], random),
          ),
        ),
      ),
    () => joined(bytes, bytes),
    () => joined([0xfe, 0xff], bytes),
  ]
  return pick(ways, random)()
}

/** Constructs of XML that messages may not have, or that change what others mean. */
function spoiledMarkup(text, random) {
  const at = pick([...text.matchAll(/[<>]/g)], random).index
  const piece = pick(
    [
      '<!DOCTYPE a [<!ENTITY b "c">]>',
      '&b;',
      '<![CDATA[x]]>',
      '<!-- x -->',
      '<?a b?>',
      '<x:y/>',
      '<y xmlns="urn:x"/>',
      '&#0;',
      '&#xD800;',
      '&#x1F600;',
      ' xsi:nil="true"',
      ' xmlns:xsi="urn:x"',
      ' href="#a"',
      '<a>'.repeat(3000),
      '<a>'.repeat(100_000),
    ],
    random,
  )
  return text.slice(0, at) + piece + text.slice(at)
}

/** A path and its query with mistakes, more often without. */
export function spoiledTarget(target, random) {
  if (random() < 0.6) return target
  const at = 1 + Math.floor(random() * target.length)
  const piece = pick(
    [
      '%',
      '%00',
      '%2F',
      '%zz',
      '%C3%28',
      '/',
      '//',
      '/..',
      '/../..',
      '?',
      '&',
      '=',
      '&&',
      '#',
      ';',
      "'",
      '"',
      '(',
      ')',
      '()',
      "('",
      '$',
      '?$filter=',
      '?$select=*',
      '?$expand=x($levels=max)',
      '?$top=-1',
      '?$orderby=a desc,',
      '[0]',
      '[]',
      '__proto__',
      '{',
      ',',
      '.',
      '*',
      '~',
      '\\',
      'x'.repeat(3000),
      '(('.repeat(500),
      '?$filter=' + 'not '.repeat(2000) + 'true',
      '/$count',
      '/$value',
      '/$ref',
      '/$metadata',
      '/$batch',
    ],
    random,
  )
  const ways = [
    () => target.slice(0, at) + piece + target.slice(at),
    () => target.slice(0, at),
    () => target.slice(0, at) + target.slice(at + 1),
    () => target + piece,
    () => target.toUpperCase(),
    () => target.replace(/\?.*$/, ''),
  ]
  return pick(ways, random)()
}
