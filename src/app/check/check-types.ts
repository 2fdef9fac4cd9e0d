import { resolve, sep } from 'node:path'
import { isCompiler, ownTypescript } from '../uses/own-typescript.js'
import { diagnostics } from '../uses/lines.js'
import { ownProgram } from '../uses/program.js'
import type { Checked, Finding } from './finding.js'

/** So many complaints of the compiler are told of one client. */
const mostComplaints = 5

/** Compiles clients with the project's own TypeScript, under its own settings. */
export function checkTypes(
  project: string,
  clients: readonly { readonly contract: string; readonly folder: string }[],
): Checked[] {
  const compiler = ownTypescript(project)
  const skipped = (contract: string, reason: string): Checked => ({
    contract,
    check: 'types',
    findings: [],
    skipped: reason,
  })
  if (!isCompiler(compiler))
    return clients.map(({ contract }) => skipped(contract, compiler.reason))
  const program = ownProgram(compiler, project)
  if (program === undefined)
    return clients.map(({ contract }) => skipped(contract, 'there is no tsconfig.json'))
  const files = program.service.getProgram()?.getSourceFiles() ?? []
  return clients.map(({ contract, folder }): Checked => {
    const start = `${resolve(project, folder)}${sep}`
    const own = files.filter(({ fileName }) => resolve(fileName).startsWith(start))
    if (own.length === 0) return skipped(contract, 'the program of tsconfig.json has no file of it')
    const paths = own.map(({ fileName }) => fileName)
    const complaints = diagnostics(program, project, paths).map(
      ({ file, line, code, message }): Finding => ({
        code,
        message,
        remedy: 'Install what the client needs (tolmach generate says it), or write it anew.',
        place: `${file}:${String(line)}`,
      }),
    )
    const more = complaints.length - mostComplaints
    const last: Finding[] =
      more > 0
        ? [{ message: `and ${String(more)} more complaints of the compiler`, remedy: '' }]
        : []
    return {
      contract,
      check: 'types',
      findings: [...complaints.slice(0, mostComplaints), ...last],
    }
  })
}
