import { connect, type PeerCertificate } from 'node:tls'
import { printable } from '../../contract/problem.js'

/** Whoever does not show a certificate within this time is not waited for. */
const longest = 3000

/**
 * What the certificate of a host says of itself: for whom it is, who signed it, until when it
 * holds. Nothing is sent over that connection.
 *
 * @returns a line for people, or undefined where there is none to be had
 */
export async function certificateFacts(address: string): Promise<string | undefined> {
  const certificate = await certificateOf(address)
  return certificate === undefined ? undefined : inWords(certificate)
}

/** Until when the certificate of a host holds; undefined where there is none to be had. */
export async function certificateEnd(address: string): Promise<Date | undefined> {
  const { valid_to: until } = (await certificateOf(address)) ?? {}
  return until === undefined || until === '' ? undefined : new Date(until)
}

function certificateOf(address: string): Promise<PeerCertificate | undefined> {
  const { hostname, port } = new URL(address)
  return new Promise((resolve) => {
    const isName = !/^[\d.]+$|:/.test(hostname)
    const socket = connect(
      {
        host: hostname.replace(/^\[|\]$/g, ''),
        port: port === '' ? 443 : Number(port),
        rejectUnauthorized: false,
        ...(isName ? { servername: hostname } : {}),
      },
      () => end(socket.getPeerCertificate()),
    )
    const timer = setTimeout(() => end(undefined), longest)
    function end(certificate: PeerCertificate | undefined): void {
      clearTimeout(timer)
      socket.destroy()
      resolve(certificate)
    }
    socket.on('error', () => end(undefined))
  })
}

function inWords({
  subject,
  issuer,
  subjectaltname,
  valid_to: until,
}: PeerCertificate): string | undefined {
  const name = (of: PeerCertificate['subject'] | undefined): string =>
    printable([of?.CN ?? of?.O ?? 'nobody in particular'].flat().join(', '), 100)
  if (subject === undefined && issuer === undefined) return undefined
  const names = (subjectaltname ?? '')
    .split(', ')
    .map((each) => each.replace(/^(?:DNS|IP Address):/, ''))
    .filter((each) => each !== '')
  return `its certificate is for ${names.length === 0 ? name(subject) : printable(names.slice(0, 6).join(', '), 200)}, signed by "${name(issuer)}", and holds until ${new Date(until).toISOString().slice(0, 10)}`
}
