// Every request as a span, with the attributes that OpenTelemetry gives to those of HTTP. Headers
// and bodies, which may hold secrets, are left out, and so is what stands behind the `?`.
import { BerthDesk, type Exchange, type Settings } from './clients/berths/index.js'

export interface Span {
  readonly name: string
  readonly milliseconds: number
  readonly attributes: Readonly<Record<string, string | number>>
}

export function spanOf({ request, response, milliseconds }: Exchange): Span {
  const url = new URL(request.url)
  return {
    name: request.method,
    milliseconds,
    attributes: {
      'http.request.method': request.method,
      'url.full': `${url.origin}${url.pathname}`,
      'server.address': url.hostname,
      'server.port': Number(url.port || (url.protocol === 'https:' ? 443 : 80)),
      'http.response.status_code': response.status,
    },
  }
}

/** A client whose requests are heard of. @param hear gets a span for each, as an exporter would */
export function tracedDesk(hear: (span: Span) => void, settings: Settings = {}): BerthDesk {
  return new BerthDesk({ ...settings, onExchange: (exchange) => hear(spanOf(exchange)) })
}
