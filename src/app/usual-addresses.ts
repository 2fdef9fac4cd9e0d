/** How services are usually asked for their metadata: added to their address. */
const usual = [
  '?wsdl',
  '?singleWsdl',
  '/$metadata',
  '/openapi.json',
  '/openapi.yaml',
  '/swagger.json',
]

/** Words in links that lead to metadata. */
const telling = /[?&](?:single)?wsdl\b|\$metadata$|\/(?:openapi|swagger)\.(?:json|ya?ml)$/i

/**
 * Where the metadata of a service may be, whose address or whose help page was given: where the page
 * links to, then the usual addresses.
 *
 * @param page what the address answered, where it did
 */
export function usualAddresses(location: string, page = ''): string[] {
  const { origin, pathname, href } = new URL(location)
  const links = [...page.matchAll(/\bhref\s*=\s*["']([^"'<>\s]{1,500})["']/gi)].flatMap(
    ([, link = '']) => {
      const text = link.replaceAll('&amp;', '&')
      if (!telling.test(text) || !URL.canParse(text, location)) return []
      const target = new URL(text, location)
      return target.origin === origin ? [target.href] : []
    },
  )
  const base = `${origin}${pathname.replace(/\/+$/, '')}`
  return [...new Set([...links.slice(0, 4), ...usual.map((each) => base + each)])].filter(
    (each) => each !== href,
  )
}
