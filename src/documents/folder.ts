import { readdir, readFile } from 'node:fs/promises'
import { basename, join, relative, sep } from 'node:path'
import pMap from 'p-map'
import { problem } from '../contract/problem.js'
import { decodeText } from './text.js'

/** What a reference between documents says of what it names. */
export interface Wanted {
  /** The namespace that it is for. */
  readonly namespace: string
  /** The local name of its root element. */
  readonly root: string
}

/** What a document is for, as far as its dialect knows it at a glance. */
export interface Outline extends Wanted {
  /** The namespaces that it imports from documents of its own kind. */
  readonly imports: readonly string[]
  /** It includes others for its own namespace. */
  readonly includes: boolean
  /** It declares a service. */
  readonly serves: boolean
}

/** What looks at a document. */
export type Glance = (text: string) => Outline | undefined

interface File {
  readonly path: string
  readonly text: string
  readonly outline: Outline | undefined
}

/** The documents of one contract, handed over in a folder. */
export class DocumentFolder {
  private readonly folder: string
  private readonly files: readonly File[]

  private constructor(folder: string, files: readonly File[]) {
    this.folder = folder
    this.files = files
  }

  /** @throws Problem TM-2012 when there are more files than `most`, TM-2014 */
  static async read(folder: string, most: number, glance: Glance): Promise<DocumentFolder> {
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
      async (path): Promise<File> => {
        const text = decodeText(await readFile(path), basename(path))
        return { path, text, outline: glance(text) }
      },
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
    const imported = new Set(this.files.flatMap(({ outline }) => outline?.imports ?? []))
    const roots = candidates.filter(
      ({ path, outline }) =>
        !candidates.some((other) => other.path !== path && other.text.includes(basename(path))) &&
        (outline === undefined || !imported.has(outline.namespace)),
    )
    const left = roots.length > 0 ? roots : candidates
    const serving = left.filter(({ outline }) => outline?.serves === true)
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
    const all = this.files.filter(
      ({ outline }) => outline?.namespace === namespace && outline.root === root,
    )
    const left = all.filter(({ path }) => !isTaken(path))
    const found = left.length > 0 ? left : all
    const including = found.find(({ outline }) => outline?.includes === true)
    return (including ?? found[0])?.path
  }
}
