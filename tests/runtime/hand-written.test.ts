import { describe, expect, test } from '@jest/globals'
import {
  ContractBreach,
  CallFailure,
  InputRejected,
  ServiceFault,
  TransportFailure,
  type Deviation,
} from '../../src/runtime/failures.js'
import { toPlain } from '../../src/runtime/plain.js'
import { checkInput } from '../../src/runtime/soap/soap.js'
import { readAnswer } from '../support/soap-answers.js'
import { liveOperation, readFixture } from '../support/contracts.js'

const { contract: desk } = await readFixture('demo/berths/desk.wsdl')
const { contract: everything } = await readFixture('tests/fixtures/everything/everything.wsdl')
const S11 = 'http://schemas.xmlsoap.org/soap/envelope/'
const S12 = 'http://www.w3.org/2003/05/soap-envelope'
const D = 'urn:brackmouth:desk'
const H = 'urn:brackmouth:harbour'
const XSI = 'http://www.w3.org/2001/XMLSchema-instance'

/** Reads an answer that was written by hand. */
function read(
  operation: string,
  body: string | Uint8Array,
  status = 200,
  headers: Record<string, string> = {},
  contract = desk,
): { value: unknown; deviations: string[] } {
  const deviations: Deviation[] = []
  const bytes = typeof body === 'string' ? new TextEncoder().encode(body) : body
  const value = readAnswer(
    liveOperation(contract, operation),
    { status, headers, body: bytes },
    (deviation) => deviations.push(deviation),
  )
  return { value, deviations: deviations.map(({ path, message }) => `${path} ${message}`) }
}

const enveloped = (inside: string, namespace = S11): string =>
  `<s:Envelope xmlns:s="${namespace}"><s:Body>${inside}</s:Body></s:Envelope>`
const berth = (extra = '', code = 'N-1'): string =>
  `<h:Code>${code}</h:Code><h:Name>Nordkai</h:Name><h:Basin>North</h:Basin><h:Depth>7.50</h:Depth><h:Tide>any</h:Tide><h:Dues>182.50</h:Dues><h:FreeFrom x:nil="true"/>${extra}`
const getBerth = (inside: string, attributes = ''): string =>
  enveloped(
    `<d:getBerthResponse xmlns:d="${D}" xmlns:h="${H}" xmlns:x="${XSI}"><d:Berth${attributes}>${inside}</d:Berth></d:getBerthResponse>`,
  )
const nordkai = {
  Code: 'N-1',
  Name: 'Nordkai',
  Basin: 'North',
  Depth: '7.50',
  Tide: 'any',
  Dues: '182.50',
  FreeFrom: null,
}

