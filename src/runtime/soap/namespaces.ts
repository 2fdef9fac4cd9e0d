/** Namespaces that messages of SOAP are made of. */

export const soap11 = 'http://schemas.xmlsoap.org/soap/envelope/'
export const soap12 = 'http://www.w3.org/2003/05/soap-envelope'
/** SOAP's own encoding, of either version. */
export const soapEncoding = 'http://schemas.xmlsoap.org/soap/encoding/'
export const soapEncoding12 = 'http://www.w3.org/2003/05/soap-encoding'
export const xsiNamespace = 'http://www.w3.org/2001/XMLSchema-instance'
