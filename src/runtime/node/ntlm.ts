import { joinBytes } from '../plain.js'

/**
 * Company login over HTTP (NTLM, version 2 of its responses, as published in MS-NLMP): three
 * messages on one and the same connection.
 */

/** Who calls. */
export interface CompanyLogin {
  readonly user: string
  readonly password: string
  readonly domain?: string
  readonly workstation?: string
}

/** What Node's cryptography does here. */
export interface Md5 {
  /** HMAC-MD5 (RFC 2104). */
  hmac(key: Uint8Array, data: Uint8Array): Uint8Array
}

/** What the second message, the service's, says. */
export interface NtlmChallenge {
  readonly flags: number
  readonly challenge: Uint8Array
  /** What the service says of itself, to be sent back as it is. */
  readonly targetInfo: Uint8Array
}

const signature = new Uint8Array([0x4e, 0x54, 0x4c, 0x4d, 0x53, 0x53, 0x50, 0])
const flag = {
  unicode: 0x1,
  requestTarget: 0x4,
  ntlm: 0x200,
  alwaysSign: 0x8000,
  extendedSecurity: 0x80000,
  targetInfo: 0x800000,
  strong: 0x20000000,
  keyExchange: 0x40000000,
}
const wanted =
  flag.unicode | flag.requestTarget | flag.ntlm | flag.alwaysSign | flag.extendedSecurity

/** The first message (section 2.2.1.1): what we can do. */
export function negotiateMessage(): Uint8Array {
  const message = new Uint8Array(32)
  message.set(signature)
  const view = new DataView(message.buffer)
  view.setUint32(8, 1, true)
  view.setUint32(12, wanted, true)
  for (const at of [20, 28]) view.setUint32(at, 32, true)
  return message
}

/** Reads the second message (section 2.2.1.2). @throws Error when it is none */
export function readChallenge(message: Uint8Array): NtlmChallenge {
  const view = new DataView(message.buffer, message.byteOffset, message.byteLength)
  if (
    message.length < 32 ||
    signature.some((byte, at) => message[at] !== byte) ||
    view.getUint32(8, true) !== 2
  )
    throw new Error("the service's answer to the company login can't be read")
  const [length, offset] =
    message.length >= 48 ? [view.getUint16(40, true), view.getUint32(44, true)] : [0, 0]
  return {
    flags: view.getUint32(20, true),
    challenge: message.slice(24, 32),
    targetInfo: message.slice(offset, offset + length),
  }
}

/** What the client adds itself: given, so that it can be compared with published examples. */
export interface ClientChallenge {
  /** Eight bytes by chance. */
  readonly nonce: Uint8Array
  /** In tenths of a microsecond since 1601. */
  readonly timestamp: bigint
}

/** The responses to a challenge (section 3.3.2, NTLM v2). */
export function responses(
  { user, password, domain = '' }: CompanyLogin,
  { challenge, targetInfo }: Pick<NtlmChallenge, 'challenge' | 'targetInfo'>,
  { nonce, timestamp }: ClientChallenge,
  { hmac }: Md5,
): { readonly nt: Uint8Array; readonly lm: Uint8Array } {
  const key = hmac(md4(utf16(password)), utf16(user.toUpperCase() + domain))
  const blob = new Uint8Array(28 + targetInfo.length + 4)
  blob.set([1, 1])
  new DataView(blob.buffer).setBigUint64(8, timestamp, true)
  blob.set(nonce, 16)
  blob.set(targetInfo, 28)
  const proof = hmac(key, joinBytes([challenge, blob]))
  return {
    nt: joinBytes([proof, blob]),
    lm: joinBytes([hmac(key, joinBytes([challenge, nonce])), nonce]),
  }
}

