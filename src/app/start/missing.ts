import type { ImportSuffix } from '../../printing/page.js'
import { edition, effectiveOptions, hasNewDefaults } from './compiler-options.js'
import type { PackageFile, ProjectSetup } from './project-setup.js'
import { runnerOf } from './run-line.js'

/** Something that a client does not compile or run without. */
export interface Missing {
  readonly what: string
  /** The command that mends it; undefined where a file has to be edited. */
  readonly command?: string
  /** What to write, and where, where no command does it. */
  readonly edit?: string
}

/** What is to be compiled and run. */
export interface Wanted {
  /** Packages that the client imports, with their version ranges. */
  readonly dependencies: Readonly<Record<string, string>>
  readonly importSuffix: ImportSuffix
  /** The contract's name, under which the project file has its choices. */
  readonly contract: string
  /** Is it a program, which reads variables of the environment? */
  readonly isProgram: boolean
}

/** The edition without which some of their literals can't be written. */
const leastTarget = 2020

/**
 * What a project lacks for a client to compile in it and to run, each with what mends it. Judged by
 * the compilers themselves in `tests/journeys/running-start.test.ts`.
 */
export function whatIsMissing(setup: ProjectSetup, wanted: Wanted): Missing[] {
  const runner = runnerOf(setup, wanted.importSuffix)
  return [
    ...(setup.runtime === 'node' ? kindOfPackage(setup) : []),
    ...packages(setup, wanted, runner.compiles),
    ...suffix(runner.needsSuffix, wanted),
    ...(runner.compiles || setup.compiler !== undefined ? compilerSettings(setup, wanted) : []),
  ]
}

/** Files of JavaScript are ES modules, or the compiler makes CommonJS of what it reads. */
function kindOfPackage(setup: ProjectSetup): Missing[] {
  const { packageFile, config } = setup
  if (packageFile === undefined)
    return [
      {
        what: 'there is no package.json, which says that programs are ES modules',
        command: 'npm init -y && npm pkg set type=module',
      },
    ]
  if (packageFile.type === 'module') return []
  const setType = { command: 'npm pkg set type=module' }
  const says = saysOfType(packageFile)
  if (config === undefined)
    return packageFile.type === undefined
      ? [{ what: `${says}: programs are taken for CommonJS`, ...setType }]
      : []
  const { module, keepsImports } = effectiveOptions(setup)
  if (/^node/.test(module) && keepsImports)
    return [
      {
        what: `${says}, and tsconfig.json keeps imports as they stand (verbatimModuleSyntax): the compiler refuses every file of the client`,
        ...setType,
      },
    ]
  // What a bundler makes of it is its own affair.
  return /^es/.test(module) && effectiveOptions(setup).resolution !== 'bundler'
    ? [
        {
          what: `${says}, and tsconfig.json has ES modules written: Node.js would refuse them`,
          ...setType,
        },
      ]
    : []
}

function saysOfType({ type }: PackageFile): string {
  return type === undefined ? 'package.json has no "type"' : `package.json says "type": "${type}"`
}

function packages(setup: ProjectSetup, wanted: Wanted, compiles: boolean): Missing[] {
  const { dependencies } = wanted
  // What only another package brings along is gone when that is.
  const absent = Object.entries(dependencies).filter(
    ([name]) => !setup.isInstalled(name) || setup.packageFile?.packages.has(name) !== true,
  )
  const forNode = needsNode(setup, wanted) && !setup.isInstalled('@types/node')
  const tools = [
    ...(compiles && setup.compiler === undefined ? ['typescript'] : []),
    ...(forNode ? ['@types/node'] : []),
  ]
  return [
    ...(absent.length === 0
      ? []
      : [
          {
            what: `the client imports ${absent.map(([name]) => name).join(' and ')}`,
            command: `${adding[setup.runtime].plain} ${absent.map(([name, range]) => `"${specifier(setup, name)}@${range}"`).join(' ')}`,
          },
        ]),
    ...(setup.runtime === 'deno' || tools.length === 0
      ? []
      : [
          {
            what: tools.includes('typescript')
              ? 'TypeScript is not installed'
              : 'the types of Node.js are not installed: process, and what else the platform has',
            command: `${adding[setup.runtime].forDeveloping} ${tools.join(' ')}`,
          },
        ]),
  ]
}

