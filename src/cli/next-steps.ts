import { say, type Output } from './terminal.js'

/** Says what to do in a project that has no contracts. */
export function sayNoContracts(output: Output): void {
  say(
    output,
    'There are no contracts in this project yet. Import one: tolmach import <file or address>',
  )
}
