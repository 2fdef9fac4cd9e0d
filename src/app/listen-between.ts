import { problem } from '../contract/problem.js'
import { fileReason, messageOf, systemCode } from '../contract/system-error.js'
import { isWebAddress } from '../documents/fetching.js'
import { harEntry } from '../exercise/har.js'
import { maskedJson, maskedUrl } from '../exercise/masking.js'
import { HarFile } from '../listen/har-file.js'
import { listenBetween, type PassedExchange } from '../listen/listener.js'
import type { ClientOptions } from './calls/ready-client.js'
import { readTextFile } from './files/text-files.js'
import { contractWatch } from './listen/contract-watch.js'
import { version } from './package-files.js'

export interface ListenOptions extends Pick<ClientOptions, 'project' | 'at' | 'url'> {
  /** Any free one when left out. */
  readonly port?: number | undefined
  /** Loopback when left out. */
  readonly host?: string | undefined
  /** The HTTP archive that everything is kept in. */
  readonly har?: string | undefined
  /** Files of PEM texts by which the program is to come by TLS. */
  readonly certificate?: { readonly cert: string; readonly key: string } | undefined
  /** A file with a private authority that the service's certificate is of. */
  readonly ca?: string | undefined
  readonly onHeard: (heard: Heard) => void
}

/** An exchange that was heard. */
export interface Heard {
  readonly number: number
  readonly method: string
  /** Path and query, without secrets. */
  readonly target: string
  readonly status: number
  readonly milliseconds: number
  /** How many bytes were sent and answered. */
  readonly sent: number
  readonly received: number
  /** What went wrong on the way. */
  readonly trouble?: string
  /** The operation of the contract, where there is one. */
  readonly operation?: string
  /** What the contract does not allow. */
  readonly breaches: readonly string[]
}

/** A listener at work. */
export interface Listening {
  /** Where the program is to call, instead of the service. */
  readonly address: string
  readonly service: string
  /** Ends it, when everything was told and kept. */
  stop(): Promise<void>
}

/**
 * Stands between a program and a service, passes everything on, and keeps it as an HTTP archive
 * (HAR 1.2) without secrets; by a contract it also says what that does not allow.
 *
 * @param between the address of the service, or the name of a contract in the project
 * @throws Problem TM-1010 for what is no address, TM-1016 when the port can't be had, TM-1007,
 *   TM-1008 for files, and those of opening a contract
 */
export async function listen(between: string, options: ListenOptions): Promise<Listening> {
  const watch = isWebAddress(between)
    ? undefined
    : await contractWatch(between, { project: options.project, at: options.at, url: options.url })
  const address = options.url ?? watch?.address ?? between
  if (!URL.canParse(address) || !/^https?:/i.test(address))
    throw problem('TM-1010', {
      option: '--url',
      reason: `"${maskedUrl(address)}" is no address of HTTP`,
      remedy: 'Give one like --url https://gauge.example/api.',
    })
  const service = new URL(address)
  const har = options.har === undefined ? undefined : openHar(options.har)
  // What is looked at longer is told before what came after it.
  let told = Promise.resolve()
  const hear = async (exchange: PassedExchange, before: Promise<void>): Promise<void> => {
    har?.add(maskedJson(entryOf(exchange)))
    const watched = await watch
      ?.look(exchange)
      .catch((error: unknown) => ({ breaches: [`it could not be looked at: ${messageOf(error)}`] }))
    await before
    options.onHeard({ ...heardOf(exchange), breaches: [], ...watched })
  }
  const listener = await listenBetween({
    service,
    host: options.host ?? '127.0.0.1',
    port: options.port ?? 0,
    certificate: await certificateOf(options),
    ca: options.ca === undefined ? undefined : await readTextFile(options.ca),
    onExchange: (exchange) => {
      told = hear(exchange, told)
    },
  }).catch((error: unknown) => {
    throw problem(
      'TM-1016',
      {
        port: options.port ?? 0,
        reason:
          systemCode(error) === 'EADDRINUSE' ? 'another program listens there' : messageOf(error),
      },
      { cause: error },
    )
  })
  return {
    address: `${listener.origin}${service.pathname.replace(/\/$/, '')}`,
    service: maskedUrl(address),
    stop: async () => {
      await listener.stop()
      await told
      har?.close()
      await watch?.close()
    },
  }
}

function openHar(path: string): HarFile {
  try {
    return new HarFile(path, { name: 'Tolmach', version: version() })
  } catch (error) {
    throw problem('TM-1008', { what: path, reason: fileReason(error) }, { cause: error })
  }
}

async function certificateOf({
  certificate,
}: ListenOptions): Promise<{ cert: string; key: string } | undefined> {
  return certificate === undefined
    ? undefined
    : { cert: await readTextFile(certificate.cert), key: await readTextFile(certificate.key) }
}

function entryOf({ started, milliseconds, request, response, trouble }: PassedExchange): object {
  const encoding = (pairs: PassedExchange['request']['headers']): string =>
    pairs.find(([name]) => /^content-encoding$/i.test(name))?.[1] ?? ''
  const cut = [request, response].some(({ body }) => !body.isWhole)
  const comment = [
    ...(trouble === undefined ? [] : [trouble]),
    ...(cut ? ['only the beginning of a large body is kept'] : []),
  ]
  return harEntry({
    started,
    milliseconds,
    request: {
      ...request,
      body: request.body.decoded(encoding(request.headers)),
      size: request.body.size,
    },
    response: {
      ...response,
      body: response.body.decoded(encoding(response.headers)),
      size: response.body.size,
    },
    comment: comment.length === 0 ? undefined : comment.join('; '),
  })
}

function heardOf(exchange: PassedExchange): Omit<Heard, 'breaches'> {
  const { number, milliseconds, request, response, trouble } = exchange
  const { origin } = new URL(request.url)
  return {
    number,
    method: request.method,
    target: maskedUrl(request.url).slice(origin.length),
    status: response.status,
    milliseconds,
    sent: request.body.size,
    received: response.body.size,
    ...(trouble === undefined ? {} : { trouble }),
  }
}
