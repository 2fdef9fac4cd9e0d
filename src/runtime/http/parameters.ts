/**
 * How parameters are written into addresses and headers (OpenAPI 3.1, section 4.8.12.4, which
 * builds on RFC 6570).
 */

export type Style =
  | 'simple'
  | 'label'
  | 'matrix'
  | 'form'
  | 'spaceDelimited'
  | 'pipeDelimited'
  | 'tabDelimited'
  | 'deepObject'
  | 'cookie'

/** A parameter's value as texts: one, several, or by name. */
export type Written = string | readonly string[] | Readonly<Record<string, string>>

/** What RFC 3986, section 2.2, reserves: kept as it is where `allowReserved` says so. */
const reservedOrEscaped = /%(?:3A|2F|3F|23|5B|5D|40|21|24|26|27|28|29|2A|2B|2C|3B|3D)/gi

const separators: Readonly<Partial<Record<Style, string>>> = {
  spaceDelimited: '%20',
  pipeDelimited: '%7C',
  tabDelimited: '%09',
}

/** Percent-encodes everything but the unreserved characters of RFC 3986, section 2.3. */
export function encode(text: string, allowReserved = false): string {
  const encoded = encodeURIComponent(text.replace(/[\ud800-\udfff]/gu, '\ufffd')).replace(
    /[!'()*]/g,
    (c) => `%${c.charCodeAt(0).toString(16).toUpperCase()}`,
  )
  return allowReserved ? encoded.replace(reservedOrEscaped, decodeURIComponent) : encoded
}

/** A value in a path: the text that takes the place of `{name}`. */
export function inPath(
  name: string,
  value: Written,
  style: Style,
  explode: boolean,
  allowReserved = false,
): string {
  // Reserved or not, what would end the path is encoded.
  const text = (each: string): string =>
    encode(each, allowReserved).replace(/[?#]/g, encodeURIComponent)
  const pairs = (separator: string, between: string): string =>
    Object.entries(value as Readonly<Record<string, string>>)
      .map(([key, each]) => `${encode(key)}${between}${text(each)}`)
      .join(separator)
  const list = Array.isArray(value) ? value.map((each) => text(String(each))) : undefined
  const single = typeof value === 'string' ? text(value) : undefined
  if (style === 'label')
    return `.${single ?? list?.join(explode ? '.' : ',') ?? (explode ? pairs('.', '=') : pairs(',', ','))}`
  if (style === 'matrix') {
    if (single !== undefined) return single === '' ? `;${name}` : `;${name}=${single}`
    if (list !== undefined)
      return explode
        ? list.map((each) => `;${name}=${each}`).join('')
        : `;${name}=${list.join(',')}`
    return explode ? `;${pairs(';', '=')}` : `;${name}=${pairs(',', ',')}`
  }
  return single ?? list?.join(',') ?? (explode ? pairs(',', '=') : pairs(',', ','))
}

/**
 * A value in a query: its pairs, without `?` or `&` in front.
 *
 * @param value texts; for `deepObject` the JSON itself, which may be nested
 */
export function inQuery(
  name: string,
  value: unknown,
  style: Style,
  explode: boolean,
  allowReserved = false,
): string {
  const key = encode(name)
  const text = (each: string): string => encode(each, allowReserved)
  if (style === 'deepObject')
    return deep(name, value)
      .map(([path, each]) => `${encode(path)}=${text(each)}`)
      .join('&')
  if (typeof value === 'string') return `${key}=${text(value)}`
  const separator = separators[style] ?? ','
  if (Array.isArray(value)) {
    if (explode) return value.map((each) => `${key}=${text(String(each))}`).join('&')
    return value.length === 0
      ? ''
      : `${key}=${value.map((each) => text(String(each))).join(separator)}`
  }
  const entries = Object.entries(value as Readonly<Record<string, string>>)
  if (explode) return entries.map(([member, each]) => `${encode(member)}=${text(each)}`).join('&')
  return entries.length === 0
    ? ''
    : `${key}=${entries.map(([member, each]) => `${encode(member)}${separator}${text(each)}`).join(separator)}`
}

/**
 * Members in brackets behind the name. For what is nested deeper the specification has no rule;
 * most servers read brackets again, and repeated names as lists.
 */
function deep(name: string, value: unknown): [path: string, text: string][] {
  if (Array.isArray(value)) return value.flatMap((item: unknown) => deep(name, item))
  if (typeof value === 'object' && value !== null && !('digits' in value))
    return Object.entries(value)
      .filter(([, each]) => each !== undefined)
      .flatMap(([member, each]) => deep(`${name}[${member}]`, each))
  return [[name, String(written(value) as string)]]
}

/** A value in a header: never percent-encoded. */
export function inHeader(value: Written, explode: boolean): string {
  if (typeof value === 'string') return value
  if (Array.isArray(value)) return value.join(',')
  return Object.entries(value as Readonly<Record<string, string>>)
    .map(([member, each]) => `${member}${explode ? '=' : ','}${each}`)
    .join(',')
}

/**
 * A value as cookies: pairs. The style `cookie` of 3.2 writes values as they are, `form`
 * percent-encodes them.
 */
export function inCookie(name: string, value: Written, style: Style, explode: boolean): string[] {
  if (style !== 'cookie') return inQuery(name, value, 'form', explode).split('&')
  if (typeof value === 'string') return [`${name}=${value}`]
  if (Array.isArray(value))
    return explode ? value.map((each) => `${name}=${String(each)}`) : [`${name}=${value.join(',')}`]
  const entries = Object.entries(value as Readonly<Record<string, string>>)
  return explode
    ? entries.map(([member, each]) => `${member}=${each}`)
    : [`${name}=${entries.flat().join(',')}`]
}

/** What a JSON value is as texts of a parameter. */
export function written(json: unknown): Written {
  const text = (value: unknown): string => {
    if (value === null || value === undefined) return ''
    if (typeof value === 'object' && 'digits' in value) return String(value.digits)
    if (typeof value === 'object') return JSON.stringify(value)
    return String(value as string)
  }
  if (Array.isArray(json)) return json.map(text)
  if (typeof json === 'object' && json !== null && !('digits' in json))
    return Object.fromEntries(
      Object.entries(json)
        .filter(([, value]) => value !== undefined)
        .map(([name, value]) => [name, text(value)]),
    )
  return text(json)
}
