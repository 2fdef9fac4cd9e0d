import type { Command } from 'commander'
export function declare(command: Command): void {
  command.action(() => undefined)
}
