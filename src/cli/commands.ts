import type { Command } from 'commander'

/** A command as `--help` lists it; everything else is loaded when it is used. */
export interface CommandEntry {
  readonly name: string
  readonly usage: string
  readonly summary: string
  /** It has a `--version` of its own, and not that of the program. */
  readonly ownVersion?: true
  readonly load: () => Promise<{ declare(command: Command): void }>
}

/** All commands, in the order in which a person meets them. */
export const commands: readonly CommandEntry[] = [
  {
    name: 'import',
    usage: '<location>',
    summary: "read a service's metadata and keep it in the project",
    load: () => import('./commands/import.js'),
  },
  {
    name: 'list',
    usage: '',
    summary: 'the contracts of this project',
    load: () => import('./commands/list.js'),
  },
  {
    name: 'show',
    usage: '<contract> [thing]',
    summary: 'what is in a contract: an overview, or one thing in full',
    load: () => import('./commands/show.js'),
  },
  {
    name: 'diagram',
    usage: '<contract> [file]',
    summary: 'draw the types and how they hang together',
    load: () => import('./commands/diagram.js'),
  },
  {
    name: 'generate',
    usage: '[contract...]',
    summary: 'write the TypeScript clients',
    load: () => import('./commands/generate.js'),
  },
  {
    name: 'pack',
    usage: '<contract...>',
    summary: 'make a package of clients, for people without the tool',
    load: () => import('./commands/pack.js'),
    ownVersion: true,
  },
  {
    name: 'settings',
    usage: '<contract>',
    summary: 'what a program has to be told to call a service as the prompt does',
    load: () => import('./commands/settings.js'),
  },
  {
    name: 'locate',
    usage: '<contract> <thing>',
    summary: 'where something is in the generated code and in the metadata',
    load: () => import('./commands/locate.js'),
  },
  {
    name: 'sample',
    usage: '<contract> [operation]',
    summary: 'an input that satisfies the contract, ready to edit',
    load: () => import('./commands/sample.js'),
  },
  {
    name: 'call',
    usage: '<contract> [operation]',
    summary: 'send one call through the generated client and show the answer',
    load: () => import('./commands/call.js'),
  },
  {
    name: 'rehearse',
    usage: '<file...>',
    summary: 'play files of steps that call operations and say what is expected',
    load: () => import('./commands/rehearse.js'),
  },
  {
    name: 'serve',
    usage: '<contract...>',
    summary: 'start stand-ins that play services on this machine',
    load: () => import('./commands/serve.js'),
  },
  {
    name: 'listen',
    usage: '<address>',
    summary: 'stand between a program and a service, and keep what they say',
    load: () => import('./commands/listen.js'),
  },
  {
    name: 'draft',
    usage: '<file...>',
    summary: 'a description of a service that has none, from what it answered',
    load: () => import('./commands/draft.js'),
  },
  {
    name: 'compare',
    usage: '<contract> [location]',
    summary: 'what has changed at the source, and what it breaks',
    load: () => import('./commands/compare.js'),
  },
  {
    name: 'refresh',
    usage: '[contract...]',
    summary: 'read the sources again, and replace snapshots and clients together',
    load: () => import('./commands/refresh.js'),
  },
  {
    name: 'forget',
    usage: '<contract>',
    summary: 'take a contract out of the project',
    load: () => import('./commands/forget.js'),
  },
  {
    name: 'check',
    usage: '[contract...]',
    summary: 'is the project sound?',
    load: () => import('./commands/check.js'),
  },
  {
    name: 'completion',
    usage: '<shell>',
    summary: 'have the shell complete commands, options, contracts and operations',
    load: () => import('./commands/completion.js'),
  },
  {
    name: 'demo',
    usage: '[folder]',
    summary: 'the whole journey on a made-up harbour, offline',
    load: () => import('./commands/demo.js'),
  },
]
