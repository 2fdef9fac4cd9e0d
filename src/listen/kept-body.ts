import { brotliDecompressSync, gunzipSync, inflateRawSync, inflateSync } from 'node:zlib'

/** Of larger bodies only so much is kept; all of it is passed on. */
const most = 32 * 1024 * 1024

/** What went through of a body. */
export class KeptBody {
  /** How many bytes went through. */
  size = 0
  private readonly chunks: Buffer[] = []
  private kept = 0

  add(chunk: Buffer): void {
    this.size += chunk.length
    if (this.kept >= most) return
    const part = chunk.subarray(0, most - this.kept)
    this.chunks.push(part)
    this.kept += part.length
  }

  /** Is all of it kept? */
  get isWhole(): boolean {
    return this.kept === this.size
  }

  /** What was kept of it, as it came. */
  get bytes(): Buffer {
    return Buffer.concat(this.chunks)
  }

  /**
   * What was kept of it, decompressed.
   *
   * @param encoding the header `Content-Encoding`
   */
  decoded(encoding: string): Buffer {
    let bytes = this.bytes
    if (!this.isWhole) return bytes
    for (const each of encoding.split(',').reverse()) {
      const decode = decoders[each.trim().toLowerCase()]
      if (decode === undefined || bytes.length === 0) continue
      try {
        bytes = decode(bytes)
      } catch {
        return this.bytes
      }
    }
    return bytes
  }
}

/** So much comes out of what was compressed, and no more. */
const limits = { maxOutputLength: 4 * most }
const decoders: Readonly<Record<string, (bytes: Buffer) => Buffer>> = {
  gzip: (bytes) => gunzipSync(bytes, limits),
  'x-gzip': (bytes) => gunzipSync(bytes, limits),
  br: (bytes) => brotliDecompressSync(bytes, limits),
  // Some send it without its frame.
  deflate: (bytes) => {
    try {
      return inflateSync(bytes, limits)
    } catch {
      return inflateRawSync(bytes, limits)
    }
  },
}
