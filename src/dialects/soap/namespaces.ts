/** Namespaces of the standards this dialect reads. */
export const xsd = 'http://www.w3.org/2001/XMLSchema'
export const xsi = 'http://www.w3.org/2001/XMLSchema-instance'
/**
 * The namespace of `xml:lang` and its kind, which needs no declaration (Namespaces 1.0, section 3).
 */
export const xmlNamespace = 'http://www.w3.org/XML/1998/namespace'
export const wsdl = 'http://schemas.xmlsoap.org/wsdl/'
export const wsdl20 = 'http://www.w3.org/ns/wsdl'
export const soap11Binding = 'http://schemas.xmlsoap.org/wsdl/soap/'
export const soap12Binding = 'http://schemas.xmlsoap.org/wsdl/soap12/'
export const httpBinding = 'http://schemas.xmlsoap.org/wsdl/http/'
export const mimeBinding = 'http://schemas.xmlsoap.org/wsdl/mime/'
export const policyNamespaces: readonly string[] = [
  'http://schemas.xmlsoap.org/ws/2004/09/policy',
  'http://www.w3.org/ns/ws-policy',
]
export const securityPolicyNamespaces: readonly string[] = [
  'http://docs.oasis-open.org/ws-sx/ws-securitypolicy/200702',
  'http://docs.oasis-open.org/ws-sx/ws-securitypolicy/200512',
  'http://schemas.xmlsoap.org/ws/2005/07/securitypolicy',
  'http://schemas.microsoft.com/ws/06/2004/policy/http',
]
export const addressingNamespaces: readonly string[] = [
  'http://www.w3.org/2006/05/addressing/wsdl',
  'http://www.w3.org/2007/05/addressing/metadata',
]
export const soapEncoding = 'http://schemas.xmlsoap.org/soap/encoding/'
/** References to attachments (WS-I Attachments Profile 1.0, section 4.4). */
export const attachmentsProfile = 'http://ws-i.org/profiles/basic/1.1/xsd'
export const mtomPolicyNamespaces: readonly string[] = [
  'http://schemas.xmlsoap.org/ws/2004/09/policy/optimizedmimeserialization',
  'http://www.w3.org/2007/08/soap12-mtom-policy',
]
/** The encoding of SOAP, in both versions. */
export const soapEncodings: readonly string[] = [
  soapEncoding,
  'http://www.w3.org/2003/05/soap-encoding',
]
