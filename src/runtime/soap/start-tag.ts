/** An attribute as an XML document has it (Namespaces in XML 1.0). */
export interface TagAttribute {
  /** With its prefix. */
  readonly name: string
  readonly prefix: string
  readonly local: string
  /** The name of its namespace; empty where it has none. */
  readonly uri: string
  readonly value: string
}

/**
 * The start of an element, as the parser tells it. Declared here, so that whoever uses a client needs
 * no declarations of the parser's.
 */
export interface StartTag {
  /** With its prefix. */
  readonly name: string
  readonly prefix: string
  readonly local: string
  /** The name of its namespace; empty where it has none. */
  readonly uri: string
  readonly attributes: Readonly<Record<string, TagAttribute>>
  /** The namespaces declared on it, by prefix. */
  readonly ns: Readonly<Record<string, string>>
}
