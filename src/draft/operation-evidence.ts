import { addTo } from '../contract/lists.js'
import { isRecord, parseValues, type JsonValue } from './json-values.js'
import { byMethod, type DraftedPath, type PathRecording } from './paths.js'
import { isJson, isXml, type RecordedBody, type Recording } from './recording.js'
import { isSecretHeaderName, isSecretQuery, schemesOf, type DraftedScheme } from './security.js'
import { SeenTexts } from './seen-texts.js'
import { Seen, type Way } from './seen.js'
import { isGeneral, singular } from './singular.js'
import type { XmlValues } from './xml-values.js'

/** What stood in bodies of one media type. */
export interface SeenBody {
  readonly type: string
  /** The values, where it is JSON or a form. */
  readonly seen: Seen | undefined
  count: number
}

/** What was seen of a parameter. */
export interface SeenParameter {
  readonly texts: SeenTexts
  /** In how many requests it was. */
  count: number
  /** How many of these had it several times. */
  repeated: number
  /** How many had several values with commas between. */
  listed: number
}

/** Everything that was seen of one operation. */
export interface OperationEvidence {
  readonly method: string
  readonly path: DraftedPath
  readonly count: number
  readonly pathValues: readonly SeenTexts[]
  readonly query: ReadonlyMap<string, SeenParameter>
  readonly headers: ReadonlyMap<string, SeenParameter>
  /** By media type. */
  readonly bodies: ReadonlyMap<string, SeenBody>
  /** How many requests had no body. */
  readonly without: number
  /** By status. */
  readonly answers: ReadonlyMap<number, { readonly bodies: Map<string, SeenBody>; count: number }>
  /** Ways of proving who calls, with the number of requests that had them. */
  readonly schemes: ReadonlyMap<string, { readonly scheme: DraftedScheme; count: number }>
  /** Is a list answered, or a record with one in it? */
  readonly isList: boolean
  /** What could not be looked into, and why. */
  readonly troubles: readonly string[]
}

/**
 * Goes through what was recorded of a path.
 *
 * @param xml what the bodies in XML hold
 */
export function evidenceOf(path: DraftedPath, xml: XmlValues): OperationEvidence[] {
  return [...byMethod(path)].map(
    ([method, recordings]) => new Gathering(method, path, recordings, xml),
  )
}

/** Headers that every program sends, and that say nothing of the service. */
const usualHeaders =
  /^(?::.*|accept(?:-.*)?|cache-control|connection|content-(?:encoding|length|type)|dnt|expect|forwarded|from|host|if-.*|keep-alive|origin|pragma|priority|range|referer|sec-.*|te|trailer|traceparent|tracestate|transfer-encoding|upgrade.*|user-agent|via|x-forwarded-.*|x-requested-with|x-real-ip)$/i

class Gathering implements OperationEvidence {
  readonly method: string
  readonly path: DraftedPath
  readonly count: number
  readonly pathValues: readonly SeenTexts[]
  readonly query = new Map<string, SeenParameter>()
  readonly headers = new Map<string, SeenParameter>()
  readonly bodies = new Map<string, SeenBody>()
  without = 0
  readonly answers = new Map<number, { bodies: Map<string, SeenBody>; count: number }>()
  readonly schemes = new Map<string, { scheme: DraftedScheme; count: number }>()
  isList = false
  readonly troubles: string[] = []
  private readonly xml: XmlValues

  constructor(
    method: string,
    path: DraftedPath,
    recordings: readonly PathRecording[],
    xml: XmlValues,
  ) {
    this.xml = xml
    this.method = method
    this.path = path
    this.count = recordings.length
    this.pathValues = path.parameters.map(() => new SeenTexts())
    for (const { recording, values } of recordings) {
      for (const [at, value] of values.entries()) this.pathValues[at]?.see(value)
      this.ask(recording)
      this.answer(recording)
    }
  }

