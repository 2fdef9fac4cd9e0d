import { joinBytes } from '../plain.js'
import type { Incoming } from './platform.js'

/** The headers of an answer: what reads them of the platform's `Headers`. */
class PlainHeaders {
  private readonly values = new Map<string, string>()

  /** @param raw names and values in turn, as they came */
  constructor(raw: readonly string[]) {
    for (let at = 0; at + 1 < raw.length; at += 2) {
      const name = (raw[at] ?? '').toLowerCase()
      const before = this.values.get(name)
      this.values.set(
        name,
        before === undefined ? (raw[at + 1] ?? '') : `${before}, ${raw[at + 1] ?? ''}`,
      )
    }
  }

  get(name: string): string | null {
    return this.values.get(name.toLowerCase()) ?? null
  }

  has(name: string): boolean {
    return this.values.has(name.toLowerCase())
  }

  forEach(use: (value: string, name: string) => void): void {
    for (const [name, value] of this.values) use(value, name)
  }

  entries(): IterableIterator<[string, string]> {
    return this.values.entries()
  }

  [Symbol.iterator](): IterableIterator<[string, string]> {
    return this.values.entries()
  }
}

async function* nothing(): AsyncGenerator<Uint8Array, void, undefined> {}

/**
 * An answer: what reads one of the platform's `Response`. Loading that one takes longer than most
 * calls.
 */
export class PlainResponse {
  readonly status: number
  readonly ok: boolean
  readonly url: string
  readonly redirected: boolean
  readonly headers: PlainHeaders
  private readonly source: Incoming | undefined
  private readonly toWeb: (stream: Incoming) => ReadableStream<Uint8Array>
  private stream: ReadableStream<Uint8Array> | undefined

  /** @param source its body, decompressed; undefined where it has none */
  constructor(
    facts: {
      readonly status: number
      readonly url: string
      readonly redirected: boolean
      readonly rawHeaders: readonly string[]
    },
    source: Incoming | undefined,
    toWeb: (stream: Incoming) => ReadableStream<Uint8Array>,
  ) {
    this.status = facts.status
    this.ok = facts.status >= 200 && facts.status < 300
    this.url = facts.url
    this.redirected = facts.redirected
    this.headers = new PlainHeaders(facts.rawHeaders)
    this.source = source
    this.toWeb = toWeb
  }

  get body(): ReadableStream<Uint8Array> | null {
    if (this.source === undefined) return null
    this.stream ??= this.toWeb(this.source)
    return this.stream
  }

  /** The body as it comes, for whoever counts. */
  get pieces(): AsyncIterable<Uint8Array> {
    return this.source ?? nothing()
  }

  async arrayBuffer(): Promise<ArrayBuffer> {
    const pieces: Uint8Array[] = []
    for await (const piece of this.pieces) pieces.push(piece)
    return joinBytes(pieces).buffer as ArrayBuffer
  }

  async text(): Promise<string> {
    return new TextDecoder().decode(await this.arrayBuffer())
  }

  async json(): Promise<unknown> {
    return JSON.parse(await this.text()) as unknown
  }
}
