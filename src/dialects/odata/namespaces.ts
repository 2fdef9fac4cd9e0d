/**
 * The namespaces of metadata documents: OData 4 (CSDL XML 4.01, section 2), and what came before.
 */

export const edmx4 = 'http://docs.oasis-open.org/odata/ns/edmx'
export const edm4 = 'http://docs.oasis-open.org/odata/ns/edm'
export const edmx2 = 'http://schemas.microsoft.com/ado/2007/06/edmx'
/** What V1 to V3 add to CSDL: versions, methods of function imports. */
export const dataMetadata = 'http://schemas.microsoft.com/ado/2007/08/dataservices/metadata'
export const sap = 'http://www.sap.com/Protocols/SAPData'
/** Service documents of V1 to V3. */
export const atomService = 'http://www.w3.org/2007/app'

const edmNamespaces: ReadonlySet<string> = new Set([
  edm4,
  ...['2006/04', '2007/05', '2008/01', '2008/09', '2009/08', '2009/11', '2010/02'].map(
    (month) => `http://schemas.microsoft.com/ado/${month}/edm`,
  ),
])

/** Is it a namespace of CSDL, of whatever version? */
export function isEdm(namespace: string): boolean {
  return edmNamespaces.has(namespace)
}
