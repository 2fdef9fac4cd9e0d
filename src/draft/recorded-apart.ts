import { isJson, type Recording } from './recording.js'

/** What is drafted, and what is not, by the reason. */
export interface RecordedApart {
  /** The service's address without its path. */
  readonly origin: string
  readonly kept: readonly Recording[]
  /** How many exchanges were left out, by why. */
  readonly leftOut: ReadonlyMap<string, number>
}

/**
 * Takes from recordings those of one service: what a browser fetches besides (pages, scripts,
 * pictures), and what belongs to other services, is left out.
 *
 * @param only the address that all of them begin with; that of most when left out
 */
export function recordedApart(recordings: readonly Recording[], only?: string): RecordedApart {
  const leftOut = new Map<string, number>()
  const leave = (why: string): void => void leftOut.set(why, (leftOut.get(why) ?? 0) + 1)
  const calls = recordings.filter((each) => {
    const why = whyNot(each)
    if (why !== undefined) leave(why)
    return why === undefined
  })
  const origins = new Map<string, number>()
  for (const { url } of calls) origins.set(url.origin, (origins.get(url.origin) ?? 0) + 1)
  const [most] = [...origins].sort(([, one], [, other]) => other - one)
  const wanted = only !== undefined && URL.canParse(only) ? new URL(only) : undefined
  const origin = wanted?.origin ?? most?.[0] ?? ''
  const path = wanted?.pathname.replace(/\/$/, '') ?? ''
  const kept = calls.filter(({ url }) => {
    const isWanted =
      url.origin === origin && (path === '' || `${url.pathname}/`.startsWith(`${path}/`))
    if (!isWanted) leave(`of ${url.origin === origin ? 'other paths' : url.origin}`)
    return isWanted
  })
  return { origin, kept, leftOut }
}

/** Why an exchange is none of a service's calls; undefined where it is one. */
function whyNot({ method, status, headers, answer, body }: Recording): string | undefined {
  if (method === 'OPTIONS' || method === 'HEAD' || method === 'CONNECT')
    return 'that only ask whether one may'
  if (status === 0) return 'without an answer'
  if (status < 200 || (status >= 300 && status < 400))
    return 'that lead elsewhere, or had nothing new'
  const type = answer?.type ?? ''
  // Browsers say what they want something for (Fetch Metadata): a picture, a script.
  const [, wanted = 'empty'] =
    headers.find(([name]) => name.toLowerCase() === 'sec-fetch-dest') ?? []
  if (!/^(?:empty|document|i?frame)$/.test(wanted)) return 'that are pages, scripts, pictures'
  if (/html|css|javascript|ecmascript|^(?:image|font|video|audio)\/|wasm|event-stream/.test(type))
    return 'that are pages, scripts, pictures'
  const isCall =
    isJson(type) ||
    type === '' ||
    body !== undefined ||
    /xml|text\/plain|octet-stream|pdf|zip/.test(type)
  return isCall ? undefined : `of the type ${type}`
}
