/** The two sides of a listener. */
export interface Ways {
  /** Where the program thinks that the service is. */
  readonly here: URL
  /** Where it is. */
  readonly there: URL
}

type Pair = readonly [name: string, value: string]

/** What concerns one connection alone (RFC 9110, section 7.6.1). */
const ofConnection =
  /^(?:connection|keep-alive|proxy-authenticate|proxy-authorization|proxy-connection|te|trailer|transfer-encoding|upgrade)$/i

function withoutConnection(pairs: readonly Pair[]): Pair[] {
  const named = pairs
    .filter(([name]) => /^connection$/i.test(name))
    .flatMap(([, value]) => value.split(',').map((each) => each.trim().toLowerCase()))
  return pairs.filter(([name]) => !ofConnection.test(name) && !named.includes(name.toLowerCase()))
}

/** The headers of a request as the service is to get them. */
export function forwards(pairs: readonly Pair[], { here, there }: Ways): Pair[] {
  const isChunked = pairs.some(([name]) => /^transfer-encoding$/i.test(name))
  return [
    ...withoutConnection(pairs).map(([name, value]): Pair => {
      if (/^host$/i.test(name)) return [name, there.host]
      // A service that looks where a request comes from is to find itself.
      return /^(?:origin|referer)$/i.test(name)
        ? [name, value.replace(here.origin, () => there.origin)]
        : [name, value]
    }),
    ...(isChunked ? [['Transfer-Encoding', 'chunked'] as const] : []),
  ]
}

/** Headers that may say where the service is. */
const withAddresses =
  /^(?:location|content-location|link|refresh|access-control-allow-origin|x-next|odata-entityid)$/i

/** The headers of an answer as the program is to get them: it is not to be led past us. */
export function backwards(pairs: readonly Pair[], { here, there }: Ways): Pair[] {
  return withoutConnection(pairs).map(([name, value]): Pair => {
    if (/^set-cookie$/i.test(name)) return [name, cookieHere(value, here)]
    return withAddresses.test(name)
      ? [name, value.replaceAll(there.origin, () => here.origin)]
      : [name, value]
  })
}

/** A cookie that is of this machine, and goes without encryption where there is none. */
function cookieHere(value: string, { protocol }: URL): string {
  const open = value.replace(/;\s*domain=[^;]*/gi, '')
  if (protocol === 'https:') return open
  return open.replace(/;\s*secure(?=;|$)/gi, '').replace(/;\s*samesite=none(?=;|$)/gi, '')
}