describe('answers in different manners say the same', () => {
  test.each([
    [
      'prefixes of another kind',
      getBerth(berth())
        .replace(/(<\/?)d:/g, '$1ns0:')
        .replaceAll(':d=', ':ns0=')
        .replace(/(<\/?)h:/g, '$1q:')
        .replaceAll(':h=', ':q='),
    ],
    [
      'default namespaces',
      enveloped(
        `<getBerthResponse xmlns="${D}"><Berth><Code xmlns="${H}">N-1</Code>${berth()
          .replace('<h:Code>N-1</h:Code>', '')
          .replace(/<(\/?)h:/g, '<$1h:')
          .replace(
            /<h:(\w+)/g,
            `<h:$1 xmlns:h="${H}" xmlns:x="${XSI}"`,
          )}</Berth></getBerthResponse>`,
      ),
    ],
    [
      'SOAP 1.2 with a header and another body child',
      getBerth(berth())
        .replaceAll(S11, S12)
        .replace(
          '<s:Body>',
          `<s:Header><t:Token xmlns:t="urn:t" s:mustUnderstand="0">x</t:Token></s:Header><s:Body>`,
        ),
    ],
    [
      'comments, CDATA, processing instructions and white space',
      getBerth(
        berth()
          .replace('>Nordkai<', '><!-- the -->Nord<![CDATA[k]]>&#97;i<?pi?><')
          .replace('>7.50<', '>\n  7.50 \t<')
          .replaceAll('><h:', '>\n<h:'),
      ),
    ],
    ['a byte-order mark and a declaration', `\ufeff<?xml version="1.0"?>\r\n${getBerth(berth())}`],
    ['xsi:type that says what was declared', getBerth(berth(), ' x:type="h:Berth"')],
  ])('%s', (_manner, xml) =>
    expect(read('getBerth', xml)).toEqual({ value: nordkai, deviations: [] }),
  )

  test('encodings: of the declaration, of the Content-Type, of the mark', () => {
    const named = getBerth(berth().replace('Nordkai', 'Åsgård'))
    const latin = Uint8Array.from(
      [...`<?xml version="1.0" encoding="ISO-8859-1"?>${named}`].map((c) => c.charCodeAt(0)),
    )
    const wide = new Uint8Array(Buffer.from(`\ufeff${named}`, 'utf16le'))
    for (const [body, headers] of [
      [latin, {}],
      [
        Uint8Array.from([...named].map((c) => c.charCodeAt(0))),
        { 'content-type': 'text/xml; charset=latin1' },
      ],
      [wide, {}],
    ] as const) {
      expect(read('getBerth', body, 200, headers).value).toMatchObject({ Name: 'Åsgård' })
    }
  })

  test('exactness: trailing zeros, 64 bits, dates as they were written', () => {
    const reservation = `<d:Reservation state="paid in full"><d:Number>9223372036854775807</d:Number><d:Berth>N-1</d:Berth><d:Vessel x:type="h:Ferry"><h:CallSign>BKM-001</h:CallSign><h:Name>A &amp; "B" &lt;é&gt; 👋</h:Name><h:Draught>+03.10</h:Draught><h:Passengers>1</h:Passengers></d:Vessel><d:Arrival>0001-01-01T00:00:00</d:Arrival><d:Nights>+07</d:Nights><d:Dues>.50</d:Dues><d:Remark></d:Remark></d:Reservation>`
    const { value, deviations } = read(
      'listReservations',
      enveloped(
        `<d:listReservationsResponse xmlns:d="${D}" xmlns:h="${H}" xmlns:x="${XSI}">${reservation}</d:listReservationsResponse>`,
      ),
    )
    expect(deviations).toEqual([])
    expect(value).toEqual([
      {
        Number: 9223372036854775807n,
        Berth: 'N-1',
        Vessel: {
          $is: 'Ferry',
          CallSign: 'BKM-001',
          Name: 'A & "B" <é> 👋',
          Draught: '+03.10',
          Passengers: 1,
        },
        Arrival: '0001-01-01T00:00:00',
        Nights: 7,
        Dues: '.50',
        Remark: { $text: '' },
        state: 'paid in full',
      },
    ])
    expect(toPlain(value)).toMatchObject([{ Number: '9223372036854775807' }])
  })

  test('nothing in a list, and nothing where nothing is promised', () => {
    expect(
      read(
        'listBerths',
        enveloped(`<d:listBerthsResponse xmlns:d="${D}"><d:Berths/></d:listBerthsResponse>`),
      ),
    ).toEqual({ value: [], deviations: [] })
    expect(
      read('listReservations', enveloped(`<d:listReservationsResponse xmlns:d="${D}"/>`)).value,
    ).toEqual([])
    expect(
      read('cancelReservation', enveloped(`<d:cancelReservationResponse xmlns:d="${D}"/>`)).value,
    ).toBeUndefined()
    for (const body of ['', '<html>thanks</html>'])
      expect(read('ping', body, 202, {}, everything)).toEqual({ value: undefined, deviations: [] })
  })
})