/** The third message (section 2.2.1.3): the proof. */
export function authenticateMessage(
  login: CompanyLogin,
  challenge: NtlmChallenge,
  own: ClientChallenge,
  md5: Md5,
): Uint8Array {
  // A service that tells the time wants to hear it again (section 3.1.5.1.2).
  const { nt, lm } = responses(
    login,
    challenge,
    { ...own, timestamp: timeIn(challenge.targetInfo) ?? own.timestamp },
    md5,
  )
  const fields = [
    timeIn(challenge.targetInfo) === undefined ? lm : new Uint8Array(24),
    nt,
    utf16(login.domain ?? ''),
    utf16(login.user),
    utf16(login.workstation ?? ''),
    new Uint8Array(),
  ]
  const head = new Uint8Array(64)
  head.set(signature)
  const view = new DataView(head.buffer)
  view.setUint32(8, 3, true)
  let offset = head.length
  fields.forEach((field, at) => {
    view.setUint16(12 + at * 8, field.length, true)
    view.setUint16(14 + at * 8, field.length, true)
    view.setUint32(16 + at * 8, offset, true)
    offset += field.length
  })
  view.setUint32(60, challenge.flags & ~(flag.keyExchange | flag.strong) & 0xffffffff, true)
  return joinBytes([head, ...fields])
}

/** The time that a service tells among what it says of itself (section 2.2.2.1, MsvAvTimestamp). */
function timeIn(targetInfo: Uint8Array): bigint | undefined {
  const view = new DataView(targetInfo.buffer, targetInfo.byteOffset, targetInfo.byteLength)
  for (let at = 0; at + 4 <= targetInfo.length; at += 4 + view.getUint16(at + 2, true)) {
    const id = view.getUint16(at, true)
    if (id === 0) return undefined
    if (id === 7 && at + 12 <= targetInfo.length) return view.getBigUint64(at + 4, true)
  }
  return undefined
}

function utf16(text: string): Uint8Array {
  const bytes = new Uint8Array(text.length * 2)
  const view = new DataView(bytes.buffer)
  for (let at = 0; at < text.length; at += 1) view.setUint16(at * 2, text.charCodeAt(at), true)
  return bytes
}

/** The MD4 digest (RFC 1320), which newer cryptography leaves out. */
export function md4(bytes: Uint8Array): Uint8Array {
  const padded = new Uint8Array((((bytes.length + 8) >> 6) << 6) + 64)
  padded.set(bytes)
  padded[bytes.length] = 0x80
  const view = new DataView(padded.buffer)
  view.setUint32(padded.length - 8, bytes.length << 3, true)
  view.setUint32(padded.length - 4, Math.floor(bytes.length / 0x20000000), true)
  let state = [0x67452301, 0xefcdab89, 0x98badcfe, 0x10325476]
  for (let block = 0; block < padded.length; block += 64) {
    const start = state
    for (let step = 0; step < 48; step += 1) {
      const round = step >> 4
      const [a = 0, b = 0, c = 0, d = 0] = state
      const mixed = mixers[round]?.(b, c, d) ?? 0
      const mirrored = round === 1 ? (step % 4) * 4 + ((step >> 2) % 4) : (order[step % 16] ?? 0)
      const word = round === 0 ? step : mirrored
      const sum = (a + mixed + view.getUint32(block + word * 4, true) + (constants[round] ?? 0)) | 0
      const shift = shifts[round * 4 + (step % 4)] ?? 0
      state = [d, (sum << shift) | (sum >>> (32 - shift)), b, c]
    }
    state = state.map((word, at) => (word + (start[at] ?? 0)) | 0)
  }
  const digest = new DataView(new ArrayBuffer(16))
  state.forEach((word, at) => digest.setUint32(at * 4, word, true))
  return new Uint8Array(digest.buffer)
}

const constants = [0, 0x5a827999, 0x6ed9eba1]
const shifts = [3, 7, 11, 19, 3, 5, 9, 13, 3, 9, 11, 15]
const order = [0, 8, 4, 12, 2, 10, 6, 14, 1, 9, 5, 13, 3, 11, 7, 15]

/** What each round mixes its words with (RFC 1320, section 3.4). */
const mixers: readonly ((b: number, c: number, d: number) => number)[] = [
  (b, c, d) => (b & c) | (~b & d),
  (b, c, d) => (b & c) | (b & d) | (c & d),
  (b, c, d) => b ^ c ^ d,
]
