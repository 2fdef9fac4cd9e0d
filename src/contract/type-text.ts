import type { Contract, ScalarType, Type } from './contract.js'
import { namedType } from './queries.js'

/** A type in words: the neutral base for simple values, the metadata's name for others. */
export function typeText(contract: Contract, type: Type, depth = 0): string {
  // Lists and maps can be made of themselves.
  if (depth > 6) return '…'
  const inside = (part: Type): string => typeText(contract, part, depth + 1)
  switch (type.kind) {
    case 'reference': {
      const named = namedType(contract, type.to)
      return named.kind === 'list' || named.kind === 'map' ? inside(named) : named.name
    }
    case 'scalar':
      return scalarText(type)
    case 'list':
      return bracketed(inside(type.item), '[]')
    case 'enumeration':
      return type.members.map((member) => member.value).join(' | ')
    case 'fragment':
      return 'any value'
    case 'literal':
      return String(type.value)
    case 'union':
      return type.alternatives
        .map((each) =>
          each.kind === 'record'
            ? `{ ${each.fields.map((field) => `${field.name}: ${inside(field.type)}`).join(', ')} }`
            : inside(each),
        )
        .join(' | ')
    case 'intersection':
      return type.parts
        .map((each) => (each.kind === 'record' ? fieldCount(each.fields.length) : inside(each)))
        .join(' & ')
    case 'map':
      return `{ [name]: ${inside(type.value)} }`
    default:
      return type.kind
  }
}

/**
 * A simple value: its base, with the format of JSON Schema where that says more, as `uuid` of a
 * text.
 */
function scalarText({ base, format }: ScalarType): string {
  if (base === 'double' && format === 'integer') return 'integer'
  const isTelling = /^[a-z][\w-]*$/i.test(format) && format !== 'string' && format !== base
  return base === 'text' && isTelling ? `text (${format})` : base
}

function bracketed(text: string, after: string): string {
  return /[|&]/.test(text) ? `(${text})${after}` : `${text}${after}`
}

/** A number of fields in words. */
export function fieldCount(count: number): string {
  return `${count} ${count === 1 ? 'field' : 'fields'}`
}
