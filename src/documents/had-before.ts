import { isWebAddress, withoutSecrets, type Fetched } from './fetching.js'

/** What a server says of a document, by which it can tell whether it has changed (RFC 9110, 8.8). */
export interface Validators {
  readonly etag?: string
  readonly modified?: string
}

/** A document as it was had before. */
export interface HadDocument extends Validators {
  /** Its address, without secrets. */
  readonly from: string
  readonly bytes: Uint8Array
}

/** Documents that were had before: they are asked for at once, and only come where they changed. */
export class HadBefore {
  private readonly documents: ReadonlyMap<string, HadDocument>
  private readonly ahead = new Map<string, Promise<Fetched>>()

  constructor(documents: readonly HadDocument[]) {
    this.documents = new Map(
      documents
        .filter(({ from }) => isWebAddress(from))
        .map((document) => [document.from, document]),
    )
  }

  of(address: string): HadDocument | undefined {
    return this.documents.get(withoutSecrets(address))
  }

  /** Asks for all of them; who needs one waits for it later. */
  start(fetch: (address: string) => Promise<Fetched>): void {
    for (const [address, { from }] of this.documents) {
      // Secrets in an address are not kept: such a one is fetched when it is met.
      if (from.includes('=***')) continue
      const fetched = fetch(address)
      fetched.catch(() => undefined)
      this.ahead.set(address, fetched)
    }
  }

  /** A document that was asked for already. */
  asked(address: string): Promise<Fetched> | undefined {
    return this.ahead.get(address)
  }
}
