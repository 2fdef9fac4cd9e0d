/**
 * Translates a regular expression of XML Schema (part 2, appendix F) into an ECMAScript source for
 * the `u` flag.
 *
 * @returns the source, to be anchored by whoever uses it; or undefined when it uses what
 *   ECMAScript can't say (class subtraction, Unicode blocks) or is not a valid expression
 */
export function translatePattern(pattern: string): string | undefined {
  let out = ''
  let insideClass = false
  for (let at = 0; at < pattern.length; at += 1) {
    const c = pattern.charAt(at)
    if (c === '\\') {
      at += 1
      const escaped = translateEscape(pattern.charAt(at), insideClass)
      if (escaped === undefined) return undefined
      if (escaped === '\\p' || escaped === '\\P') {
        const property = /^\{([^}]*)\}/.exec(pattern.slice(at + 1))?.[1]
        if (property === undefined || property.startsWith('Is')) return undefined
        out += `${escaped}{${property}}`
        at += property.length + 2
      } else out += escaped
    } else if (insideClass) {
      if (c === '-' && pattern.charAt(at + 1) === '[') return undefined
      if (c === '[') out += '\\['
      else if (c === '-' && (pattern.charAt(at + 1) === ']' || /\[\^?$/.test(out))) out += '\\-'
      else out += c
      if (c === ']') insideClass = false
    } else if (c === '[') {
      insideClass = true
      out += c
      if (pattern.charAt(at + 1) === '^') {
        out += '^'
        at += 1
      }
    } else if (c === '^' || c === '$' || c === '/') out += `\\${c}`
    else if (c === '.') out += '[^\\n\\r]'
    else if (c === '{' && !/^\{\d+(?:,\d*)?\}/.test(pattern.slice(at))) return undefined
    else if (c === '(') out += '(?:'
    else out += c
  }
  try {
    new RegExp(`^(?:${out})$`, 'u')
    return out
  } catch {
    return undefined
  }
}

function translateEscape(c: string, insideClass: boolean): string | undefined {
  const negatable = (inner: string): string => (insideClass ? inner : `[${inner}]`)
  switch (c) {
    case 'i':
      return negatable('\\p{L}_:')
    case 'c':
      return negatable('\\p{L}\\p{N}\\p{M}._:·\\-')
    case 'I':
      return insideClass ? undefined : '[^\\p{L}_:]'
    case 'C':
      return insideClass ? undefined : '[^\\p{L}\\p{N}\\p{M}._:·\\-]'
    case 'd':
      return '\\p{Nd}'
    case 'D':
      return '\\P{Nd}'
    case 'w':
      return negatable('\\p{L}\\p{M}\\p{N}\\p{S}')
    case 'W':
      return insideClass ? undefined : '[^\\p{L}\\p{M}\\p{N}\\p{S}]'
    case 's':
      return negatable(' \\t\\n\\r')
    case 'S':
      return insideClass ? undefined : '[^ \\t\\n\\r]'
    case 'n':
    case 'r':
    case 't':
      return `\\${c}`
    case 'p':
    case 'P':
      return `\\${c}`
    case '-':
      return insideClass ? '\\-' : '-'
    default:
      return /[\\|.?*+(){}[\]^$/]/.test(c) ? `\\${c}` : undefined
  }
}
