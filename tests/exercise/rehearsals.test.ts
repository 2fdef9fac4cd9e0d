import fc from 'fast-check'
import { describe, expect, test } from '@jest/globals'
import { fillTemplate } from '../../src/contract/templates.js'
import { junitXml } from '../../src/exercise/rehearsal/junit.js'
import {
  play,
  type RehearsalReport,
  type StepCaller,
  type CalledStep,
} from '../../src/exercise/rehearsal/playing.js'
import { readRehearsal } from '../../src/exercise/rehearsal/reading.js'
import { RecordedState, readRecorded } from '../../src/stand-in/recorded.js'
import { problem } from '../../src/contract/problem.js'
import { validateXML } from 'xmllint-wasm'

/** A stage without any service: operations by name. */
function stage(
  operations: Readonly<
    Record<string, (input: Readonly<Record<string, unknown>>) => Partial<CalledStep>>
  >,
): StepCaller & { readonly calls: string[] } {
  const calls: string[] = []
  return {
    calls,
    rows: () => Promise.resolve([{ n: 1 }, { n: 2 }]),
    call: (step, contract, input) => {
      calls.push(`${contract ?? ''}.${step.operation} ${JSON.stringify(input)}`)
      return Promise.resolve({
        contract: contract ?? '',
        operation: step.operation,
        milliseconds: 1,
        status: 200,
        ...operations[step.operation]?.(input),
      })
    },
  }
}

const header = 'rehearsal: 1\ncontract: desk\n'
async function played(
  text: string,
  operations: Parameters<typeof stage>[0],
): Promise<RehearsalReport & { calls: string[] }> {
  const on = stage(operations)
  return { ...(await play(await readRehearsal(header + text, 'r.yaml'), on)), calls: on.calls }
}
const fault = (code: string, name?: string): Partial<CalledStep> => ({
  status: 500,
  problem: problem('TM-4001', { reason: 'no' }),
  failure: { kind: 'fault', message: 'no', code, fault: name, detail: { Berth: 'S-3' } },
})

describe('expectations', () => {
  const answer = {
    Name: 'Søren',
    Number: '9007199254740993',
    Dues: '1250.50',
    Count: 3,
    Tags: ['a', 'b'],
    Rows: [
      { Id: 1, State: 'held' },
      { Id: 2, State: 'free' },
    ],
    None: null,
    Empty: [],
  }
  test.each([
    ['at: $.Name, equals: Søren', true],
    ['at: $.Name, equals: Sören', false],
    // A number that is written as one is the same number in a text.
    ['at: $.Number, equals: 9007199254740993', true],
    ['at: $.Number, equals: 9007199254740992', false],
    ['at: $.Dues, equals: 1250.5', true],
    ['at: $.Dues, equals: "1250.5"', false],
    ['at: $.Tags, equals: [a, b]', true],
    ['at: $.Tags, equals: [b, a]', false],
    ['at: $.Tags, has: b', true],
    ['at: $.Tags, has: c', false],
    ['at: $.Name, has: "ør"', true],
    ['at: $.Rows, has: { Id: 2 }', true],
    ['at: $.Rows, has: { Id: 2, State: held }', false],
    ['has: { Count: 3, Rows: [{ Id: 1, State: held }, { Id: 2, State: free }] }', true],
    ['has: { Rows: { Id: 1 } }', true],
    ['at: $.Name, like: "^S.*n$"', true],
    ['at: $.Name, like: "^r"', false],
    ['at: $.Rows, like: x', false],
    ['at: $.Nope, missing: true', true],
    ['at: $.None, missing: true', true],
    ['at: $.Empty, missing: true', true],
    ['at: $.Name, missing: true', false],
    ['at: $.Name, missing: false', true],
    ['at: $.Rows, rows: 2', true],
    ['at: $.Rows, rows: { atLeast: 3 }', false],
    ['at: $.Rows, rows: { atLeast: 1, atMost: 2 }', true],
    ['"at": "$.Rows[?@.State == \'held\']", rows: 1', true],
    ['at: $.Dues, atLeast: 1250.49, atMost: 1250.51', true],
    ['at: $.Dues, atMost: 1250.49', false],
    ['at: $.Name, atLeast: S', true],
    ['at: $.Rows, atLeast: 1', false],
    ['status: 200', true],
    ['status: 201', false],
    ['fault: true', false],
    ['kind: timeout', false],
  ])('{ %s } is met: %s', async (expectation, met) => {
    const { outcome, steps } = await played(
      `steps:\n  - call: get\n    expect:\n      - { ${expectation} }\n`,
      { get: () => ({ value: answer }) },
    )
    expect({
      outcome,
      verdicts: steps[0]?.verdicts.every((each) => each.met),
      line: steps[0]?.verdicts[0]?.line,
    }).toEqual({ outcome: met ? 'passed' : 'failed', verdicts: met, line: 6 })
  })

  test('what was there instead is told', async () => {
    const { steps } = await played(
      'steps:\n  - call: get\n    expect:\n      - { at: $.Nmae, equals: x }\n      - { at: $.Tags, rows: 5 }\n',
      { get: () => ({ value: answer }) },
    )
    expect(steps[0]?.verdicts.map(({ expected, was }) => [expected, was])).toEqual([
      [
        '$.Nmae equals "x"',
        'nothing; there are Name, Number, Dues, Count, Tags, Rows, None, Empty',
      ],
      ['$.Tags has 5 rows', '"2 rows"'],
    ])
  })

  test.each([
    ['fault: BerthTaken', 'passed'],
    ['fault: true, code: Sender', 'passed'],
    ['fault: Other', 'failed'],
    ['code: Receiver', 'failed'],
    ['kind: fault, status: 500', 'passed'],
    ['fault: BerthTaken, at: $.Berth, equals: S-3', 'passed'],
    ['status: 200', 'failed'],
    ['at: $.Berth, equals: S-3', 'failed'],
  ])('of a call that fails: { %s } %s', async (expectation, outcome) => {
    expect(
      (
        await played(`steps: [{ call: take, expect: [{ ${expectation} }] }]`, {
          take: () => fault('Sender', 'BerthTaken'),
        })
      ).outcome,
    ).toBe(outcome)
  })
})

