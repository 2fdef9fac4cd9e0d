import type { SecurityScheme } from '../../contract/contract.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import type { Notes } from '../notes.js'
import {
  addressingNamespaces,
  mtomPolicyNamespaces,
  policyNamespaces,
  securityPolicyNamespaces,
} from './namespaces.js'

/**
 * Does a binding or a port ask for something: by an element in it, or by a policy that it refers to
 * (WS-PolicyAttachment, section 4)?
 *
 * @param roots where policies stand
 * @param asks recognises the assertion
 */
export function asksFor(
  elements: readonly XmlElement[],
  roots: readonly XmlElement[],
  asks: (element: XmlElement) => boolean,
): boolean {
  const isOptional = (element: XmlElement): boolean =>
    element.attributes.some(
      ({ local, value }) =>
        (local === 'Optional' && value === 'true') || (local === 'required' && value === 'false'),
    )
  const holds = (element: XmlElement): boolean =>
    (asks(element) && !isOptional(element)) ||
    (!isOptional(element) && element.children.some(holds))
  const references = elements.flatMap(policiesNamed)
  const policies = roots.flatMap((root) =>
    root.children.filter(
      (child) =>
        policyNamespaces.includes(child.namespace) &&
        references.includes(child.attributes.find(({ local }) => local === 'Id')?.value ?? ''),
    ),
  )
  return [
    ...elements.flatMap((element) =>
      element.children.filter((child) => child.local !== 'operation'),
    ),
    ...policies,
  ].some(holds)
}

/**
 * The ids of the policies that an element refers to, by elements in it or by an attribute
 * (WS-Policy Attachment 1.5, section 3.3).
 */
function policiesNamed(element: XmlElement): string[] {
  const attribute = policyNamespaces
    .map((namespace) => element.attribute('PolicyURIs', namespace))
    .find((each) => each !== undefined)
  const inside = element.children
    .filter((child) => child.local === 'PolicyReference')
    .map((child) => child.attributes.find(({ local }) => local === 'URI')?.value ?? '')
  return [...inside, ...(attribute?.split(/\s+/) ?? [])].map((each) => each.replace(/^#/, ''))
}

export function asksForAddressing({ namespace, local }: XmlElement): boolean {
  return (
    addressingNamespaces.includes(namespace) && ['UsingAddressing', 'Addressing'].includes(local)
  )
}

export function asksForMtom({ namespace, local }: XmlElement): boolean {
  return (
    mtomPolicyNamespaces.includes(namespace) &&
    ['OptimizedMimeSerialization', 'MTOM'].includes(local)
  )
}

/** Assertions that say how others are to be understood, and ask for nothing themselves. */
const frames = [
  'TransportBinding',
  'TransportToken',
  'HttpsToken',
  'SupportingTokens',
  'SignedSupportingTokens',
  'SignedEncryptedSupportingTokens',
  'EncryptedSupportingTokens',
  'AlgorithmSuite',
  'Layout',
  'Lax',
  'Strict',
  'Basic128',
  'Basic256',
  'Basic256Sha256',
  'WssUsernameToken10',
  'WssUsernameToken11',
  'NoPassword',
  // What must be supported of other standards, for tokens that nobody asks for here.
  'Wss10',
  'Wss11',
  'Trust10',
  'Trust13',
  'MustSupportRefKeyIdentifier',
  'MustSupportRefIssuerSerial',
  'MustSupportRefThumbprint',
  'MustSupportRefEncryptedKey',
  'MustSupportRefEmbeddedToken',
  'MustSupportRefExternalURI',
  'MustSupportIssuedTokens',
  'RequireClientEntropy',
  'RequireServerEntropy',
]
/** Assertions that ask for signatures or encryption. */
const sealed = [
  'AsymmetricBinding',
  'SymmetricBinding',
  'SignedParts',
  'EncryptedParts',
  'SignedElements',
  'EncryptedElements',
  'EndorsingSupportingTokens',
  'SignedEndorsingSupportingTokens',
  'ProtectionToken',
  'X509Token',
  'SamlToken',
  'IssuedToken',
  'KerberosToken',
]

/**
 * Reads policies (WS-Policy 1.5, with WS-SecurityPolicy 1.2) as far as telling which credential is
 * wanted.
 *
 * @returns the ways of proving who calls that they name; what else they ask for is told in notes
 */
export function readPolicies(roots: readonly XmlElement[], notes: Notes): SecurityScheme[] {
  const found = new Map<SecurityScheme['scheme'], SecurityScheme>()
  const assertion = (element: XmlElement): void => {
    const { origin, local } = element
    const isSecurity = securityPolicyNamespaces.includes(element.namespace)
    if (isSecurity && local === 'UsernameToken') {
      const digest = element.children.some(function hashed(child): boolean {
        return child.local === 'HashPassword' || child.children.some(hashed)
      })
      found.set('usernameToken', {
        name: digest ? 'user name token with digest' : 'user name token',
        scheme: 'usernameToken',
        origin,
      })
      notes.add(
        'approximated',
        'TM-2115',
        {
          what: `a user name token${digest ? ' with a digest of the password' : ''}`,
          kind: 'wsse',
        },
        origin,
      )
    } else if (isSecurity && ['HttpBasicAuthentication', 'BasicAuthentication'].includes(local)) {
      found.set('basic', { name: 'basic', scheme: 'basic', origin })
      notes.add(
        'approximated',
        'TM-2115',
        { what: 'a login with user and password (HTTP basic)', kind: 'basic' },
        origin,
      )
    } else if (isSecurity && sealed.includes(local))
      notes.add('refused', 'TM-2116', { element: element.name }, origin)
    else if (
      addressingNamespaces.includes(element.namespace) ||
      mtomPolicyNamespaces.includes(element.namespace)
    )
      return
    else if (policyNamespaces.includes(element.namespace) || (isSecurity && frames.includes(local)))
      element.children.forEach(assertion)
    else notes.add('ignored', 'TM-2113', { element: element.name }, origin)
  }
  const visit = (element: XmlElement): void => {
    if (
      policyNamespaces.includes(element.namespace) ||
      addressingNamespaces.includes(element.namespace) ||
      mtomPolicyNamespaces.includes(element.namespace)
    ) {
      assertion(element)
      element.readWhole()
    } else element.children.forEach(visit)
  }
  roots.forEach(visit)
  return [...found.values()]
}