  private ask(recording: Recording): void {
    const { url, headers, body } = recording
    const query = new Map<string, string[]>()
    for (const [name, value] of url.searchParams)
      if (!isSecretQuery(name)) addTo(query, name, value)
    for (const [name, values] of query) see(this.query, name, values)
    for (const [name, value] of headers)
      if (!usualHeaders.test(name) && !isSecretHeaderName(name)) see(this.headers, name, [value])
    for (const scheme of schemesOf(recording)) {
      const found = this.schemes.get(scheme.name)
      if (found === undefined) this.schemes.set(scheme.name, { scheme, count: 1 })
      else found.count += 1
    }
    if (body === undefined) this.without += 1
    else this.look(this.bodies, body, 'sent', this.nameSent(), recording.from)
  }

  private answer({ status, answer, from }: Recording): void {
    const found = this.answers.get(status)
    const at = found ?? { bodies: new Map<string, SeenBody>(), count: 0 }
    this.answers.set(status, at)
    at.count += 1
    if (answer === undefined) return
    const value = this.look(at.bodies, answer, 'received', this.nameAnswered(status), from)
    if (status < 300 && value !== undefined) this.isList ||= hasRows(value)
  }

  /** Looks into a body. @returns its value, where it is JSON */
  private look(
    bodies: Map<string, SeenBody>,
    body: RecordedBody,
    way: Way,
    path: readonly string[],
    from: string,
  ): JsonValue | undefined {
    const { type } = body
    const known = bodies.get(type)
    const isLookedInto = isJson(type) || isXml(type) || isForm(type)
    const at: SeenBody = known ?? {
      type,
      seen: isLookedInto ? new Seen(way, path, isXml(type)) : undefined,
      count: 0,
    }
    bodies.set(type, at)
    if (known === undefined && type.startsWith('multipart/'))
      this.troubles.push(`${from}: what lies in bodies of the type ${type} is not drafted`)
    // Where one thing has an address, it is called by its own name.
    if (this.path.isOne) at.seen?.callAfter(path, 1)
    at.count += 1
    if (at.seen === undefined || body.text === undefined) return undefined
    try {
      const value = this.valueOf(body, at.seen)
      if (value !== undefined) at.seen.see(value)
      return value
    } catch (error) {
      const reason = error instanceof Error ? error.message : String(error)
      this.troubles.push(
        `${from}: the ${way === 'sent' ? 'request' : 'answer'} is left out: ${reason}`,
      )
      return undefined
    }
  }

  private valueOf(body: RecordedBody, seen: Seen): JsonValue | undefined {
    if (isXml(body.type)) {
      const found = this.xml.of(body)
      seen.element ??= found?.element
      return found?.value
    }
    return isForm(body.type) ? formIn(body.text ?? '') : parseValues(body.text ?? '')
  }

  /** What that is called which is sent: a new one, a changed one. */
  private nameSent(): string[] {
    const thing = singular(this.path.resource)
    if (this.method === 'POST') return [`new ${thing}`]
    return [this.method === 'PATCH' ? `${thing} change` : `${thing} input`]
  }

  private nameAnswered(status: number): string[] {
    if (status >= 400) return ['failure']
    return [this.path.resource === '' ? 'answer' : this.path.resource]
  }
}

function see(all: Map<string, SeenParameter>, name: string, values: readonly string[]): void {
  const found = all.get(name) ?? { texts: new SeenTexts(), count: 0, repeated: 0, listed: 0 }
  all.set(name, found)
  found.count += 1
  if (values.length > 1) found.repeated += 1
  for (const value of values) {
    if (/^[^,\s]+(?:,[^,\s]+)+$/.test(value)) found.listed += 1
    found.texts.see(value)
  }
}

function isForm(type: string): boolean {
  return type === 'application/x-www-form-urlencoded'
}

function formIn(text: string): JsonValue {
  return Object.fromEntries(new URLSearchParams(text))
}

/** Has an answer rows: is it a list, or has it one under a name that says no more? */
function hasRows(value: JsonValue): boolean {
  if (Array.isArray(value)) return true
  return (
    isRecord(value) &&
    Object.entries(value).some(([name, each]) => isGeneral(name) && Array.isArray(each))
  )
}