/** Are the types of Node.js needed: for programs, and where those of a browser are not there? */
function needsNode(setup: ProjectSetup, { isProgram }: Wanted): boolean {
  return isProgram || setup.config === undefined || !effectiveOptions(setup).hasDom
}

const adding = {
  node: { plain: 'npm install', forDeveloping: 'npm install --save-dev' },
  bun: { plain: 'bun add', forDeveloping: 'bun add --dev' },
  deno: { plain: 'deno add', forDeveloping: '' },
} as const

function specifier({ runtime }: ProjectSetup, name: string): string {
  return runtime === 'deno' ? `npm:${name}` : name
}

function suffix(needed: ImportSuffix | undefined, { contract, isProgram }: Wanted): Missing[] {
  if (needed === undefined) return []
  return [
    {
      what: `what runs TypeScript as it stands wants imports to end in ${needed}`,
      edit: `importSuffix: ${needed} below ${contract} in tolmach.yaml, and generate again${isProgram ? ', the program with --overwrite' : ''}`,
    },
  ]
}

/** Settings of the compiler under which clients don't compile. */
function compilerSettings(setup: ProjectSetup, wanted: Wanted): Missing[] {
  const { config, configTrouble, packageFile } = setup
  if (configTrouble !== undefined)
    return [{ what: `tsconfig.json can't be read: ${configTrouble}`, edit: 'correct that file' }]
  if (config === undefined) {
    const plain = packageFile?.type === 'commonjs' ? ' --verbatimModuleSyntax false' : ''
    const endings = wanted.importSuffix === '.ts' ? ' --rewriteRelativeImportExtensions' : ''
    return [
      {
        what: 'there is no tsconfig.json',
        command: `npx tsc --init --module nodenext --target es${String(edition)} --types node --skipLibCheck${plain}${endings}`,
      },
    ]
  }
  // What a compiler before 6 takes where nothing is said is of its earliest days.
  const isUnsaid = config.options.module === undefined && !hasNewDefaults(setup)
  const said = isUnsaid
    ? {
        ...setup,
        config: { ...config, options: { ...config.options, module: 'nodenext' as const } },
      }
    : setup
  const options = effectiveOptions(said)
  const inConfig = (text: string): Pick<Missing, 'edit'> => ({
    edit: `${text} among compilerOptions in tsconfig.json`,
  })
  const isOld = options.target < leastTarget
  const found: (readonly [applies: boolean, what: string, text: string])[] = [
    [
      isUnsaid,
      'tsconfig.json does not say which modules are written, and this compiler takes the oldest',
      '"module": "nodenext"',
    ],
    [
      isOld || options.library < edition,
      `tsconfig.json has ${isOld ? 'an older language written' : 'an older library'} than clients are made of`,
      isOld || config.options.lib === undefined
        ? `"target": "es${String(edition)}"`
        : `"es${String(edition)}" in "lib"`,
    ],
    [
      options.resolution === 'classic',
      'tsconfig.json has packages looked for as before Node.js',
      '"module": "nodenext"',
    ],
    [
      options.module === 'commonjs' && packageFile?.type === 'module',
      'package.json says ES modules, and tsconfig.json has CommonJS written: Node.js would refuse it',
      '"module": "nodenext"',
    ],
    [
      needsNode(setup, wanted) && options.types?.includes('node') === false,
      'tsconfig.json leaves out the types of Node.js: process, and what else the platform has',
      `"types": [${['node', ...(options.types ?? [])].map((each) => `"${each}"`).join(', ')}]`,
    ],
    [
      wanted.importSuffix === '.ts' && !options.takesEndings,
      'tsconfig.json does not allow imports to end in .ts',
      '"rewriteRelativeImportExtensions": true',
    ],
    [
      'saxes' in wanted.dependencies && !options.skipsLibraries,
      'the declarations of saxes are older than the compiler, which complains of them',
      '"skipLibCheck": true',
    ],
  ]
  return found.flatMap(([applies, what, text]) => (applies ? [{ what, ...inConfig(text) }] : []))
}
