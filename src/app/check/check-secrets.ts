import { readdir, readFile, stat } from 'node:fs/promises'
import { join, posix } from 'node:path'
import { isSecretName } from '../../contract/secret-names.js'
import { isSecretHeader, mask } from '../../exercise/masking.js'
import { projectFileName } from '../../project/project-file.js'
import type { Checked, Finding } from './finding.js'

/**
 * Where a project keeps what is written by hand, or recorded, and is kept with the source. Seed data
 * are rows that somebody made up.
 */
const folders = ['rehearsals', 'samples', 'recorded', 'snapshots']
/** Larger files are recordings of what nobody reads. */
const largest = 8 * 1024 * 1024

/** Looks for secrets that stand in the clear in files that go into version control. */
export async function checkSecrets(project: string): Promise<Checked> {
  const { parseDocument } = await import('yaml')
  const found: Finding[] = []
  for (const path of [projectFileName, ...(await filesIn(project))]) {
    const text = await readFile(join(project, path), 'utf8')
    const document = parseDocument(text, { logLevel: 'silent' })
    if (document.errors.length > 0) continue
    for (const { name, value } of secretsIn(document.toJS({ maxAliasCount: 100 }), ''))
      found.push({
        message: `A value that is called "${name}" stands in the clear.`,
        remedy:
          'Put it into a variable, and write `$NAME` for it; change it where it is known now.',
        place: `${path}:${String(lineOf(text, value))}`,
      })
  }
  return { check: 'secrets', findings: found }
}

async function filesIn(project: string): Promise<string[]> {
  const found: string[] = []
  for (const folder of folders) {
    const entries = await readdir(join(project, folder), {
      recursive: true,
      withFileTypes: true,
    }).catch(() => [])
    for (const { name, parentPath } of entries.filter((entry) => entry.isFile())) {
      const isOurs =
        folder === 'snapshots' ? name === 'index.json' : /\.(?:ya?ml|json|har)$/i.test(name)
      const path = join(parentPath, name)
      if (isOurs && (await stat(path)).size <= largest)
        found.push(
          posix.join(folder, path.slice(join(project, folder).length + 1).replaceAll('\\', '/')),
        )
    }
  }
  return found.sort()
}

interface Clear {
  readonly name: string
  readonly value: string
}

/** @param key the name that the value stands under */
function secretsIn(value: unknown, key: string): Clear[] {
  if (typeof value === 'string')
    return isSecretName(key, 'body') && isClear(value, key) ? [{ name: key, value }] : []
  if (Array.isArray(value)) return value.flatMap((each: unknown) => secretsIn(each, key))
  if (typeof value !== 'object' || value === null) return []
  const { name, value: content } = value as { name?: unknown; value?: unknown }
  // Recordings have headers as pairs of a name and a value.
  if (typeof name === 'string' && typeof content === 'string')
    return isSecretHeader(name) && isClear(content, name) ? [{ name, value: content }] : []
  return Object.entries(value).flatMap(([each, inner]) => secretsIn(inner, each))
}

/** References to variables are no secrets, nor is what samples have in their place. */
function isClear(value: string, name: string): boolean {
  const isPlaceholder = value.toLowerCase().startsWith(name.toLowerCase()) || /^x*$/.test(value)
  return value.length > 3 && !value.startsWith('$') && !value.includes(mask) && !isPlaceholder
}

function lineOf(text: string, value: string): number {
  const at = text.indexOf(JSON.stringify(value).slice(1, -1))
  return text.slice(0, Math.max(0, at)).split('\n').length
}
