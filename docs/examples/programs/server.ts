// A web server that answers from a SOAP service: one client for the life of the server, an abort
// when the visitor leaves, and failures as statuses.
import { createServer, type Server } from 'node:http'
import { BerthDesk, type Settings } from './clients/berths/index.js'
import { statusOf } from './failures.js'

export function berthServer(settings: Settings = {}): Server {
  const desk = BerthDesk.fromVariables(process.env, settings)
  const server = createServer((request, response) => {
    const code = new URL(request.url ?? '/', 'http://here').searchParams.get('code') ?? ''
    const leaving = new AbortController()
    response.on('close', () => {
      if (!response.writableEnded) leaving.abort()
    })
    desk
      .getBerth({ Code: code }, { signal: leaving.signal })
      .then((berth) => {
        response.setHeader('content-type', 'application/json').end(JSON.stringify(berth))
      })
      .catch((error: unknown) => {
        if (leaving.signal.aborted) return
        response.writeHead(statusOf(error)).end(error instanceof Error ? error.message : '')
      })
  })
  server.on('close', () => void desk.close())
  return server
}
