import { readdir, readFile } from 'node:fs/promises'
import { basename, join, relative, sep } from 'node:path'
import pMap from 'p-map'
import { problem } from '../contract/problem.js'
import { decodeText } from './text.js'

/** What a reference between documents says of what it names. */
export interface Wanted {
  /** The namespace that it is for (XML Schema part 1, section 4.2.6; WSDL 1.1, section 2.1.1). */
  readonly namespace: string
  /** The local name of its root element: `schema`, `definitions`. */
  readonly root: string
}

/** The documents of one contract, handed over in a folder. */
export class DocumentFolder {
  private readonly folder: string
  private readonly files: readonly { readonly path: string; readonly text: string }[]

  private constructor(folder: string, files: DocumentFolder['files']) {
    this.folder = folder
    this.files = files
  }

  /** @throws Problem TM-2012 when there are more files than `most`, TM-2014 */
  static async read(folder: string, most: number): Promise<DocumentFolder> {
    const entries = await readdir(folder, { withFileTypes: true, recursive: true })
    const paths = entries
      .filter(
        (entry) => entry.isFile() && /\.(wsdl|xsd|xml|edmx|csdl|ya?ml|json)$/i.test(entry.name),
      )
      .map((entry) => join(entry.parentPath, entry.name))
      .sort()
    if (paths.length > most) throw problem('TM-2012', { limit: `${most} documents` })
    const files = await pMap(
      paths,
      async (path) => ({ path, text: decodeText(await readFile(path), basename(path)) }),
      { concurrency: 64 },
    )
    return new DocumentFolder(folder, files)
  }

  /**
   * The path of the document to start from: the only one that no other one names, by its file or by
   * its namespace; of several the only one that has a service.
   *
   * @throws Problem TM-2013 when there is none, or more than one
   */
  root(recognise: (text: string) => boolean): string {
    const candidates = this.files.filter(({ text }) => recognise(text))
    const named = new Set(this.files.flatMap(({ text }) => namespacesNamed(text)))
    const roots = candidates.filter(
      ({ path, text }) =>
        !candidates.some((other) => other.path !== path && other.text.includes(basename(path))) &&
        !named.has(targetOf(text) ?? ' '),
    )
    const left = roots.length > 0 ? roots : candidates
    const serving = left.filter(({ text }) => /<(?:[\w.-]+:)?service[\s>]/.test(text))
    const [first, ...others] = serving.length === 1 ? serving : left
    if (first === undefined) throw problem('TM-2013', { location: this.folder, detail: '' })
    if (others.length === 0) return first.path
    const names = [first, ...others].map(({ path }) =>
      relative(this.folder, path).split(sep).join('/'),
    )
    throw problem('TM-2013', {
      location: this.folder,
      detail: ` of one service only; it has ${names.join(', ')}`,
    })
  }

  /** The path of the file that is called so, where there is one. */
  named(name: string): string | undefined {
    return this.files.find(({ path }) => basename(path) === name)?.path
  }

  /**
   * The path of a document for a namespace. Of several, which all are needed, one that includes
   * others comes first.
   *
   * @param isTaken is it loaded already?
   */
  withNamespace(
    { namespace, root }: Wanted,
    isTaken: (path: string) => boolean,
  ): string | undefined {
    const start = new RegExp(`^[^<]*(?:<[?!][^>]*>[^<]*)*<(?:[\\w.-]+:)?${root}[\\s>]`)
    const all = this.files.filter(({ text }) => targetOf(text) === namespace && start.test(text))
    const left = all.filter(({ path }) => !isTaken(path))
    const found = left.length > 0 ? left : all
    const including = found.find(({ text }) => /<(?:[\w.-]+:)?include[\s>]/.test(text))
    return (including ?? found[0])?.path
  }
}

/** The target namespace of a document. */
function targetOf(text: string): string | undefined {
  const root = /<(?:[\w.-]+:)?(?:definitions|description|schema)\b[^>]*>/.exec(text)?.[0] ?? ''
  return /\stargetNamespace\s*=\s*["']([^"']*)["']/.exec(root)?.[1]
}

/** The namespaces that the imports of WSDL in a document name. */
function namespacesNamed(text: string): string[] {
  const own = targetOf(text)
  return [...text.matchAll(/<(?:[\w.-]+:)?import\b[^>]*\slocation\s*=[^>]*>/g)].flatMap(([tag]) => {
    const namespace = /\snamespace\s*=\s*["']([^"']*)["']/.exec(tag)?.[1]
    return namespace === undefined || namespace === own ? [] : [namespace]
  })
}