describe('steps', () => {
  test('a document in a text of the answer counts instead of it: expected, kept, shown; or it is told that there is none', async () => {
    const text = '<rows><row><No>1</No></row><row><No>2</No></row></rows>'
    const step =
      '  - { call: read, inside: Answer, show: true, keep: { first: "$.row[0].No" }, expect: [{ at: "$.row[1].No", equals: "2" }] }\n'
    const { steps, calls } = await played(
      `steps:\n${step}  - { call: use, with: { No: $first } }\n`,
      { read: () => ({ value: { Answer: text } }) },
    )
    expect(steps[0]).toMatchObject({ outcome: 'passed', shown: { rows: { rows: [['1'], ['2']] } } })
    expect(calls[1]).toBe('desk.use {"No":"1"}')
    const none = await played(`steps:\n${step}`, { read: () => ({ value: { Other: text } }) })
    expect(none.steps[0]?.trouble?.message).toContain('there is no text at "Answer" in the answer')
  })

  test('values are kept and filled in; loops; a failure leaves out the rest but what is played afterwards', async () => {
    const { calls, steps, outcome } = await played(
      [
        'values: { who: Ann }',
        'steps:',
        '  - call: add',
        '    with: { Name: $who, Note: "for ${who}", Price: $$5, Missing: $none }',
        '    keep: { id: $.Id, none: $.Gone }',
        '  - { call: never }',
        'afterwards:',
        '  - { call: clear, with: { Id: $id } }',
        '  - { call: clear, with: { Id: $none } }',
        '  - { call: last }',
      ].join('\n'),
      { add: () => ({ value: { Id: 7 } }) },
    )
    // What is not known yet can't be sent.
    expect(steps[0]?.trouble?.message).toBe('nothing was kept as "$none"')
    expect({ outcome, calls }).toEqual({ outcome: 'failed', calls: ['desk.last {}'] })

    const loop = await played(
      'steps:\n  - { call: add, keep: { id: $.Id } }\n  - say: twice\n    each: [{ n: 1 }, { n: $id }]\n    steps:\n      - { call: use, with: { N: $row.n } }\n  - each: rows.csv\n    steps: [{ call: use, with: { N: $row.n } }]\n',
      { add: () => ({ value: { Id: 7 } }) },
    )
    expect(loop.calls).toEqual([
      'desk.add {}',
      'desk.use {"N":{"source":"1"}}',
      'desk.use {"N":7}',
      'desk.use {"N":1}',
      'desk.use {"N":2}',
    ])
    expect(loop.steps.map(({ title, row }) => [title, row?.number])).toEqual([
      ['add', undefined],
      ['twice', 1],
      ['twice', 2],
      ['use', 1],
      ['use', 2],
    ])

    const cleaned = await played(
      'steps:\n  - { call: add, keep: { id: $.Id } }\n  - { call: bad }\n  - { call: never }\nafterwards:\n  - { call: clear, with: { Id: $id } }\n',
      { add: () => ({ value: { Id: 7 } }), bad: () => fault('Receiver') },
    )
    expect(cleaned.calls).toEqual(['desk.add {}', 'desk.bad {}', 'desk.clear {"Id":7}'])
    expect(cleaned.steps.map((step) => step.outcome)).toEqual([
      'passed',
      'failed',
      'left out',
      'passed',
    ])
    expect(cleaned.steps[1]?.trouble).toMatchObject({
      message: expect.stringContaining('refused') as unknown,
    })
  })

  test('lists are compared row by row, and marked', async () => {
    let call = 0
    const lists = [
      [
        { Id: 1, A: 'x' },
        { Id: 2, A: 'y' },
        { Id: 3, A: 'z' },
      ],
      [
        { Id: 2, A: 'Y' },
        { Id: 3, A: 'z' },
        { Id: 4, A: 'w' },
      ],
    ]
    const { steps, outcome } = await played(
      'steps:\n  - { call: list, keep: { before: $ } }\n  - { call: list, keep: { after: $ } }\n  - { compare: { before: $before, after: $after, by: [Id] }, expect: [{ added: 1, gone: 1, changed: 1 }] }\n',
      { list: () => ({ value: lists[call++] }) },
    )
    expect(outcome).toBe('passed')
    expect(steps[2]?.compared?.before.marks).toEqual(['gone', 'changed', undefined])
    expect(steps[2]?.compared?.after.marks).toEqual(['changed', undefined, 'added'])
  })
})

