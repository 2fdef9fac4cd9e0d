import { readdirSync } from 'node:fs'
import { join } from 'node:path'
import ts from 'typescript'

/**
 * Places in the types of clients that can have no value, though nobody wrote `never`: members, and
 * alternatives of unions, as the compiler works them out.
 */
export function impossibleTypes(folder: string): string[] {
  const files = readdirSync(folder, { recursive: true, encoding: 'utf8' })
    .filter((path) => /(?:^|[/\\])types\.ts$/.test(path))
    .map((path) => join(folder, path))
  const program = ts.createProgram(files, {
    strict: true,
    noEmit: true,
    skipLibCheck: true,
    types: [],
    target: ts.ScriptTarget.ES2022,
    moduleResolution: ts.ModuleResolutionKind.Bundler,
    module: ts.ModuleKind.ESNext,
  })
  const checker = program.getTypeChecker()
  const found: string[] = []
  const visit = (node: ts.Node): void => {
    const isWritten = node.kind === ts.SyntaxKind.NeverKeyword
    if (ts.isTypeNode(node) && !isWritten) {
      const { flags } = checker.getTypeFromTypeNode(node)
      if ((flags & ts.TypeFlags.Never) !== 0) found.push(node.getText())
    }
    ts.forEachChild(node, visit)
  }
  for (const file of files) {
    const source = program.getSourceFile(file)
    if (source !== undefined) visit(source)
  }
  return found
}
