// The same with Fastify: its error handler turns failures into statuses for every route.
import fastify, { type FastifyInstance } from 'fastify'
import { BerthDesk, type Settings } from './clients/berths/index.js'
import { statusOf } from './failures.js'

export function berthApplication(settings: Settings = {}): FastifyInstance {
  const desk = BerthDesk.fromVariables(process.env, settings)
  const application = fastify()
  application.addHook('onClose', () => desk.close())
  application.setErrorHandler((error, _request, reply) =>
    reply.code(statusOf(error)).send(error instanceof Error ? error.message : ''),
  )
  application.get<{ Params: { code: string } }>('/berths/:code', (request) => {
    const leaving = new AbortController()
    request.raw.on('close', () => {
      if (request.raw.destroyed) leaving.abort()
    })
    return desk.getBerth({ Code: request.params.code }, { signal: leaving.signal })
  })
  return application
}
