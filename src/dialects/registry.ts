import type { DialectName } from '../contract/contract.js'
import type { Dialect } from './dialect.js'

/** Every dialect, loaded only when it is needed. A new dialect is one line here. */
export const dialects: Record<DialectName, () => Promise<Dialect>> = {
  soap: async () => (await import('./soap/index.js')).soap,
  http: async () => (await import('./http/index.js')).http,
  odata: async () => (await import('./odata/index.js')).odata,
}

/** The dialect of a contract. */
export async function dialectNamed(name: DialectName): Promise<Dialect> {
  const load = dialects[name]
  if (load === undefined) throw new Error(`there is no dialect ${name}`)
  return load()
}

/** The dialect whose documents look like this one, or undefined. */
export async function dialectOf(text: string): Promise<Dialect | undefined> {
  for (const load of Object.values(dialects)) {
    const dialect = await load()
    if (dialect.recognise(text)) return dialect
  }
  return undefined
}
