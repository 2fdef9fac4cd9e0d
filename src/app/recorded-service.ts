import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { buffer } from 'node:stream/consumers'
import { readRecorded, RecordedState } from '../stand-in/recorded.js'
import type { PlayResponse } from '../dialects/dialect.js'

/** A service that has no contract, played from what was recorded of it. */
export interface RecordedService {
  /** Its address, without a slash at its end. */
  readonly address: string
  stop(): Promise<void>
}

/**
 * Plays a service on loopback from an HTTP archive: to the same request the same answer.
 *
 * @param archive the text of the archive
 * @param file its name, for messages
 * @throws Problem TM-1020 when it is none
 */
export async function playRecording(archive: string, file: string): Promise<RecordedService> {
  const state = new RecordedState(readRecorded(archive, file))
  const server = createServer((request, response) => {
    void buffer(request).then((body) => {
      const { method = 'GET', url: target = '/' } = request
      const answer = state.play({ method, target, headers: {}, body }, '') ?? unknown(target)
      response.writeHead(answer.status, { ...answer.headers }).end(answer.body)
    })
  })
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
  return {
    address: `http://127.0.0.1:${String((server.address() as AddressInfo).port)}`,
    stop: () =>
      new Promise((done) => {
        server.close(() => done())
        server.closeAllConnections()
      }),
  }
}

function unknown(target: string): PlayResponse {
  return {
    status: 404,
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ code: 'NotRecorded', message: `Nothing was recorded of ${target}.` }),
  }
}
