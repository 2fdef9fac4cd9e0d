// How fast SOAP messages are read and written, beside their floors. Run with: npm run build && node
// bench/messages.js
import { SaxesParser } from 'saxes'
import { boolean, dateTime, decimal, int, long, text } from '../dist/runtime/soap/simple.js'
import { checkInput } from '../dist/runtime/soap/soap.js'
import { answerIn } from '../dist/runtime/soap/answer.js'
import { noParts } from '../dist/runtime/soap/parts.js'
import { atOnce } from '../dist/runtime/soap/pieces.js'
import { textOfResponse } from '../dist/runtime/soap/message-text.js'
import { soap11, writeRequest } from '../dist/runtime/soap/envelope.js'

const rounds = 15
const namespace = 'urn:brackmouth:bench'
const kinds = ['quay', 'buoy', 'dock']
const row = {
  type: [namespace, 'Row'],
  members: {
    Code: { element: text },
    Length: { element: decimal },
    Nights: { element: int },
    Number: { element: long },
    At: { element: dateTime },
    Open: { element: boolean },
    Note: { element: text, optional: true },
    Kind: { element: { literals: kinds } },
  },
}
const operation = {
  name: 'list',
  action: '',
  request: [namespace, 'list'],
  namespace,
  input: { Row: { element: row, repeated: true } },
  answer: {
    element: [namespace, 'listResponse'],
    members: { Row: { element: row, repeated: true } },
    value: 'Row',
  },
}
const rows = Array.from({ length: 40_000 }, (_, at) => ({
  Code: `BKM-${at}`,
  Length: '12.50',
  Nights: at % 30,
  Number: BigInt(at) * 1000000007n,
  At: '2026-11-23T14:30:00',
  Open: at % 2 === 0,
  Note: 'a berth & more',
  Kind: kinds[at % 3],
}))

/**
 * A request as somebody would write it by hand, who checks and escapes as much as the client does.
 */
function byHand() {
  const must = (holds) => {
    if (!holds) throw new Error('not valid')
  }
  const notXml =
    /[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/
  const escaped = (value) =>
    /[&<>\r]/.test(value)
      ? value.replace(/[&<>\r]/g, (c) => {
          if (c === '&') return '&amp;'
          if (c === '<') return '&lt;'
          if (c === '>') return '&gt;'
          return '&#13;'
        })
      : value
  const moment =
    /^-?(?:[1-9]\d{3,}|0\d{3})-(?:0[1-9]|1[0-2])-\d\dT(?:(?:[01]\d|2[0-3]):[0-5]\d:[0-5]\d(?:\.\d+)?|24:00:00(?:\.0+)?)(?:Z|[+-](?:(?:0\d|1[0-3]):[0-5]\d|14:00))?$/
  const exists = (value) =>
    Number(value.slice(8, 10)) <=
    new Date(Date.UTC(Number(value.slice(0, 4)), Number(value.slice(5, 7)), 0)).getUTCDate()
  const known = new Set(Object.keys(rows[0]))
  const written = rows.map((each) => {
    for (const key of Object.keys(each)) must(known.has(key))
    must(typeof each.Code === 'string' && !notXml.test(each.Code))
    must(typeof each.Length === 'string' && /^[+-]?(?:\d+(?:\.\d*)?|\.\d+)$/.test(each.Length))
    must(Number.isInteger(each.Nights) && Math.abs(each.Nights) < 2 ** 31)
    must(typeof each.Number === 'bigint' && BigInt.asIntN(64, each.Number) === each.Number)
    must(typeof each.At === 'string' && moment.test(each.At) && exists(each.At))
    must(
      typeof each.Open === 'boolean' &&
        typeof each.Note === 'string' &&
        !notXml.test(each.Note) &&
        kinds.includes(each.Kind),
    )
    return `<n1:Row><n1:Code>${escaped(each.Code)}</n1:Code><n1:Length>${each.Length}</n1:Length><n1:Nights>${each.Nights}</n1:Nights><n1:Number>${each.Number}</n1:Number><n1:At>${each.At}</n1:At><n1:Open>${each.Open}</n1:Open><n1:Note>${escaped(each.Note)}</n1:Note><n1:Kind>${each.Kind}</n1:Kind></n1:Row>`
  })
  return `<?xml version="1.0" encoding="utf-8"?>\n<soap:Envelope xmlns:soap="${soap11}" xmlns:n1="${namespace}"><soap:Body><n1:list>${written.join('')}</n1:list></soap:Body></soap:Envelope>`
}

const request = writeRequest(operation, { Row: rows }, soap11)
if (request !== byHand()) throw new Error('the two write different requests')
const body = new TextEncoder().encode(request.replaceAll('n1:list>', 'n1:listResponse>'))

/** The parser's bare events over the same bytes. */
function events() {
  const parser = new SaxesParser({ xmlns: true, position: false })
  let count = 0
  for (const event of ['opentag', 'text', 'closetag']) parser.on(event, () => (count += 1))
  parser.write(new TextDecoder().decode(body)).close()
  return count
}

const work = {
  events,
  read: () => {
    const envelope = { status: 200, headers: { 'content-type': 'text/xml; charset=utf-8' }, body }
    const message = { envelope, text: textOfResponse(envelope), parts: noParts }
    return atOnce(answerIn(operation, message, undefined, () => undefined))
  },
  byHand,
  write: () => {
    if (checkInput(operation, { Row: rows }).length > 0) throw new Error('not valid')
    return writeRequest(operation, { Row: rows }, soap11)
  },
}
const times = Object.fromEntries(Object.keys(work).map((name) => [name, []]))
for (let round = 0; round < rounds; round += 1) {
  for (const [name, run] of Object.entries(work)) {
    const started = performance.now()
    run()
    times[name].push(performance.now() - started)
  }
}
const median = (name) => times[name].sort((a, b) => a - b)[Math.floor(rounds / 2)]
const line = (what, mine, floor) =>
  console.log(
    `| ${what} | ${(body.length / 1e6).toFixed(1)} MB | ${median(mine).toFixed(0)} ms | ${median(floor).toFixed(0)} ms | ${(median(floor) / median(mine)).toFixed(2)} |`,
  )
console.log('| what | size | ours | floor | floor to ours |\n|---|---|---|---|---|')
line("reading an answer of records; the floor: the parser's bare events", 'read', 'events')
line(
  'checking and writing a request; the floor: a template literal that checks and escapes as much',
  'write',
  'byHand',
)
