import type { PrintOptions } from '../printing/page.js'

/** How a client is imported that is part of a package. */
export interface Packaged {
  /** The module of the whole client: `berths-client`, or `harbour/berths` beside others. */
  readonly module: string
  /** The package itself. */
  readonly name: string
  /** The archive that it is handed on in. */
  readonly archive: string
  /** The packages that it needs, with their version ranges. */
  readonly dependencies: Readonly<Record<string, string>>
}

/**
 * What a module of the client is imported by from outside of it.
 *
 * @param module below the client's folder: `index`, `logins`, `runtime/node/transport`
 */
export function moduleOutside(
  module: string,
  {
    packaged,
    runtimeFolder,
    importSuffix,
  }: PrintOptions & { readonly packaged?: Packaged | undefined },
): string {
  const isRuntime = module.startsWith('runtime/')
  if (packaged !== undefined)
    return module === 'index'
      ? packaged.module
      : `${isRuntime ? packaged.name : packaged.module}/${module}`
  const here = isRuntime && runtimeFolder !== undefined ? '../' : './'
  return `${here}${module}${importSuffix}`
}
