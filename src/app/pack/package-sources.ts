import { compareTexts } from '../../contract/ordering.js'
import { operationsOf } from '../../contract/queries.js'
import { dialectNamed } from '../../dialects/registry.js'
import { sharedName } from '../../project/runtime-folder.js'
import { runtimeFile, type GeneratedFile } from '../../typescript/client.js'
import type { Packaged } from '../../typescript/module-names.js'
import {
  packageIndex,
  packageReadme,
  type PackagedClient,
  type PackageFacts,
} from '../../typescript/package-texts.js'
import { runtimeOf } from '../clients/shared-runtime.js'
import { namesFor } from '../clients/client-names.js'
import type { KeptContract } from '../contracts/open-contract.js'
import { buildClient } from '../generate-client.js'
import { runtimeSources } from '../package-files.js'

/** What a package has of its clients, before anything is compiled. */
export interface PackageSources {
  /** TypeScript, below `src/`: the same in every version of it. */
  readonly sources: readonly GeneratedFile[]
  /** READMEs and templates of settings. */
  readonly texts: readonly GeneratedFile[]
}

/** The clients of a package, in order; one alone has no folder of its own. */
export async function packagedClients(
  contracts: readonly KeptContract[],
): Promise<PackagedClient[]> {
  return Promise.all(
    contracts.map(async (open) => ({
      folder: contracts.length === 1 ? undefined : folderFor(open.name),
      title: open.contract.title,
      className: (await namesFor(open)).class,
      isCalled: operationsOf(open.contract).length > 0,
    })),
  )
}

/** What else has a folder in a package. */
const taken: readonly string[] = [sharedName, 'src', 'node_modules']

function folderFor(contract: string): string {
  return taken.includes(contract.toLowerCase()) ? `${contract}-client` : contract
}

/** The packages that the clients need, with their version ranges. */
export async function packageDependencies(
  contracts: readonly KeptContract[],
): Promise<Record<string, string>> {
  const called = contracts.filter(({ contract }) => operationsOf(contract).length > 0)
  const each = await Promise.all(
    called.map(async ({ contract }) =>
      Object.entries((await dialectNamed(contract.dialect)).emit.dependencies(contract)),
    ),
  )
  return Object.fromEntries(each.flat().sort(([one], [other]) => compareTexts(one, other)))
}

/** The files of a package that are written, and not compiled. */
export async function packageSources(
  contracts: readonly KeptContract[],
  facts: PackageFacts,
  archive: string,
): Promise<PackageSources> {
  const { name, clients, dependencies } = facts
  const packaged: Packaged = { module: name, name, archive, dependencies }
  const [first] = contracts
  if (first !== undefined && contracts.length === 1) {
    const form = { runtimeFolder: undefined, importSuffix: '.js', packaged } as const
    return apart((await buildClient(first, form)).files)
  }
  const each = await Promise.all(
    contracts.map(async (open, at) => {
      const { folder = '' } = clients[at] ?? {}
      const { files } = await buildClient(open, {
        runtimeFolder: `../${sharedName}`,
        importSuffix: '.js',
        packaged: { ...packaged, module: `${name}/${folder}` },
      })
      return { needed: runtimeOf(files), files: inFolder(folder, files) }
    }),
  )
  const needed = new Set(each.flatMap((client) => client.needed))
  const sources = runtimeSources()
  const runtime = [...needed].sort().map((path) => runtimeFile(path, sources, '.js'))
  return apart([
    ...each.flatMap(({ files }) => files),
    ...inFolder(sharedName, runtime),
    { path: 'index.ts', text: packageIndex(clients) },
    { path: 'README.md', text: `${packageReadme(facts, packaged)}\n` },
  ])
}

function inFolder(folder: string, files: readonly GeneratedFile[]): GeneratedFile[] {
  return files.map(({ path, text }) => ({ path: `${folder}/${path}`, text }))
}

/** What is compiled, and what is handed on as it stands. What tells our own folders is neither. */
function apart(files: readonly GeneratedFile[]): PackageSources {
  return {
    sources: inFolder(
      'src',
      files.filter(({ path }) => path.endsWith('.ts')),
    ),
    texts: files.filter(({ path }) => !/\.ts$|(?:^|\/)manifest\.json$/.test(path)),
  }
}
