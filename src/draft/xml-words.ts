import { Remarked } from './remarked.js'
import { plainName, textMember, type Seen } from './seen.js'

/** Says how schemas stand in XML (OpenAPI 3.1, section 4.8.26; `nodeType` of 3.2). */
export class XmlWords {
  private readonly namespaces: ReadonlyMap<string, string>

  /** @param namespaces of elements, by their names */
  constructor(namespaces: ReadonlyMap<string, string> = new Map()) {
    this.namespaces = namespaces
  }

  /** The element of a record. */
  record({ isXml, element }: Seen): object {
    return isXml && element !== undefined ? { xml: this.element(element) } : {}
  }

  private element(name: string): object {
    const namespace = this.namespaces.get(name)
    return { name, ...(namespace === undefined ? {} : { namespace }) }
  }

  /** The schema of a member of a record, with what it is there. */
  member(schema: unknown, member: string, called: string, seen: Seen): unknown {
    if (member === textMember) return withXml(schema, { nodeType: 'text' })
    if (!member.startsWith('@')) return this.named(schema, member, seen)
    const name = plainName(member)
    return withXml(schema, { ...(name === called ? {} : { name }), attribute: true })
  }

  /** The element of a whole body. */
  root(schema: unknown, { element = 'root', now }: Seen): unknown {
    const isNamed = refersTo(schema) && now.element === element
    return isNamed ? schema : withXml(schema, this.element(element))
  }

  /** The items of a list with an element around it. */
  item(schema: unknown, name: string, seen: Seen | undefined): unknown {
    return refersTo(schema) ? this.named(schema, name, seen) : withXml(schema, { name })
  }

  /** What is referred to may be called otherwise elsewhere. */
  private named(schema: unknown, name: string, seen: Seen | undefined): unknown {
    if (schema instanceof Remarked)
      return new Remarked(this.named(schema.value, name, seen), schema.remark)
    if (refersTo(schema))
      return seen?.element === name ? schema : withXml(schema, this.element(name))
    const { items, xml } = schema as { readonly items?: unknown; readonly xml?: object }
    return items === undefined || xml !== undefined
      ? schema
      : { ...(schema as object), items: this.named(items, name, seen?.items?.now) }
  }
}

function refersTo(schema: unknown): boolean {
  return typeof schema === 'object' && schema !== null && '$ref' in schema
}

function withXml(schema: unknown, xml: object): unknown {
  if (schema instanceof Remarked) return new Remarked(withXml(schema.value, xml), schema.remark)
  const own = schema as { readonly xml?: object }
  return { ...own, xml: { ...own.xml, ...xml } }
}

/** Is it an element that has nothing but others of one name? */
export function isWrapper({ isXml, members, records }: Seen): boolean {
  if (!isXml || records.length === 0 || members.size !== 1) return false
  const [[name, { seen }] = ['', { seen: undefined }]] = members
  const inside = seen?.now
  return inside !== undefined && !/^[@#]/.test(name) && inside.lists.count === inside.count
}

/** What a member of a record is called: an attribute that an element is called like is marked. */
export function propertyName({ isXml, members }: Seen, member: string): string {
  if (!isXml) return member
  const name = plainName(member)
  if (name === member || !members.has(name)) return name
  return `${name}${member === textMember ? 'Content' : 'Attribute'}`
}
