// A handler for platforms that run functions: a request comes, a response goes, and there is
// nothing but the platform's own `fetch`.
import { BerthDesk, type Settings } from './clients/berths/index.js'
import { statusOf } from './failures.js'

export function berthHandler(settings: Settings): (request: Request) => Promise<Response> {
  // Kept from one request to the next, where the platform keeps the module.
  const desk = new BerthDesk(settings)
  return async (request) => {
    const code = new URL(request.url).searchParams.get('code') ?? ''
    try {
      return Response.json(await desk.getBerth({ Code: code }, { signal: request.signal }))
    } catch (error) {
      const message = error instanceof Error ? error.message : ''
      return new Response(message, { status: statusOf(error) })
    }
  }
}
