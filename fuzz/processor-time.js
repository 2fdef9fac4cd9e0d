import process from 'node:process'

/**
 * Milliseconds of the processor that this program has used: they don't grow because the machine has
 * other things to do.
 */
export function processorTime() {
  const { user, system } = process.cpuUsage()
  return (user + system) / 1000
}
