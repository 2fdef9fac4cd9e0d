import { describe, expect, test } from '@jest/globals'
import { draftOf } from '../../src/draft/draft.js'
import { plainOf } from '../../src/draft/remarked.js'
import { breaches, described, recorded } from '../support/drafting.js'

const get = (path: string, answer: unknown): ReturnType<typeof recorded> =>
  recorded('GET', path, answer)

/** The properties of a drafted record without what is only said, its required ones, and its rest. */
function shown(schema: object | undefined): string {
  return JSON.stringify(schema, (name, value: unknown) =>
    name === 'examples' ? undefined : value,
  ).replaceAll('"', '')
}

describe('addresses', () => {
  test('keys become parameters, named after what stands before them', () => {
    const vessel = { callSign: 'BKM', length: 17 }
    const { plain } = described([
      get('/api/v2/vessels', [vessel]),
      get('/api/v2/vessels/17', vessel),
      get('/api/v2/vessels/18/moves', [{ at: '2027-07-15' }]),
      get('/api/v2/vessels/18/moves/2027-07-15', { at: '2027-07-15' }),
      get('/api/v2/owners/6f1e1f1c-5f0c-4b1f-8a1e-3f0a4b9a0c11', {
        kind: 'firm',
        city: 'Langness',
      }),
      get('/api/v2/berths/S-3', { quay: 'South', deep: true }),
    ])
    expect(plain.servers).toEqual([{ url: 'https://gauge.example/api/v2' }])
    expect(
      Object.entries(plain.paths).map(([path, { get: one }]) => [path, one?.operationId]),
    ).toEqual([
      ['/vessels', 'listVessels'],
      ['/vessels/{vesselNumber}', 'getVessel'],
      ['/vessels/{vesselNumber}/moves', 'listVesselMoves'],
      ['/vessels/{vesselNumber}/moves/{moveDate}', 'getVesselMove'],
      ['/owners/{ownerId}', 'getOwner'],
      ['/berths/{berthCode}', 'getBerth'],
    ])
  })

  test('words vary only where three and more are answered alike; names of things do not', () => {
    const port = { code: 'a', name: 'b', datum: 'c' }
    const { plain } = described([
      ...['Brackmouth', 'Skerry North', 'Langness'].map((name) =>
        get(`/ports/${encodeURIComponent(name)}/now`, { height: 1.5, at: 'x' }),
      ),
      ...['Brackmouth', 'Skerry North', 'Langness'].map((name) =>
        get(`/ports/${encodeURIComponent(name)}`, port),
      ),
      get('/gauges', [{ mark: 1 }]),
      get('/wardens', [{ turn: 'x', shift: 2 }]),
      get('/about', { version: 'v' }),
    ])
    expect(Object.keys(plain.paths)).toEqual(
      ['/gauges', '/wardens', '/about', '/ports/{portName}', '/ports/{portName}/now'].sort(
        (a, b) => Object.keys(plain.paths).indexOf(a) - Object.keys(plain.paths).indexOf(b),
      ),
    )
    expect(Object.keys(plain.paths)).toHaveLength(5)
  })

  test('queries: types, always there or not, several at once, lists with commas', () => {
    const { plain } = described([
      get(
        '/tides?day=2027-07-15&limit=6&port=BRK&port=SKN&show=low,high&exact=true&near=58.25',
        [],
      ),
      get('/tides?day=2027-07-16&port=BRK&show=low,slack&exact=false&near=58', []),
    ])
    expect(
      plain.paths['/tides']?.['get']?.parameters?.map(({ schema, ...rest }) =>
        shown({ ...rest, ...schema }),
      ),
    ).toEqual([
      '{name:day,in:query,required:true,type:string,format:date}',
      '{name:limit,in:query,type:integer}',
      '{name:port,in:query,required:true,type:array,items:{type:string}}',
      '{name:show,in:query,required:true,explode:false,type:array,items:{type:string}}',
      '{name:exact,in:query,required:true,type:boolean}',
      '{name:near,in:query,required:true,type:number,format:decimal}',
    ])
  })
})

