import type { MetadataPlaces } from '../../dialects/dialect.js'

/**
 * Where the metadata of a service may be, whose address or whose help page was given: where the
 * page links to, then the usual addresses.
 *
 * @param places where the dialects have it
 * @param page what the address answered, where it did
 */
export function usualAddresses(
  location: string,
  places: readonly MetadataPlaces[],
  page = '',
): string[] {
  const { origin, pathname, href } = new URL(location)
  const links = [...page.matchAll(/\bhref\s*=\s*["']([^"'<>\s]{1,500})["']/gi)].flatMap(
    ([, link = '']) => {
      const text = link.replaceAll('&amp;', '&')
      const isTelling = places.some((each) => each.links.test(text))
      if (!isTelling || !URL.canParse(text, location)) return []
      const target = new URL(text, location)
      return target.origin === origin ? [target.href] : []
    },
  )
  const base = `${origin}${pathname.replace(/\/+$/, '')}`
  const usual = places.flatMap(({ addresses }) => addresses.map((each) => base + each))
  return [...new Set([...links.slice(0, 4), ...usual])].filter((each) => each !== href)
}
