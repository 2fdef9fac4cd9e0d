// A unit test of an application that talks to the berth desk, without the berth desk: a stand-in
// plays it inside the test. It runs as it stands: node --test docs/examples/
import assert from 'node:assert/strict'
import { after, before, beforeEach, test } from 'node:test'
import { callOperation, serveContracts } from 'tolmach'

/**
 * What is tested: it takes the first berth that is free. An application has the generated client
 * here: `new BerthDesk({ url })`.
 */
async function takeBerth(url, vessel, berths) {
  for (const Berth of berths) {
    const input = {
      Reservation: { Berth, Vessel: vessel, Arrival: '2026-11-24T07:30:00', Nights: 2 },
    }
    const { problem, result } = await callOperation('demo/berths/desk.wsdl', 'reserveBerth', {
      url,
      input: { text: JSON.stringify(input), what: 'the test' },
    })
    if (problem === undefined) return result.value
  }
  return undefined
}

const tug = { $is: 'Tug', CallSign: 'BKM-031', Name: 'Bärbel', Draught: '3.10', BollardPull: 48 }
let standIn
let url

before(async () => {
  standIn = await serveContracts(['demo/berths/desk.wsdl'], { seed: 'demo/berths/seed.yaml' })
  url = standIn.addresses[0].service
})
// Every test starts from the seed data.
beforeEach(() => standIn.reset())
after(() => standIn.stop())

test('takes the second berth when the first one is taken', async () => {
  const reservation = await takeBerth(url, tug, ['N-12', 'S-3'])
  assert.equal(reservation.Berth, 'S-3')
  assert.deepEqual(
    standIn.asked.map(({ operation, input }) => [operation, input.Reservation.Berth]),
    [
      ['reserveBerth', 'N-12'],
      ['reserveBerth', 'S-3'],
    ],
  )
})

test('gives up when all are taken', async () => {
  assert.equal(await takeBerth(url, tug, ['N-12', 'S-4']), undefined)
})

test('survives a desk that is too busy', async () => {
  const busy = await serveContracts(['demo/berths/desk.wsdl'], {
    seed: 'demo/berths/seed.yaml',
    temper: { kinds: ['busy'], rate: 0.5 },
  })
  assert.equal((await takeBerth(busy.addresses[0].service, tug, ['S-3', 'S-5'])).Berth, 'S-3')
  await busy.stop()
})