describe('what can still be understood is a deviation', () => {
  test.each<[string, string, object, string[]]>([
    [
      'elements without their namespace',
      getBerth(berth().replace(/h:Name/g, 'Name')),
      nordkai,
      ['Berth.Name is in no namespace, where the contract promised "urn:brackmouth:harbour"'],
    ],
    [
      'another order',
      getBerth(berth().replace('<h:Name>Nordkai</h:Name>', '').concat('<h:Name>Nordkai</h:Name>')),
      nordkai,
      ['Berth.Name comes in another order than the contract says'],
    ],
    [
      'an unknown field, which survives',
      getBerth(berth('<h:Cranes unit="t"><h:Lift>40</h:Lift></h:Cranes>')),
      {
        ...nordkai,
        $open: {
          elements: [
            {
              name: `{${H}}Cranes`,
              attributes: { unit: 't' },
              content: [{ name: `{${H}}Lift`, content: ['40'] }],
            },
          ],
        },
      },
      ['Berth.Cranes is not in the contract'],
    ],
    [
      'an unknown attribute',
      getBerth(berth(), ' version="2"'),
      { ...nordkai, $open: { attributes: { version: '2' } } },
      ['Berth.@version is not in the contract'],
    ],
    [
      'a promised field that is missing',
      getBerth(berth().replace('<h:Name>Nordkai</h:Name>', '')),
      { Code: 'N-1', Basin: 'North', Depth: '7.50', Tide: 'any', Dues: '182.50', FreeFrom: null },
      ['Berth.Name is missing'],
    ],
    [
      'a value outside an enumeration',
      getBerth(berth().replace('>North<', '>West<')),
      { ...nordkai, Basin: 'West' },
      ['Berth.Basin "West" is not one of the contract\'s values'],
    ],
    [
      'a value outside its pattern',
      getBerth(berth('', 'quay 7')),
      { ...nordkai, Code: 'quay 7' },
      ['Berth.Code must match [A-Z]{1,2}-\\d{1,3}, is "quay 7"'],
    ],
    [
      'an empty element where null is meant',
      getBerth(berth().replace('<h:FreeFrom x:nil="true"/>', '<h:FreeFrom/>')),
      nordkai,
      ['Berth.FreeFrom is empty, where the contract promised a value or nothing at all'],
    ],
    [
      'null where it is not allowed',
      getBerth(berth('<h:Note x:nil="1"/>')),
      nordkai,
      ['Berth.Note is null, which the contract does not allow'],
    ],
    [
      'text between elements',
      getBerth(berth('by the lock')),
      nordkai,
      ['Berth has text that the contract does not know: "by the lock"'],
    ],
    [
      'a response element of another name',
      getBerth(berth()).replaceAll('getBerthResponse', 'getBerthResult'),
      nordkai,
      [
        'Envelope.Body.getBerthResult the answer\'s element is "getBerthResult" (urn:brackmouth:desk), where the contract promised "getBerthResponse" (urn:brackmouth:desk)',
      ],
    ],
    [
      'a field that comes twice',
      getBerth(berth('<h:Note>a</h:Note><h:Note>b</h:Note>')),
      { ...nordkai, Note: 'a', $open: { elements: [{ name: `{${H}}Note`, content: ['b'] }] } },
      ['Berth.Note comes more than once'],
    ],
    [
      'a type that nobody knows',
      getBerth(berth(), ' x:type="h:Raft"'),
      nordkai,
      ['Berth is of the type "h:Raft", which the contract does not know here'],
    ],
  ])('%s', (_what, xml, value, deviations) =>
    expect(read('getBerth', xml)).toEqual({ value, deviations }),
  )

  test('a subtype named without its prefix is found, in the default namespace or by name alone', () => {
    const xml = (type: string, more: string): string =>
      enveloped(
        `<storeResponse xmlns="urn:brackmouth:everything" xmlns:x="${XSI}"><Value><Shape x:type="${type}"><Colour>red</Colour><Side>1</Side>${more}</Shape></Value></storeResponse>`,
      )
    const shape = (text: string): unknown =>
      (read('store', text, 200, {}, everything).value as { Shape: unknown[] }).Shape[0]
    expect(shape(xml('RoundedSquare', '<Corner>INF</Corner>'))).toEqual({
      $is: 'RoundedSquare',
      Colour: 'red',
      Side: '1',
      Corner: Infinity,
    })
    expect(shape(xml('x:Square', ''))).toEqual({ $is: 'Square', Colour: 'red', Side: '1' })
  })
})

