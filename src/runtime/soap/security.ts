import type { Login } from '../connection.js'
import { bytesToBase64 } from '../plain.js'
import type { QName } from './codec.js'
import type {} from './settings.js'
import type { XmlWriter } from './xml-writer.js'

/** Who calls, in the message itself (OASIS Web Services Security, UsernameToken Profile 1.1.1). */

const extensions =
  'http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-secext-1.0.xsd'
const utility = 'http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-utility-1.0.xsd'
const profile = 'http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-username-token-profile-1.0'
const messages = 'http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-soap-message-security-1.0'

/** A user name token in the header of SOAP messages. */
export const wsseLogin: Login = {
  kind: 'wsse',
  async proofOf(credential) {
    if (credential.kind !== 'wsse') return undefined
    const token = await userNameToken(credential)
    return (writer, soapNamespace) => writeSecurity(writer, soapNamespace, token)
  },
}

/** A user name token as it is written. */
interface UserNameToken {
  readonly user: string
  /** The password, or its digest. */
  readonly password: string
  readonly isDigest: boolean
  readonly nonce: string
  readonly created: string
}

/**
 * Makes a token for one message. With `digest` the password itself does not travel: what does is a
 * digest of it with a nonce and the time (section 3.1).
 */
async function userNameToken(credential: {
  readonly user: string
  readonly password: string
  readonly digest?: boolean
}): Promise<UserNameToken> {
  const { user, password, digest = false } = credential
  const nonce = crypto.getRandomValues(new Uint8Array(16))
  const created = new Date().toISOString().replace(/\.\d+/, '')
  return {
    user,
    isDigest: digest,
    nonce: bytesToBase64(nonce),
    created,
    password: digest ? await digestOf(nonce, created, password) : password,
  }
}

async function digestOf(nonce: Uint8Array, created: string, password: string): Promise<string> {
  const rest = new TextEncoder().encode(created + password)
  const all = new Uint8Array(nonce.length + rest.length)
  all.set(nonce)
  all.set(rest, nonce.length)
  return bytesToBase64(new Uint8Array(await crypto.subtle.digest('SHA-1', all)))
}

/** Writes the header that holds a token. */
function writeSecurity(writer: XmlWriter, soapNamespace: string, token: UserNameToken): void {
  const element = (
    name: QName,
    text: string,
    attribute?: readonly [name: QName, value: string],
  ): void => {
    writer.start(name)
    if (attribute !== undefined) writer.attribute(...attribute)
    writer.text(text)
    writer.end(name)
  }
  writer.start([extensions, 'Security'])
  writer.attribute([soapNamespace, 'mustUnderstand'], '1')
  writer.start([extensions, 'UsernameToken'])
  element([extensions, 'Username'], token.user)
  element([extensions, 'Password'], token.password, [
    ['', 'Type'],
    `${profile}#${token.isDigest ? 'PasswordDigest' : 'PasswordText'}`,
  ])
  element([extensions, 'Nonce'], token.nonce, [['', 'EncodingType'], `${messages}#Base64Binary`])
  element([utility, 'Created'], token.created)
  writer.end([extensions, 'UsernameToken'])
  writer.end([extensions, 'Security'])
}
