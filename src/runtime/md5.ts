/**
 * The MD5 digest (RFC 1321) of a text, as hexadecimal digits: what Digest logins (RFC 7616) need,
 * and what the platform's own cryptography leaves out.
 */
export function md5(text: string): string {
  const bytes = new TextEncoder().encode(text)
  const length = bytes.length
  const padded = new Uint8Array((((length + 8) >> 6) << 6) + 64)
  padded.set(bytes)
  padded[length] = 0x80
  const view = new DataView(padded.buffer)
  view.setUint32(padded.length - 8, length << 3, true)
  view.setUint32(padded.length - 4, Math.floor(length / 0x20000000), true)
  let [a, b, c, d] = [0x67452301, 0xefcdab89, 0x98badcfe, 0x10325476]
  for (let block = 0; block < padded.length; block += 64) {
    const [a0, b0, c0, d0] = [a, b, c, d]
    for (let step = 0; step < 64; step += 1) {
      const round = step >> 4
      const mixed = mixers[round]?.(b, c, d) ?? 0
      const [factor, start] = orders[round] ?? [1, 0]
      const word = (factor * step + start) % 16
      const sum = (a + mixed + (sines[step] ?? 0) + view.getUint32(block + word * 4, true)) | 0
      const shift = shifts[round * 4 + (step % 4)] ?? 0
      ;[a, d, c, b] = [d, c, b, (b + ((sum << shift) | (sum >>> (32 - shift)))) | 0]
    }
    ;[a, b, c, d] = [(a + a0) | 0, (b + b0) | 0, (c + c0) | 0, (d + d0) | 0]
  }
  const digest = new DataView(new ArrayBuffer(16))
  for (const [at, word] of [a, b, c, d].entries()) digest.setUint32(at * 4, word, true)
  return [...new Uint8Array(digest.buffer)]
    .map((byte) => byte.toString(16).padStart(2, '0'))
    .join('')
}

const shifts: readonly number[] = [7, 12, 17, 22, 5, 9, 14, 20, 4, 11, 16, 23, 6, 10, 15, 21]
const sines: readonly number[] = /* @__PURE__ */ Array.from({ length: 64 }, (_, at) =>
  Math.floor(Math.abs(Math.sin(at + 1)) * 2 ** 32),
)

/** What each round mixes its words with (RFC 1321, section 3.4). */
const mixers: readonly ((b: number, c: number, d: number) => number)[] = [
  (b, c, d) => (b & c) | (~b & d),
  (b, c, d) => (d & b) | (~d & c),
  (b, c, d) => b ^ c ^ d,
  (b, c, d) => c ^ (b | ~d),
]

/** Which word comes next: a factor and a start for each round. */
const orders: readonly (readonly [number, number])[] = [
  [1, 0],
  [5, 1],
  [3, 5],
  [7, 0],
]
