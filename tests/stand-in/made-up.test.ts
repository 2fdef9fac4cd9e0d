import { writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { serveContracts } from '../../src/app/serve-contracts.js'
import { freshFolder, repository, tolmachJson } from '../support/program.js'

const demo = (path: string): string => join(repository, 'demo', path)

describe('a stand-in without seed data', () => {
  test('repeats what is sent, and finds it again: what creates and checks passes', async () => {
    const document = demo('ferries/openapi.yaml')
    const standIn = await serveContracts([document], {})
    const [{ service = '' } = {}] = standIn.addresses
    const call = (operation: string, ...more: string[]) =>
      tolmachJson('.', [
        'call',
        document,
        operation,
        '--url',
        service,
        '--header',
        'X-Counter-Key=1',
        ...more,
      ])
    const made = await call(
      'bookings.create',
      '--input',
      demo('ferries/samples/createBooking.yaml'),
    )
    expect(made['value']).toMatchObject({
      sailing: 'BRK-0715',
      passengers: 3,
      lead: { born: '1984-02-29' },
      vehicle: { kind: 'lorry', axles: 2 },
    })
    const { number } = made['value'] as { number: string }
    const found = await call('bookings.get', '--with', `number=${number}`)
    expect(found['value']).toEqual(made['value'])
    expect([made['deviations'], found['deviations']]).toEqual([[], []])
    await standIn.stop()
  })

  test('repeats the inputs of SOAP that its answer has, too', async () => {
    const document = demo('berths/desk.wsdl')
    const standIn = await serveContracts([document], {})
    const [{ service = '' } = {}] = standIn.addresses
    const told = await tolmachJson('.', [
      ...['call', document, 'reserveBerth', '--url', service],
      ...['--input', demo('berths/samples/reserveBerth.json')],
    ])
    expect(told).toMatchObject({ ok: true, deviations: [] })
    await standIn.stop()
  })
})

test('of two paths with as many parameters, the one that says more is meant', async () => {
  const folder = await freshFolder()
  const document = join(folder, 'moves.json')
  const get = (operationId: string, property: string): object => ({
    get: {
      operationId,
      parameters: [{ name: 'name', in: 'path', required: true, schema: { type: 'string' } }],
      responses: {
        200: {
          description: 'ok',
          content: {
            'application/json': {
              schema: { type: 'object', properties: { [property]: { type: 'string' } } },
            },
          },
        },
      },
    },
  })
  await writeFile(
    document,
    JSON.stringify({
      openapi: '3.1.0',
      info: { title: 'Moves', version: '1' },
      servers: [{ url: 'http://quay.example' }],
      paths: { '/v1/{name}': get('look', 'seen'), '/v1/{name}:move': get('move', 'moved') },
    }),
  )
  const standIn = await serveContracts([document], {})
  const answers = ['a', 'a:move'].map(async (step) => {
    const answer = await fetch(`${standIn.addresses[0]?.service ?? ''}/v1/${step}`)
    return Object.keys((await answer.json()) as object)
  })
  expect(await Promise.all(answers)).toEqual([['seen'], ['moved']])
  await standIn.stop()
})

test('rows of seed data that leave out what may be null answer null', async () => {
  const folder = await freshFolder()
  const seed = join(folder, 'seed.yaml')
  await writeFile(
    seed,
    `seed: 1
tables:
  Owners:
    - { Number: 1, Name: Ann, Balance: "1.00", Address: { Street: s, Town: t } }
`,
  )
  const document = demo('registry/registry.xml')
  const standIn = await serveContracts([document], { seed })
  const [{ service = '' } = {}] = standIn.addresses
  const told = await tolmachJson('.', ['call', document, 'Owners.list', '--url', service])
  expect(told).toMatchObject({
    ok: true,
    deviations: [],
    value: [{ Remark: null, Address: { Country: null } }],
  })
  await standIn.stop()
})
