import { gzipSync } from 'fflate'
import { packTar } from 'modern-tar'
import { compareTexts } from '../../contract/ordering.js'
import type { GeneratedFile } from '../../typescript/client.js'

/** The time that archives of npm give all their files: it is nobody's. */
const anyTime = new Date('1985-10-26T08:15:00Z')

/**
 * An archive as npm installs it: everything below `package/`, compressed. The same files give the
 * same bytes on every machine, which the platform's own compression does not promise.
 */
export async function packageArchive(files: readonly GeneratedFile[]): Promise<Uint8Array> {
  const entries = [...files]
    .sort((one, other) => compareTexts(one.path, other.path))
    .map(({ path, text }) => ({ name: `package/${path}`, body: new TextEncoder().encode(text) }))
    .map(({ name, body }) => ({
      header: {
        name,
        size: body.length,
        mode: 0o644,
        uid: 0,
        gid: 0,
        mtime: anyTime,
        type: 'file' as const,
      },
      body,
    }))
  return gzipSync(await packTar(entries), { level: 9, mtime: 0 })
}