test.each([
  ['steps: []', '"steps" must contain at least 1', 3],
  ['steps:\n  - call: a\n    wiht: {}', '"steps[0].wiht" is not allowed', 5],
  ['steps:\n  - say: hello', 'one of "call", "compare" and "each"', 4],
  [
    'steps:\n  - { call: a, each: [1], steps: [{ call: b }] }',
    'one of "call", "compare" and "each"',
    4,
  ],
  ['steps:\n  - call: a\n    expect: [{ at: "$[?", equals: 1 }]', '"$[?" is no JSONPath', 4],
  ['steps:\n  - call: a\n    expect: [{ like: "(" }]', 'regular expression', 5],
  ['steps:\n  - call: a\n    with: { A: $nobody }', 'nothing is called "$nobody"', 4],
  ['steps:\n  - call: a\n    expect: [{ rows: many }]', '"steps[0].expect[0].rows"', 5],
  ['steps: [', 'Flow sequence', 3],
])('%j is refused with its line', async (text, reason, line) => {
  await expect(readRehearsal(header + text, 'r.yaml')).rejects.toMatchObject({
    code: 'TM-1021',
    message: expect.stringContaining(reason),
    place: { document: 'r.yaml', line: expect.any(Number) },
  })
  await readRehearsal(header + text, 'r.yaml').catch((error: unknown) =>
    expect(Math.abs((error as { place: { line: number } }).place.line - line)).toBeLessThanOrEqual(
      2,
    ),
  )
})

