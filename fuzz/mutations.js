/** Documents with mistakes that keep their structure: what stands in one place stands in another, is gone, there twice, or makes no sense. */

/** The name that no generated code may have as an identifier of its own. */
export const marker = 'wentOverboard'

const junk = ['', ' ', 'x', '0', '-1', '1e400', '999999999999999999999', '#/', '#/components/schemas/', 'true', 'a.b.c', '__proto__', 'constructor', 'toString', '(a+)+$', '[', '*', '\u202e', '\u0000', '\ud800', '/dev/zero', '//host/x', '%', '../../x', 'Collection(Collection(Edm.Int32))', `*/ ${marker}() /*`, `'; ${marker}(); '`, `\`\${${marker}()}\``, `"]; ${marker}(); ["`, `</script><script>${marker}()</script>`, `\n${marker}()\n//`, `\u2028${marker}()`, 'x'.repeat(5000), '('.repeat(300)]

/** Numbers from 0 to below 1, the same ones for the same seed. */
export function randomFrom(seed) {
  let state = seed >>> 0
  return () => {
    state = (state + 0x6d2b79f5) >>> 0
    let mixed = Math.imul(state ^ (state >>> 15), state | 1)
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61)
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4294967296
  }
}

const pick = (items, random) => items[Math.floor(random() * items.length)]
const escaped = (text) => text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/"/g, '&quot;')

/** XML with one mistake. */
export function spoiledXml(text, random) {
  const attributes = [...text.matchAll(/(?<=\s)(?!xmlns)[\w:.]+="([^"]*)"/g)]
  const elements = [...text.matchAll(/<(?![/!?])[\w:]+[^<>]*\/>|<(?![/!?])([\w:]+)[^<>]*>[^<>]*<\/\1>/g)]
  const attribute = pick(attributes, random)
  const element = pick(elements, random)
  if (attribute === undefined || element === undefined) return text
  const replaced = (found, by) => text.slice(0, found.index) + by + text.slice(found.index + found[0].length)
  const valued = (value) => replaced(attribute, attribute[0].replace(/"[^"]*"$/, () => `"${value}"`))
  const ways = [
    () => valued(escaped(pick(junk, random))),
    () => valued(pick(attributes, random)[1]),
    () => replaced(attribute, ''),
    () => replaced(element, ''),
    () => replaced(element, element[0].repeat(2)),
    () => replaced(element, pick(elements, random)[0]),
    () => replaced(element, element[0] + pick(elements, random)[0]),
  ]
  return pick(ways, random)()
}

/** A tree of JSON with one mistake; changes it. */
export function spoilTree(tree, random) {
  const places = []
  const collect = (holder) => {
    for (const key of Object.keys(holder)) {
      places.push({ holder, key })
      if (typeof holder[key] === 'object' && holder[key] !== null) collect(holder[key])
    }
  }
  collect(tree)
  const { holder, key } = pick(places, random)
  const other = pick(places, random)
  const put = (name, value) => Object.defineProperty(holder, name, { value, enumerable: true, configurable: true, writable: true })
  const ways = [
    () => put(key, pick(junk, random)),
    () => put(key, pick([null, true, -1, 1e9, [], {}, [null], { $ref: '#' }], random)),
    () => put(key, structuredClone(other.holder[other.key])),
    () => (Array.isArray(holder) ? holder.splice(Number(key), 1) : Reflect.deleteProperty(holder, key)),
    () => (Array.isArray(holder) ? holder.push(structuredClone(holder[key])) : put(pick(junk, random), holder[key])),
    () => (Array.isArray(holder) ? holder.push(structuredClone(other.holder[other.key])) : put(other.key, structuredClone(other.holder[other.key]))),
  ]
  pick(ways, random)()
}
