import formbody from '@fastify/formbody'
import multipart from '@fastify/multipart'
import { Ajv2020 } from 'ajv/dist/2020.js'
import addFormats from 'ajv-formats'
import Fastify, { type FastifyInstance } from 'fastify'

/**
 * An independent server: its routes and schemas are written by hand beside the contract in
 * tests/fixtures/fastify/quay.yaml. It validates strictly (texts become numbers in addresses only,
 * nothing is stripped, nothing unknown is let in) and echoes the values it received.
 */
export async function startQuay(): Promise<{
  address: string
  tokens: () => number
  withdraw: () => void
  stop: () => Promise<void>
}> {
  const app = Fastify({
    routerOptions: { querystringParser: (text: string) => manyAsLists(text) },
  } as object)
  const strict = new Ajv2020({
    strict: false,
    allErrors: true,
    coerceTypes: false,
    removeAdditional: false,
    useDefaults: false,
  })
  const coercing = new Ajv2020({
    strict: false,
    allErrors: true,
    coerceTypes: 'array',
    removeAdditional: false,
    useDefaults: false,
  })
  for (const ajv of [strict, coercing]) (addFormats as unknown as (target: unknown) => void)(ajv)
  app.setValidatorCompiler(({ schema, httpPart }) =>
    (httpPart === 'body' ? strict : coercing).compile(schema as object),
  )
  await app.register(formbody, { parser: manyAsLists })
  await app.register(multipart)
  app.addContentTypeParser(
    'application/octet-stream',
    { parseAs: 'buffer' },
    (_request, body, done) => done(null, body),
  )
  app.addContentTypeParser('text/plain', { parseAs: 'string' }, (_request, body, done) =>
    done(null, body),
  )
  addEchoes(app)
  const state = addGuard(app)
  const address = await app.listen({ port: 0, host: '127.0.0.1' })
  return { address, ...state, stop: () => app.close() }
}

function manyAsLists(text: string): Record<string, unknown> {
  const found = new URLSearchParams(text)
  return Object.fromEntries(
    [...new Set(found.keys())].map((name) => [
      name,
      found.getAll(name).length > 1 ? found.getAll(name) : found.get(name),
    ]),
  )
}

const base = {
  name: { type: 'string', minLength: 2 },
  built: { type: 'string', format: 'date' },
  draught: { type: ['number', 'null'], exclusiveMinimum: 0 },
  tags: { type: 'array', items: { type: 'string' }, uniqueItems: true },
  measures: { type: 'object', additionalProperties: { type: 'number' }, maxProperties: 3 },
  place: {
    type: 'array',
    prefixItems: [{ type: 'string' }, { type: 'integer' }],
    minItems: 2,
    maxItems: 2,
  },
}
const vessel = {
  oneOf: [
    {
      type: 'object',
      additionalProperties: false,
      required: ['name', 'built', 'kind', 'masts'],
      properties: { ...base, kind: { const: 'sail' }, masts: { type: 'integer', minimum: 1 } },
    },
    {
      type: 'object',
      additionalProperties: false,
      required: ['name', 'built', 'kind'],
      properties: {
        ...base,
        kind: { const: 'motor' },
        power: { type: 'integer' },
        fuel: { enum: ['oil', 'gas'] },
      },
      dependentRequired: { power: ['fuel'] },
    },
  ],
}

function addEchoes(app: FastifyInstance): void {
  const params = {
    type: 'object',
    required: ['text', 'number', 'flag'],
    properties: { text: { type: 'string' }, number: { type: 'number' }, flag: { type: 'boolean' } },
  }
  const querystring = {
    type: 'object',
    additionalProperties: false,
    properties: {
      words: { type: 'array', items: { type: 'string' } },
      numbers: { type: 'array', items: { type: 'integer' } },
      day: { type: 'string', format: 'date' },
      kind: { enum: ['sail', 'motor'] },
      limit: { type: 'integer', minimum: 1, maximum: 100 },
    },
  }
  app.get('/echo/:text/:number/:flag', { schema: { params, querystring } }, (request) => ({
    params: request.params,
    query: request.query,
    headers: {
      trace: request.headers['x-trace'],
      cookie: request.headers.cookie,
      accept: request.headers.accept,
    },
  }))
  app.post('/bodies/json', { schema: { body: vessel } }, (request) => request.body)
  app.post(
    '/bodies/form',
    {
      schema: {
        body: {
          type: 'object',
          additionalProperties: false,
          required: ['name'],
          properties: { name: { type: 'string' }, tags: { type: ['array', 'string'] } },
        },
      },
    },
    (request) => request.body,
  )
  app.post('/bodies/parts', async (request) => {
    const found: object[] = []
    for await (const part of request.parts()) {
      if (part.type === 'field')
        found.push({
          name: part.fieldname,
          type: part.mimetype,
          size: Buffer.byteLength(
            typeof part.value === 'string' ? part.value : JSON.stringify(part.value),
          ),
          text: typeof part.value === 'string' ? part.value : JSON.stringify(part.value),
        })
      else {
        const content = await part.toBuffer()
        found.push({
          name: part.fieldname,
          file: part.filename,
          type: part.mimetype,
          size: content.length,
          text: content.toString('base64'),
        })
      }
    }
    return found
  })
  app.put('/bodies/bytes', (request, reply) =>
    reply.type('application/octet-stream').send(request.body),
  )
  app.put('/bodies/text', (request, reply) =>
    reply.type('text/plain; charset=utf-8').send(request.body),
  )
  app.get('/tides', (_request, reply) => {
    reply.raw.writeHead(200, { 'content-type': 'text/event-stream' })
    let height = 0
    // It never ends by itself.
    const timer = setInterval(
      () =>
        reply.raw.write(`id: ${height}\nevent: turned\ndata: {"height":${(height += 1)}.5}\n\n`),
      5,
    )
    reply.raw.on('close', () => clearInterval(timer))
    return reply.hijack()
  })
  app.get('/log', (request, reply) => {
    const { lines } = request.query as { lines: string }
    return reply
      .type('application/x-ndjson')
      .send(
        Array.from(
          { length: Number(lines) },
          (_, at) => `{"height":${at},"at":"2026-11-23T14:30:00Z"}\n`,
        ).join(''),
      )
  })
}

function addGuard(app: FastifyInstance): { tokens: () => number; withdraw: () => void } {
  let issued = 0
  let valid = ''
  app.post('/token', (request, reply) => {
    const form = request.body as { grant_type?: string; scope?: string }
    const proof = `Basic ${Buffer.from('desk:p%40ss').toString('base64')}`
    if (
      request.headers.authorization !== proof ||
      form.grant_type !== 'client_credentials' ||
      form.scope !== 'read'
    )
      return reply.code(401).send({ error: 'invalid_client', error_description: 'Unknown desk' })
    valid = `token-${(issued += 1)}`
    return reply.send({ access_token: valid, token_type: 'Bearer', expires_in: 3600 })
  })
  app.get('/guarded', (request, reply) => {
    if (request.headers['x-gate'] !== 'open' || request.headers.authorization !== `Bearer ${valid}`)
      return reply.code(401).send({ message: 'Who are you?' })
    return reply.header('X-Remaining', '41').send({ who: valid })
  })
  return { tokens: () => issued, withdraw: () => void (valid = 'withdrawn') }
}
