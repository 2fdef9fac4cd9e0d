/** A cookie as it was set. */
interface Cookie {
  readonly name: string
  readonly value: string
  readonly host: string
  /** The scheme, host and port that it was set from. */
  readonly origin: string
  /** It goes to hosts below its own, too. */
  readonly below: boolean
  readonly path: string
  readonly secure: boolean
  /** When it ends, in milliseconds; never within a session when left out. */
  readonly ends: number | undefined
}

/** The cookies of a session (RFC 6265, section 5): kept in memory, and gone with the client. */
export class CookieJar {
  private readonly cookies = new Map<string, Cookie>()

  /** Keeps what an answer sets. */
  keep(url: URL, headers: readonly string[]): void {
    for (const header of headers) {
      const cookie = parse(header, url)
      if (cookie === undefined) continue
      const key = `${cookie.host} ${cookie.path} ${cookie.name}`
      if (cookie.ends !== undefined && cookie.ends <= Date.now()) this.cookies.delete(key)
      else this.cookies.set(key, cookie)
    }
  }

  /**
   * What a request to an address carries; `''` for nothing. As the standard has it, services on
   * several ports of a host share their cookies.
   *
   * @param onlyOwn after a redirect to another origin: what that origin itself has set, and
   *   nothing of others
   */
  headerFor({ hostname, pathname, protocol, origin }: URL, onlyOwn = false): string {
    return (
      [...this.cookies.values()]
        .filter((each) => !onlyOwn || each.origin === origin)
        .filter(
          (each) =>
            (each.host === hostname || (each.below && hostname.endsWith(`.${each.host}`))) &&
            isBelow(pathname, each.path) &&
            (!each.secure || protocol === 'https:') &&
            (each.ends === undefined || each.ends > Date.now()),
        )
        // Those of longer paths first (section 5.4).
        .sort((a, b) => b.path.length - a.path.length)
        .map(({ name, value }) => `${name}=${value}`)
        .join('; ')
    )
  }
}

function parse(header: string, { hostname, pathname, origin }: URL): Cookie | undefined {
  const [pair = '', ...attributes] = header.split(';').map((each) => each.trim())
  const equals = pair.indexOf('=')
  if (equals < 1) return undefined
  const attribute = (name: string): string | undefined =>
    attributes
      .map((each) => each.split(/=(.*)/s))
      .find(([key = '']) => key.trim().toLowerCase() === name)?.[1]
      ?.trim()
  const has = (name: string): boolean =>
    attributes.some((each) => each.split('=')[0]?.trim().toLowerCase() === name)
  const domain = attribute('domain')?.replace(/^\./, '').toLowerCase()
  // A host can't set cookies for others.
  if (
    domain !== undefined &&
    domain !== '' &&
    hostname !== domain &&
    !hostname.endsWith(`.${domain}`)
  )
    return undefined
  const [age, expires, path] = [attribute('max-age'), attribute('expires'), attribute('path')]
  const moment = Date.parse(expires ?? '')
  const named = Number.isNaN(moment) ? undefined : moment
  const ends = age !== undefined && /^-?\d+$/.test(age) ? Date.now() + Number(age) * 1000 : named
  return {
    name: pair.slice(0, equals).trim(),
    value: pair.slice(equals + 1).trim(),
    origin,
    host: domain === undefined || domain === '' ? hostname : domain,
    // A name without a dot, like localhost, has nothing below it.
    below: domain !== undefined && domain.includes('.'),
    path: path?.startsWith('/') === true ? path : (/^(\/.*)\/[^/]*$/.exec(pathname)?.[1] ?? '/'),
    secure: has('secure'),
    ends,
  }
}

function isBelow(pathname: string, path: string): boolean {
  return (
    pathname === path ||
    (pathname.startsWith(path) && (path.endsWith('/') || pathname[path.length] === '/'))
  )
}
