import { filled, present } from '../contract/present.js'
import { codeInMarkdown, fenced, identifier, inMarkdown, quoted } from '../printing/escaping.js'
import { code, joined, markdown, type Code, type Markdown } from '../printing/safe-text.js'
import type { Packaged } from './module-names.js'

/** Who gives a package to others, and what they may do with it. */
export interface PackageTerms {
  /** An SPDX expression, or `UNLICENSED` where nobody else may use it. */
  readonly license: string
  readonly author: string | undefined
}

/** A client in a package. */
export interface PackagedClient {
  /** Its folder in the package; undefined where it is all that is in it. */
  readonly folder: string | undefined
  readonly title: string
  readonly className: string
  /** Can it be called, or are there only types? */
  readonly isCalled: boolean
}

/** What a package is called and says of itself. */
export interface PackageFacts extends PackageTerms {
  readonly name: string
  /** Semantic Versioning 2.0.0. */
  readonly version: string
  readonly clients: readonly PackagedClient[]
  readonly dependencies: Readonly<Record<string, string>>
}

/**
 * package.json of a package of clients. Wherever the modules are looked for, they are found: by
 * `exports` (Node.js 12 and later, bundlers, TypeScript's newer ways), and by paths that are the
 * same where only `main` and folders count.
 */
export function packageJson(facts: PackageFacts): string {
  const { name, version, license, author, clients, dependencies } = facts
  const index = { types: './index.d.ts', default: './index.js' }
  const about = {
    name,
    version,
    description: `Calls ${clients.map(({ title }) => title.replace(/\s+/g, ' ')).join(', ')}, typed.`,
    license,
    ...present({ author }),
    type: 'module',
    main: index.default,
    types: index.types,
    exports: Object.fromEntries([
      ['.', index],
      ...clients.flatMap(exportsOf),
      ...(clients.some(({ isCalled }) => isCalled) ? nodeModules.map(exported) : []),
      ['./package.json', './package.json'],
    ]) as object,
    sideEffects: false,
    engines: { node: '>=20' },
    ...filled({ dependencies }),
  }
  return `${JSON.stringify(about, null, 2)}\n`
}

/** What the platform's own `fetch` can't do. */
const nodeModules = ['runtime/node/transport', 'runtime/node/authorization-code']

type Exported = readonly [path: string, files: { types: string; default: string }]

function exported(module: string): Exported {
  return [`./${module}`, { types: `./${module}.d.ts`, default: `./${module}.js` }]
}

function exportsOf({ folder, isCalled }: PackagedClient): Exported[] {
  const at = folder === undefined ? '' : `${folder}/`
  const index = `./${at}index`
  return [
    ...(folder === undefined
      ? []
      : [[`./${folder}`, { types: `${index}.d.ts`, default: `${index}.js` }] as const]),
    ...(isCalled ? ['settings', 'logins', 'operations/*'].map((each) => exported(at + each)) : []),
  ]
}

/** index.ts of a package of several clients: the front doors of them all. */
export function packageIndex(clients: readonly PackagedClient[]): string {
  const lines = clients.flatMap(({ folder = '.', className, isCalled }) =>
    isCalled
      ? code`export { ${identifier(className)} } from ${quoted(`./${folder}/index.js`)}`
      : [],
  )
  const head = code`// The front doors of all services. Everything else is exported by the module of each.`
  return `${joined([head, ...(lines.length === 0 ? [code`export {}`] : lines)], '\n')}\n`
}

/** How a package is installed, and where it runs. */
export function installSection({ name, module, archive, dependencies }: Packaged): Markdown[] {
  const packages = Object.keys(dependencies).map(codeInMarkdown)
  const along =
    packages.length === 0
      ? markdown`It needs no other package.`
      : markdown`npm installs ${joined(packages, ', ')} with it.`
  return [
    markdown`## Install`,
    markdown``,
    markdown`${codeInMarkdown(`npm install ./${archive}`)}, with the path of the archive that you were given; from a registry ${codeInMarkdown(`npm install ${name}`)}. ${along}`,
    markdown``,
    markdown`It runs in Node.js 20 and later, in browsers and with bundlers, and has its types with it. It is made of ES modules: ${codeInMarkdown('import')} works everywhere, ${codeInMarkdown(`require('${module}')`)} where Node.js allows it (20.19, 22.12 and later).`,
    markdown``,
  ]
}

/** README.md of a package of several clients: what is where. */
export function packageReadme(facts: PackageFacts, packaged: Packaged): Markdown {
  const rows = facts.clients.map(
    ({ folder = '', title, className, isCalled }) =>
      markdown`| ${inMarkdown(title)} | ${codeInMarkdown(`${facts.name}/${folder}`)} | ${isCalled ? codeInMarkdown(className) : markdown`types alone`} | [README](${inMarkdown(folder)}/README.md) |`,
  )
  const first = facts.clients.find(({ isCalled }) => isCalled)
  const example: Code[] =
    first === undefined
      ? []
      : [
          code`import { ${identifier(first.className)} } from ${quoted(facts.name)}`,
          code`import type * as types from ${quoted(`${facts.name}/${first.folder ?? ''}`)}`,
        ]
  return joined(
    [
      markdown`# ${inMarkdown(facts.name)}`,
      markdown``,
      markdown`This package calls ${facts.clients.length} services from JavaScript and TypeScript. It was written by Tolmach from their metadata; nobody needs the tool to use it.`,
      markdown``,
      ...installSection(packaged),
      markdown`## Services`,
      markdown``,
      markdown`| service | module | class | how to use it |`,
      markdown`|---|---|---|---|`,
      ...rows,
      markdown``,
      ...(example.length === 0
        ? []
        : [
            markdown`The classes are exported by the package itself, everything of one service by its module:`,
            markdown``,
            ...fenced(example),
            markdown``,
          ]),
    ],
    '\n',
  )
}

/** What is different in a version of a package. */
export interface PackedVersion {
  readonly version: string
  readonly changes: readonly PackedChange[]
}

/** A change as callers are told of it. */
export interface PackedChange {
  /** The client that it is a change of, where there are several. */
  readonly client?: string
  readonly verdict: 'break' | 'may break' | 'fine'
  readonly text: string
}

const headings: Readonly<Record<PackedChange['verdict'], Markdown>> = {
  break: markdown`Breaks:`,
  'may break': markdown`May break:`,
  fine: markdown`New or changed, and breaks nothing:`,
}

/**
 * CHANGELOG.md of a package.
 *
 * @param history the versions, the oldest first
 */
export function changelog(history: readonly PackedVersion[]): Markdown {
  const newest = [...history].reverse()
  const parts = newest.flatMap(({ version, changes }, at) => [
    markdown``,
    markdown`## ${inMarkdown(version)}`,
    ...(changes.length === 0
      ? [
          markdown``,
          at === newest.length - 1
            ? markdown`The first version.`
            : markdown`Nothing that callers would notice.`,
        ]
      : (Object.keys(headings) as PackedChange['verdict'][]).flatMap((verdict) =>
          partLines(verdict, changes),
        )),
  ])
  return markdown`${joined([markdown`# Changes`, ...parts], '\n')}\n`
}

function partLines(verdict: PackedChange['verdict'], changes: readonly PackedChange[]): Markdown[] {
  const lines = changes
    .filter((each) => each.verdict === verdict)
    .map(({ client, text }) =>
      client === undefined
        ? markdown`- ${inMarkdown(text)}`
        : markdown`- ${codeInMarkdown(client)}: ${inMarkdown(text)}`,
    )
  return lines.length === 0 ? [] : [markdown``, headings[verdict], markdown``, ...lines]
}
