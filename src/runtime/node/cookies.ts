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
  headerFor(url: URL, onlyOwn = false): string {
    return (
      [...this.cookies.values()]
        .filter((each) => (!onlyOwn || each.origin === url.origin) && isFor(each, url))
        // Those of longer paths first (section 5.4).
        .sort((a, b) => b.path.length - a.path.length)
        .map(({ name, value }) => `${name}=${value}`)
        .join('; ')
    )
  }
}

function isFor({ host, below, path, secure, ends }: Cookie, url: URL): boolean {
  const isHost = below ? isWithin(url.hostname, host) : url.hostname === host
  const isInTime = ends === undefined || ends > Date.now()
  return isHost && isInTime && isBelow(url.pathname, path) && (!secure || isSecure(url))
}

/** A cookie as an answer sets it (section 5.2); undefined for what is none. */
function parse(header: string, url: URL): Cookie | undefined {
  const { hostname, pathname, origin } = url
  const [pair = '', ...rest] = header.split(';').map((each) => each.trim())
  const equals = pair.indexOf('=')
  if (equals < 1) return undefined
  const attributes = attributesOf(rest)
  const secure = attributes.has('secure')
  if (secure && !isSecure(url)) return undefined
  const domain = attributes.get('domain')?.replace(/^\./, '').toLowerCase() ?? ''
  // A host can't set cookies for others, nor for all of a top-level domain.
  if (domain !== '' && !isWithin(hostname, domain)) return undefined
  if (domain !== hostname && domain !== '' && !domain.includes('.')) return undefined
  const path = attributes.get('path') ?? ''
  return {
    name: pair.slice(0, equals).trim(),
    value: pair.slice(equals + 1).trim(),
    origin,
    host: domain === '' ? hostname : domain,
    below: domain !== '',
    path: path.startsWith('/') ? path : folderOf(pathname),
    secure,
    ends: endOf(attributes),
  }
}

/** Does nobody in between read what is sent? */
function isSecure({ protocol }: URL): boolean {
  return protocol === 'https:'
}

/**
 * Attributes by name: of those that are there twice the last one counts, where it says something.
 */
function attributesOf(written: readonly string[]): Map<string, string> {
  const attributes = new Map<string, string>()
  for (const each of written) {
    const [name = '', value = ''] = each.split(/=(.*)/s).map((part) => part.trim())
    const isSaid = meaning.get(name.toLowerCase())?.(value) ?? true
    if (isSaid) attributes.set(name.toLowerCase(), value)
  }
  return attributes
}

/** Attributes that are passed over where their value means nothing (sections 5.2.1 to 5.2.3). */
const meaning: ReadonlyMap<string, (value: string) => boolean> = /* @__PURE__ */ new Map([
  ['domain', (value: string) => value !== ''],
  ['max-age', (value: string) => /^-?\d+$/.test(value)],
  ['expires', (value: string) => !Number.isNaN(Date.parse(value))],
])

/** When a cookie ends; `Max-Age` counts before `Expires`. */
function endOf(attributes: ReadonlyMap<string, string>): number | undefined {
  const [age, moment] = [attributes.get('max-age'), attributes.get('expires')]
  if (age !== undefined) return Date.now() + Number(age) * 1000
  return moment === undefined ? undefined : Date.parse(moment)
}

/** Is a host the domain, or below it (section 5.1.3)? Nothing is below an address of IP. */
function isWithin(hostname: string, domain: string): boolean {
  if (hostname === domain) return true
  return hostname.endsWith(`.${domain}`) && !/^[\d.]+$|:/.test(hostname)
}

/** The folder of a path (section 5.1.4). */
function folderOf(pathname: string): string {
  return /^(\/.*)\/[^/]*$/.exec(pathname)?.[1] ?? '/'
}

function isBelow(pathname: string, path: string): boolean {
  return (
    pathname === path ||
    (pathname.startsWith(path) && (path.endsWith('/') || pathname[path.length] === '/'))
  )
}
