import { relative, resolve, sep } from 'node:path'
import type { OwnProgram } from './program.js'

/** A line of the project's own code. */
export interface Use {
  /** From the project's folder, with slashes. */
  readonly file: string
  /** From 1. */
  readonly line: number
  /** The line itself, without blanks around it. */
  readonly text: string
}

/** What the compiler says of a line with the client as it would be made now. */
export interface CompilerFinding extends Use {
  /** `TS2339`. */
  readonly code: string
  readonly message: string
}

/** The line at a position of a file. */
export function useAt(
  { service }: OwnProgram,
  project: string,
  fileName: string,
  position: number,
): Use | undefined {
  const file = service.getProgram()?.getSourceFile(fileName)
  if (file === undefined) return undefined
  const { line } = file.getLineAndCharacterOfPosition(position)
  const start = file.getPositionOfLineAndCharacter(line, 0)
  const end = file.text.indexOf('\n', start)
  return {
    file: relative(resolve(project), resolve(fileName)).split(sep).join('/'),
    line: line + 1,
    text: file.text.slice(start, end === -1 ? undefined : end).trim(),
  }
}

/** What the compiler says of some files of a program, by their absolute paths. */
export function diagnostics(
  program: OwnProgram,
  project: string,
  paths: Iterable<string>,
): CompilerFinding[] {
  return [...paths].sort().flatMap((path) =>
    program.service.getSemanticDiagnostics(path).flatMap((each): CompilerFinding[] => {
      const use = each.start === undefined ? undefined : useAt(program, project, path, each.start)
      return use === undefined
        ? []
        : [
            {
              ...use,
              code: `TS${String(each.code)}`,
              message: program.compiler
                .flattenDiagnosticMessageText(each.messageText, ' ')
                .replace(/\s+/g, ' '),
            },
          ]
    }),
  )
}