describe("what can't be represented is a breach, and says where", () => {
  test.each([
    [
      'a decimal with a comma',
      getBerth(berth().replace('182.50', '182,50')),
      'Berth.Dues',
      'a decimal number',
      '"182,50"',
    ],
    [
      'nothing where a number must be',
      getBerth(berth().replace('182.50', '')),
      'Berth.Dues',
      'a decimal number',
      'nothing',
    ],
    [
      'elements where text must be',
      getBerth(berth().replace('>7.50<', '><h:m/><')),
      'Berth.Depth.m',
      'a text',
      'an element <h:m>',
    ],
    ['no outcome', enveloped(`<d:getBerthResponse xmlns:d="${D}"/>`), 'Berth', 'a value', 'none'],
    ['an empty body', enveloped(''), '', 'an element <getBerthResponse>', 'an empty body'],
    ['another document', '<feed xmlns="urn:x"/>', '', 'a SOAP envelope', 'an element <feed>'],
    [
      'a DTD',
      `<!DOCTYPE s [<!ENTITY a "b">]>${getBerth(berth())}`,
      '',
      'well-formed XML',
      'broken XML: it has a DTD, which is refused',
    ],
    [
      'endless nesting',
      enveloped(`<d:getBerthResponse xmlns:d="${D}"><d:Berth>${'<a>'.repeat(2000)}`),
      '',
      'well-formed XML',
      'broken XML: elements are nested more than 1000 deep',
    ],
  ])('%s', (_what, xml, place, promised, came) => {
    const caught = ((): unknown => {
      try {
        return read('getBerth', xml)
      } catch (error) {
        return error
      }
    })()
    expect(caught).toBeInstanceOf(ContractBreach)
    expect(caught).toMatchObject({ place, promised, came })
  })
})

describe('faults', () => {
  const caught = (xml: string, status = 500): ServiceFault => {
    try {
      read('moveVessel', xml, status)
    } catch (error) {
      if (error instanceof ServiceFault) return error
      throw error
    }
    throw new Error('there was no fault')
  }
  const detail = `<d:BerthTaken xmlns:d="${D}"><d:Berth>N-1</d:Berth><d:FreeFrom>2026-12-01Z</d:FreeFrom></d:BerthTaken>`

  test('of SOAP 1.1 and 1.2, the detail decoded to its declared type, whatever the status', () => {
    const old = enveloped(
      `<s:Fault><faultcode>s:Server.Busy</faultcode><faultstring xml:lang="en">taken</faultstring><faultactor>urn:a</faultactor><detail>${detail}</detail></s:Fault>`,
    )
    const newer = enveloped(
      `<s:Fault><s:Code><s:Value>s:Sender</s:Value><s:Subcode><s:Value>d:Full</s:Value></s:Subcode></s:Code><s:Reason><s:Text xml:lang="en">taken</s:Text><s:Text xml:lang="de">belegt</s:Text></s:Reason><s:Node>urn:n</s:Node><s:Detail>${detail}</s:Detail></s:Fault>`,
      S12,
    )
    for (const status of [200, 400, 500]) {
      expect(caught(old, status)).toMatchObject({
        message: 'taken',
        fault: 'BerthTaken',
        code: 'Server.Busy',
        status,
        detail: { Berth: 'N-1', FreeFrom: '2026-12-01Z' },
      })
      expect(caught(newer, status)).toMatchObject({
        message: 'taken',
        fault: 'BerthTaken',
        code: 'Full',
        detail: { Berth: 'N-1' },
      })
    }
  })

  test('undeclared, without detail, without reason, or no SOAP at all', () => {
    expect(
      caught(
        enveloped(
          '<s:Fault><faultcode>s:Client</faultcode><faultstring>no</faultstring><detail><e:Why xmlns:e="urn:e" n="1">because</e:Why></detail></s:Fault>',
        ),
      ),
    ).toMatchObject({
      fault: undefined,
      code: 'Client',
      detail: { name: '{urn:e}Why', attributes: { n: '1' }, content: ['because'] },
    })
    expect(
      caught(
        enveloped(
          '<s:Fault><faultcode>s:Client</faultcode><faultstring>no</faultstring><detail> see log </detail></s:Fault>',
        ),
      ),
    ).toMatchObject({ detail: 'see log' })
    expect(caught(enveloped('<s:Fault/>'))).toMatchObject({
      message: 'the service gave no reason',
      detail: undefined,
    })
    expect(caught('<html><title>Oops</title></html>')).toMatchObject({
      message: 'HTTP 500 with an HTML page titled "Oops"',
      detail: '<html><title>Oops</title></html>',
    })
    expect(caught('upstream timed out', 503)).toMatchObject({
      status: 503,
      detail: 'upstream timed out',
    })
  })

  test('failures are told apart by a brand, so a second copy of the runtime does not matter', () => {
    const foreign = Object.assign(new Error('x'), { brand: ['CallFailure', 'ServiceFault'] })
    expect(foreign instanceof ServiceFault && foreign instanceof CallFailure).toBe(true)
    expect(foreign instanceof TransportFailure).toBe(false)
    expect(new InputRejected('x', []) instanceof ServiceFault).toBe(false)
    expect(new Error('x') instanceof CallFailure).toBe(false)
  })
})