describe('records', () => {
  test('equal ones have one schema, those with less of the same are summaries; frames stay frames', () => {
    const whole = { code: 'BRK', title: 't', datum: 'LAT', zone: 'z', at: { lat: 58.1, lon: 7.2 } }
    const { code, title, datum } = whole
    const { plain } = described([
      get('/ports', { items: [{ code, title, datum }], next: null }),
      get('/ports/BRK-1', whole),
      get('/ports/BRK-2', whole),
      get('/nearest', whole),
      get('/ports/BRK-1/tides', { items: [{ height: 1.5, at: '2027-07-15' }], next: null }),
    ])
    const { schemas } = plain.components
    expect(Object.keys(schemas)).toEqual([
      'At',
      'Port',
      'PortSummary',
      'PortsAnswer',
      'Tide',
      'TidesAnswer',
    ])
    expect(plain.paths['/nearest']?.['get']?.responses['200']?.content).toEqual({
      'application/json': { schema: { $ref: '#/components/schemas/Port' } },
    })
  })

  test('trees refer to themselves, also by way of others', () => {
    const leaf = { name: 'x', parts: [] }
    const tree = { name: 'a', parts: [{ name: 'b', parts: [leaf, leaf] }, leaf] }
    const recordings = [get('/tree', tree)]
    const { plain } = described(recordings)
    expect(shown(plain.components.schemas['Tree'])).toBe(
      '{type:object,required:[name,parts],properties:{name:{type:string},parts:{type:array,items:{$ref:#/components/schemas/Tree}}}}',
    )
    expect(breaches(plain, recordings)).toEqual([])
  })

  test('members that are keys make a map; what lies under them is one thing', () => {
    const { plain } = described([
      get('/load', {
        byBerth: { 'S-301': { tons: 1 }, 'S-302': { tons: 2 }, 'S-303': { tons: 3 } },
      }),
    ])
    expect(shown(plain.components.schemas['Load'])).toContain(
      'byBerth:{type:object,additionalProperties:{$ref:#/components/schemas/ByBerth}}',
    )
  })

  test('different things in one list are told apart by what tells them', () => {
    const tug = { kind: 'tug', bollardPull: 48, callSign: 'a' }
    const sail = { kind: 'sail', masts: 2, rig: 'b' }
    const recordings = [get('/fleet', [tug, sail, tug, sail, { ...tug, callSign: 'c' }])]
    const { plain } = described(recordings)
    const { schemas } = plain.components
    expect(Object.keys(schemas)).toEqual(['Fleet', 'Sail', 'Tug'])
    expect(schemas['Fleet']).toMatchObject({
      discriminator: { propertyName: 'kind', mapping: { tug: '#/components/schemas/Tug' } },
    })
    expect(breaches(plain, recordings)).toEqual([])
    // One that has nothing of its own may be another one with less.
    const bare = [
      { kind: 'raft', callSign: 'd' },
      { kind: 'raft', callSign: 'e' },
    ]
    const more = [get('/fleet', [tug, sail, tug, sail, ...bare])]
    expect(breaches(described(more).plain, more)).toEqual([])
  })

  test('requests apart from answers, statuses apart, failures alike', () => {
    const failure = { code: 'TooLow', message: 'below datum' }
    const { plain } = described([
      recorded(
        'POST',
        '/alarms',
        { id: 17, port: 'BRK', above: 2.5 },
        { sent: { port: 'BRK', above: 2.5 }, status: 201 },
      ),
      recorded('POST', '/alarms', failure, {
        sent: { port: 'SKN', above: -3, note: 'x' },
        status: 422,
      }),
      recorded('GET', '/alarms/17', failure, { status: 404 }),
      recorded('PATCH', '/alarms/17', undefined, { sent: { above: 3 }, status: 204 }),
      recorded('POST', '/login', undefined, {
        body: { type: 'application/x-www-form-urlencoded', text: 'realm=harbour&stay=true' },
        status: 204,
      }),
    ])
    expect(Object.keys(plain.components.schemas)).toEqual([
      'Alarm',
      'AlarmChange',
      'Failure',
      'NewAlarm',
      'NewLogin',
    ])
    expect(Object.keys(plain.paths['/alarms']?.['post']?.responses ?? {})).toEqual(['201', '422'])
    expect(plain.components.schemas['NewAlarm']?.required).toEqual(['port', 'above'])
    expect(plain.paths['/alarms/{alarmNumber}']?.['patch']?.operationId).toBe('updateAlarm')
    expect(plain.paths['/login']?.['post']?.requestBody?.content).toHaveProperty(
      'application/x-www-form-urlencoded',
    )
  })
})