/** What build servers read, as far as they agree on it. */
const junitSchema = `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema">
  <xs:element name="testsuites"><xs:complexType><xs:sequence><xs:element name="testsuite" maxOccurs="unbounded"><xs:complexType>
    <xs:sequence><xs:element name="testcase" maxOccurs="unbounded"><xs:complexType>
      <xs:choice minOccurs="0"><xs:element name="failure"><xs:complexType><xs:simpleContent><xs:extension base="xs:string"><xs:attribute name="message" use="required"/><xs:attribute name="type"/></xs:extension></xs:simpleContent></xs:complexType></xs:element><xs:element name="skipped"><xs:complexType><xs:attribute name="message"/></xs:complexType></xs:element></xs:choice>
      <xs:attribute name="name" use="required"/><xs:attribute name="classname" use="required"/><xs:attribute name="file"/><xs:attribute name="line" type="xs:positiveInteger"/><xs:attribute name="time" type="xs:decimal"/></xs:complexType></xs:element></xs:sequence>
    <xs:attribute name="name" use="required"/><xs:attribute name="file"/><xs:attribute name="tests" type="xs:integer"/><xs:attribute name="failures" type="xs:integer"/><xs:attribute name="skipped" type="xs:integer"/><xs:attribute name="errors" type="xs:integer"/><xs:attribute name="time" type="xs:decimal"/></xs:complexType></xs:element></xs:sequence>
    <xs:attribute name="tests" type="xs:integer"/><xs:attribute name="failures" type="xs:integer"/><xs:attribute name="time" type="xs:decimal"/></xs:complexType></xs:element>
</xs:schema>`

test('reports as JUnit XML are valid, whatever they tell', async () => {
  const odd = '<&>"\'\u0000\u0001\ud800 \n ]]> Ø'
  const { calls: _calls, ...report } = await played(
    'steps:\n  - { call: bad }\n  - { call: never }\n',
    { bad: () => ({ ...fault('x'), problem: problem('TM-4001', { reason: odd }) }) },
  )
  const xml = junitXml([{ ...report, title: odd, file: odd }])
  const { errors } = await validateXML({
    xml: [{ fileName: 'r.xml', contents: xml }],
    schema: [{ fileName: 'junit.xsd', contents: junitSchema }],
  })
  expect(errors.map((error) => error.rawMessage)).toEqual([])
  expect(xml).toMatch(/tests="2" failures="1" skipped="1"/)
})

test('templates: what is filled in stays what it was; text without references stays as it is', () => {
  fc.assert(
    fc.property(
      fc.jsonValue(),
      fc.string().filter((text) => !text.includes('$')),
      (value, text) => {
        expect(
          fillTemplate({ a: '$x', b: [text, '$x.y.z'], c: `${text}` }, (path) =>
            path === 'x' ? value : undefined,
          ),
        ).toEqual({ a: value, b: [text, undefined], c: text })
      },
    ),
  )
})

describe('recorded answers', () => {
  const entry = (
    method: string,
    url: string,
    body: string,
    status: number,
    text: string,
  ): object => ({
    request: { method, url, postData: { text: body } },
    response: {
      status,
      headers: [
        { name: 'Content-Type', value: 'text/plain' },
        { name: 'Content-Length', value: '9' },
      ],
      content: { text },
    },
  })
  const recorded = readRecorded(
    JSON.stringify({
      log: {
        entries: [
          entry('GET', 'https://far.example/api/things?a=1&b=2', '', 200, 'first'),
          entry('GET', 'https://far.example/api/things?b=2&a=1', '', 200, 'second'),
          entry('POST', 'https://far.example/api/things', '{"key":"***","n":1}', 201, 'made'),
        ],
      },
    }),
    'x.har',
  )
  const ask = (state: RecordedState, method: string, target: string, body = ''): unknown =>
    state.play({ method, target, headers: {}, body: new TextEncoder().encode(body) }, '/svc')?.body

  test('answer the same request: in turn, the last one for ever; whatever order its query has; masked secrets may be anything', () => {
    const state = new RecordedState(recorded)
    expect([1, 2, 3].map(() => ask(state, 'GET', '/svc/things?b=2&a=1'))).toEqual([
      'first',
      'second',
      'second',
    ])
    expect(ask(state, 'GET', '/svc/things')).toBeUndefined()
    expect(ask(state, 'POST', '/svc/things', '{"key":"real","n":1}')).toBe('made')
    expect(ask(state, 'POST', '/svc/things', '{"key":"real","n":2}')).toBeUndefined()
    expect(recorded.entries[0]?.answer.headers).toEqual({ 'content-type': 'text/plain' })
  })

  test.each([
    ['nonsense', 'JSON'],
    ['{}', '"log"'],
    ['{"log":{"entries":[{}]}}', 'entry 1'],
  ])('%s is refused', (text, reason) => {
    expect(() => readRecorded(text, 'x.har')).toThrow(
      expect.objectContaining({
        code: 'TM-1020',
        message: expect.stringContaining(reason) as unknown,
      }) as unknown as Error,
    )
  })
})
