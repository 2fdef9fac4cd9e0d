import { readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterAll, beforeAll, expect, test } from '@jest/globals'
import { callOperation } from '../../src/app/call-operation.js'
import { drawDiagram } from '../../src/app/draw-diagram.js'
import { generateClient } from '../../src/app/generate-client.js'
import { importContract } from '../../src/app/import-contract.js'
import { locateThing } from '../../src/app/locate-thing.js'
import { rehearse } from '../../src/app/rehearse.js'
import { sampleFor } from '../../src/app/sample-input.js'
import { saveReferencePage } from '../../src/app/save-reference-page.js'
import { serveContracts, type Served } from '../../src/app/serve-contracts.js'
import { showContract } from '../../src/app/show-contract.js'
import { dialects } from '../../src/dialects/registry.js'
import { complaints } from '../support/compilers.js'
import { freshFolder, startServer } from '../support/program.js'
import { lineCalls } from './line-calls.js'

/** The proof of the design: a dialect that nothing of the house knows, in one folder. */

const description = `line-calls
title Lamp House
at http://lamps.example/api
record Lamp: name text, height number, lit flag?, mates text[]?
record Broken: why text
call lamps.list GET /lamps -> Lamp[]: All lamps of the harbour.
call lamps.light PUT /lamps/{name} Lamp -> Lamp or Broken: Lights a lamp.
call lamps.drop DELETE /lamps/{name}: Takes a lamp away.
`

let folder: string
let served: Served

beforeAll(async () => {
  // The one line of registration.
  dialects[lineCalls.name] = () => Promise.resolve(lineCalls)
  folder = await freshFolder()
  await writeFile(join(folder, 'calls.txt'), description)
  await importContract(join(folder, 'calls.txt'), { as: 'lamps', project: folder })
  served = await serveContracts(['lamps'], { project: folder })
})
afterAll(async () => {
  await served.stop()
  Reflect.deleteProperty(dialects, lineCalls.name)
})

test('is imported, also from the address of a service', async () => {
  const server = await startServer((request, response) =>
    request.url === '/house/calls.txt'
      ? response.end(description)
      : response.writeHead(404).end('Nothing here.'),
  )
  const own = await freshFolder()
  const imported = importContract(`${server.url}/house`, { as: 'l', project: own })
  const { contract, found } = await imported.finally(server.stop)
  expect([contract.dialect, contract.title, found]).toEqual([
    'line-calls',
    'Lamp House',
    `${server.url}/house/calls.txt`,
  ])
})

test('is shown, drawn and found', async () => {
  const shown = await showContract('lamps', undefined, { project: folder })
  expect(shown).toMatchObject({ kind: 'contract', counts: { operations: 3, types: 2 } })
  const operation = await showContract('lamps', 'lamps.light', { project: folder })
  expect(JSON.stringify(operation)).toContain('PUT /lamps/{name}')
  const picture = join(folder, 'lamps.mmd')
  await drawDiagram('lamps', picture, { project: folder })
  expect(await readFile(picture, 'utf8')).toContain('Lamp')
  const page = join(folder, 'lamps.html')
  await saveReferencePage('lamps', page, { project: folder })
  expect(await readFile(page, 'utf8')).toContain('Takes a lamp away.')
})

test('gets a client that compiles, and is located in it', async () => {
  const { files, clashes } = await generateClient('lamps', { project: folder })
  expect(files).toContain('operations/lightLamps.ts')
  expect(clashes).toEqual([])
  expect(await complaints(folder, { skipLibCheck: true })).toBe('')
  const { code, metadata } = await locateThing('lamps', 'lamps.light', { project: folder })
  expect([code?.file, metadata?.line]).toEqual([expect.stringMatching(/lightLamps\.ts$/), 7])
})

test('is sampled, called against its stand-in, and rehearsed', async () => {
  const { input } = await sampleFor('lamps', 'lamps.light', { project: folder, full: true })
  expect(input).toMatchObject({ name: 'name', body: { name: 'name', mates: ['mates'] } })
  const [{ service: url } = { service: '' }] = served.addresses
  const { result } = await callOperation('lamps', 'lamps.light', {
    project: folder,
    url,
    with: ['name=North', 'body.name=North', 'body.height=3.5'],
  })
  expect(result).toMatchObject({ value: { name: expect.any(String) as unknown }, deviations: [] })
  const steps = join(folder, 'round.yaml')
  await writeFile(
    steps,
    'rehearsal: 1\ntitle: A round\ncontract: lamps\nsteps:\n  - call: lamps.list\n  - call: lamps.drop\n    with: { name: North }\n',
  )
  const [report] = await rehearse([steps], { project: folder, urls: { lamps: url } })
  expect(report?.outcome).toBe('passed')
})

test('says itself what a status means', async () => {
  const server = await startServer((_, response) => response.writeHead(418).end())
  const call = callOperation('lamps', 'lamps.list', { project: folder, url: server.url })
  const { problem } = await call.finally(server.stop)
  expect(`${problem?.advice ?? ''} ${problem?.details.join(' ') ?? ''}`).toContain('Ask a teapot.')
})