test('who calls becomes a scheme; secrets and what tells of persons are nowhere', () => {
  const secrets = [
    'Bearer hush-1-aaaa',
    'hush-2-bbbb',
    'hush-3-cccc',
    'sid=hush-4-dddd',
    'Basic aHVzaC01OmVlZWU=',
    'eyJhbGciOiJIUzI1NiJ9.eyJzdWIiOiJhIn0.abc',
    'Zk3xQ9pLm2Rt7Vw8Yb4NcD6f',
    'Anna Berg',
    'anna@brack.example',
    '+4798765432',
    'Langgata 7',
    '1984-02-29',
    'NO9386011117947',
    'hush-6-ffff',
    'hush-7-gggg',
    'bo.dahl',
    'hush-8-hhhh',
    'Greta Dahl',
    'Åse Tveit',
    '4716 1234 5678',
    'f00dfeedf00dfeedf00dfeedf00dfeed',
  ]
  const [bearer = '', key = '', query = '', cookie = '', basic = '', ...inside] = secrets
  const [
    jwt,
    mixed,
    name,
    mail,
    phone,
    street,
    birth,
    iban,
    password,
    token,
    user,
    pin,
    owner,
    warden,
    mobile,
    hex,
  ] = inside
  const person = {
    name,
    mail,
    phone,
    street,
    birthDate: birth,
    iban,
    password,
    accessToken: token,
    userName: user,
    otp: pin,
    owner,
    warden,
    mobile,
  }
  const draft = described([
    recorded('GET', `/pilots?apiKey=${query}`, [person], {
      headers: [
        ['Authorization', bearer],
        ['X-Api-Key', key],
      ],
    }),
    recorded(
      'GET',
      '/pilots/17',
      { ...person, note: jwt, mark: mixed, digest: hex },
      {
        headers: [
          ['Cookie', `${cookie}; theme=dark`],
          ['Authorization', basic],
        ],
      },
    ),
  ])
  const text = JSON.stringify([draft.plain, draft.doubts])
  for (const hidden of secrets)
    expect(text).not.toContain(hidden.replace(/^(?:Bearer |Basic |sid=)/, ''))
  expect(draft.plain.components.securitySchemes).toEqual({
    bearer: { type: 'http', scheme: 'bearer' },
    xApiKey: { type: 'apiKey', in: 'header', name: 'X-Api-Key' },
    apiKeyQuery: { type: 'apiKey', in: 'query', name: 'apiKey' },
    sidCookie: { type: 'apiKey', in: 'cookie', name: 'sid' },
    basic: { type: 'http', scheme: 'basic' },
  })
})

test('what a browser fetches besides is left out, and told; so is what belongs to others', () => {
  const draft = described([
    get('/tides', [1]),
    get('/tides', [2]),
    recorded('GET', '/index.html', undefined, { answer: { type: 'text/html', text: '<p>' } }),
    recorded('OPTIONS', '/tides', undefined, { status: 204 }),
    recorded('GET', '/old', undefined, { status: 302 }),
    recorded('GET', '/x', { a: 1 }, { url: new URL('https://other.example/x') }),
    get('/broken', '{"a":'),
    recorded('POST', '/files', undefined, { body: { type: 'multipart/form-data', text: '--x' } }),
  ])
  expect(draft.exchanges).toBe(4)
  expect([...draft.leftOut]).toEqual([
    ['that are pages, scripts, pictures', 1],
    ['that only ask whether one may', 1],
    ['that lead elsewhere, or had nothing new', 1],
    ['of https://other.example', 1],
  ])
  expect(draft.troubles).toEqual([
    expect.stringContaining('the answer is left out'),
    expect.stringContaining('bodies of the type multipart/form-data is not drafted'),
  ])
})

test('what is doubtful is told with what else it could be, and is as somebody decides', () => {
  const recordings = [
    get(
      '/marks',
      Array.from({ length: 12 }, (_, at) => ({ state: at % 2 === 0 ? 'high' : 'low', code: '17' })),
    ),
  ]
  const { doubts } = draftOf(recordings)
  expect(doubts.map(({ where, alternatives }) => [where, alternatives])).toEqual([
    ['Mark.state', [{ type: 'string' }]],
    ['Mark.code', [{ type: 'string', format: 'int64' }]],
  ])
  const decisions = new Map([['Mark.state', { type: 'string' }]])
  const decided = draftOf(recordings, { decisions })
  expect(decided.doubts.map(({ where }) => where)).toEqual(['Mark.code'])
  expect(JSON.stringify(plainOf(decided.description))).not.toContain('"enum"')
})