describe('inputs are checked at every place', () => {
  const misfits = (operation: string, input: Record<string, unknown>, contract = desk): string[] =>
    checkInput(liveOperation(contract, operation), input).map(
      ({ path, message }) => `${path}: ${message}`,
    )

  test('missing, unknown, null, wrong kind, and how many', () => {
    expect(misfits('quoteDues', { vessel: 'BKM-114', Nights: '3', Tide: null })).toEqual([
      'Vessel: is missing',
      'Nights: expected a whole number (-2147483648 to 2147483647), got "3"',
      "Tide: can't be null; leave it out instead",
      'vessel: is not known here; is "Vessel" meant?',
    ])
    const quay = { CallSign: 'BKM-001', Name: 'x', Draught: '1' }
    const reservation = { Berth: 'N-1', Vessel: quay, Arrival: '2026-11-23T00:00:00', Nights: 1 }
    expect(
      misfits('reserveBerth', { Reservation: { ...reservation, Service: Array(6).fill('water') } }),
    ).toEqual(['Reservation.Service: must have at most 5, has 6'])
    expect(misfits('reserveBerth', { Reservation: { ...reservation, Service: 'water' } })).toEqual([
      'Reservation.Service: expected a list, got "water"',
    ])
    expect(misfits('reserveBerth', { Reservation: [reservation] })).toEqual([
      'Reservation: expected an object, got a list of 1',
    ])
    expect(
      misfits('reserveBerth', { Reservation: { ...reservation, Vessel: { $is: 'Tug', ...quay } } }),
    ).toEqual(['Reservation.Vessel.BollardPull: is missing'])
    expect(misfits('moveVessel', { Number: 5, Berth: 'N-1' })).toEqual([
      'Number: expected a whole number (bigint) of 64 bits, got 5',
    ])
    expect(misfits('attachManifest', { Number: 1n, FileName: 'x', Content: 'eA==' })).toEqual([
      'Content: expected bytes, got "eA=="',
    ])
  })

  test('an abstract place wants to know which of its subtypes', () => {
    const [first] = misfits('store', { Value: { Shape: [{ Colour: 'red' }] } }, everything).filter(
      (each) => each.startsWith('Value.Shape'),
    )
    expect(first).toBe(
      'Value.Shape[0].$is: is missing: say which it is, "Circle" or "Square" or "RoundedSquare"',
    )
    expect(
      misfits('store', { Value: { Shape: [{ $is: 'Shape', Colour: 'red' }] } }, everything),
    ).toContain('Value.Shape[0].$is: expected "Circle" or "Square" or "RoundedSquare", got "Shape"')
  })
})
