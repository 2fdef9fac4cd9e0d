import ts from 'typescript'

/**
 * What may be called in generated code: what the client imports from its runtime, its own
 * functions, and these of the platform.
 */
const platform = new Set(['AbortController', 'Uint8Array', 'Symbol'])

/**
 * An independent look at a generated file, with TypeScript's own parser: whatever came in with the
 * metadata, it is nothing but declarations and plain data, and nothing is called that the file does
 * not import or declare.
 *
 * @returns what is there that should not be; nothing when all is well
 */
export function troubleIn(path: string, text: string): string[] {
  const file = ts.createSourceFile(path, text, ts.ScriptTarget.ES2022, true)
  const { parseDiagnostics, pragmas, checkJsDirective } = file as ts.SourceFile & {
    parseDiagnostics: readonly ts.Diagnostic[]
    pragmas: ReadonlyMap<string, unknown>
    checkJsDirective?: unknown
  }
  const found = parseDiagnostics.map((each) =>
    ts.flattenDiagnosticMessageText(each.messageText, ' '),
  )
  if (pragmas.size > 0 || checkJsDirective !== undefined || file.referencedFiles.length > 0)
    found.push('a comment tells the compiler something')
  if (commentsOf(text).some((comment) => /@ts-|[@#]__[A-Z]/.test(comment)))
    found.push('a comment tells a compiler or bundler something')
  const own = new Set<string>(platform)
  for (const statement of file.statements) {
    if (ts.isImportDeclaration(statement)) for (const each of namedImports(statement)) own.add(each)
    else if (
      (ts.isFunctionDeclaration(statement) || ts.isClassDeclaration(statement)) &&
      statement.name !== undefined
    )
      own.add(statement.name.text)
    else if (
      !ts.isExportDeclaration(statement) &&
      !ts.isVariableStatement(statement) &&
      !ts.isInterfaceDeclaration(statement) &&
      !ts.isTypeAliasDeclaration(statement)
    )
      found.push(`a statement: ${statement.getText().slice(0, 80)}`)
  }
  const visit = (node: ts.Node, inFunction: boolean): void => {
    if (ts.isCallExpression(node) || ts.isNewExpression(node)) {
      const callee = node.expression
      const isOwn = ts.isIdentifier(callee)
        ? own.has(callee.text)
        : ts.isPropertyAccessExpression(callee) &&
          callee.expression.kind === ts.SyntaxKind.ThisKeyword
      if (!inFunction || !isOwn) found.push(`a call: ${node.getText().slice(0, 80)}`)
    }
    if (
      ts.isTemplateExpression(node) ||
      ts.isTaggedTemplateExpression(node) ||
      ts.isAwaitExpression(node) ||
      ts.isDecorator(node)
    )
      found.push(`not plain: ${node.getText().slice(0, 80)}`)
    const inside =
      inFunction ||
      ts.isFunctionDeclaration(node) ||
      ts.isMethodDeclaration(node) ||
      ts.isConstructorDeclaration(node)
    ts.forEachChild(node, (child) => visit(child, inside))
  }
  visit(file, false)
  return found.map((each) => `${path}: ${each}`)
}

function namedImports({ importClause }: ts.ImportDeclaration): string[] {
  const bindings = importClause?.namedBindings
  return bindings !== undefined && ts.isNamedImports(bindings)
    ? bindings.elements.map(({ name }) => name.text)
    : []
}

function commentsOf(text: string): string[] {
  const scanner = ts.createScanner(ts.ScriptTarget.ES2022, false, ts.LanguageVariant.Standard, text)
  const comments: string[] = []
  for (let kind = scanner.scan(); kind !== ts.SyntaxKind.EndOfFileToken; kind = scanner.scan()) {
    if (
      kind === ts.SyntaxKind.SingleLineCommentTrivia ||
      kind === ts.SyntaxKind.MultiLineCommentTrivia
    )
      comments.push(scanner.getTokenText())
  }
  return comments
}

/** The tokens of a program outside its comments, literals as their kind alone. */
export function tokensOf(text: string): string[] {
  const scanner = ts.createScanner(ts.ScriptTarget.ES2022, true, ts.LanguageVariant.Standard, text)
  const tokens: string[] = []
  for (let kind = scanner.scan(); kind !== ts.SyntaxKind.EndOfFileToken; kind = scanner.scan())
    tokens.push(kind === ts.SyntaxKind.StringLiteral ? 'literal' : scanner.getTokenText())
  return tokens
}
