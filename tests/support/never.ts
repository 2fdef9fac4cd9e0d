import { readdirSync } from 'node:fs'
import { join } from 'node:path'
import ts from 'typescript'

/** Is it written that a member can't be there? */
function isChoice({ declarations = [] }: ts.Symbol): boolean {
  return declarations.some((each) => /\?: never$/.test(each.getText()))
}

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
  // Parts that exclude each other are still parts by their flags, and nothing in words.
  const isNever = (type: ts.Type): boolean => checker.typeToString(type) === 'never'
  const visit = (node: ts.Node): void => {
    const isWritten = node.kind === ts.SyntaxKind.NeverKeyword
    if (ts.isTypeNode(node) && !isWritten) {
      const type = checker.getTypeFromTypeNode(node)
      if (isNever(type)) found.push(node.getText())
      // What its parts say of a member may exclude each other.
      if (ts.isIntersectionTypeNode(node))
        for (const member of checker.getPropertiesOfType(type))
          if (isNever(checker.getTypeOfSymbolAtLocation(member, node)) && !isChoice(member))
            found.push(`${member.name} of ${node.getText()}`)
    }
    ts.forEachChild(node, visit)
  }
  for (const file of files) {
    const source = program.getSourceFile(file)
    if (source !== undefined) visit(source)
  }
  return found
}
