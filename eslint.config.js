import js from '@eslint/js'
import globals from 'globals'
import tseslint from 'typescript-eslint'
import { rooms } from './scripts/rooms.js'

/** The rooms that a room may not import from, as patterns of module addresses. */
function closedTo(room) {
  const { mayUse, dialectsToo } = rooms[room]
  const closed = Object.keys(rooms).filter((other) => other !== room && !mayUse.includes(other))
  return closed.map((other) => ({
    regex:
      other === 'dialects' && dialectsToo
        ? '^\\.\\./(?:\\.\\./)*dialects/(?!dialect\\.js$)'
        : `^\\.\\./(?:\\.\\./)*${other}/`,
    message: `The room "${room}" may not use the room "${other}" (docs/architecture.md).`,
    allowTypeImports: room === 'cli',
  }))
}

const arrows = Object.keys(rooms).map((room) => ({
  files: [`src/${room}/**/*.ts`],
  rules: { '@typescript-eslint/no-restricted-imports': ['error', { patterns: closedTo(room) }] },
}))

const castToSafe = {
  selector:
    ':matches(TSAsExpression, TSTypeAssertion) TSTypeReference[typeName.name=/^(Safe|Code|Markdown|Markup|DotText|MermaidText|VariablesText)$/]',
  message: 'Text is made safe by the functions of src/printing/escaping.ts, not by a cast.',
}

const spreadOfMany = {
  selector:
    'CallExpression[callee.property.name=/^(push|unshift|splice|max|min|concat)$/] > SpreadElement[argument.type!="ArrayExpression"]',
  message: 'A call can take only so many arguments: use addAll or largest, or a loop.',
}

const writesByItself = [
  {
    selector:
      'CallExpression[callee.property.name="write"][callee.object.property.name=/^std(out|err)$/]',
    message: 'Write through src/cli/terminal.ts.',
  },
  {
    selector: 'CallExpression[callee.object.name=/^(console|stdout|stderr)$/]',
    message: 'Write through src/cli/terminal.ts.',
  },
  {
    selector: 'ImportDeclaration[source.value="picocolors"]',
    message: 'Colours come from src/cli/colours.ts.',
  },
]

export default tseslint.config(
  { ignores: ['dist/', 'node_modules/', 'coverage/', 'brackmouth/', 'tests/fixtures/'] },
  js.configs.recommended,
  ...tseslint.configs.strict,
  {
    rules: {
      'no-nested-ternary': 'error',
      '@typescript-eslint/no-unused-vars': [
        'error',
        { argsIgnorePattern: '^_', varsIgnorePattern: '^_' },
      ],
      '@typescript-eslint/no-invalid-void-type': 'off',
      // Control characters are what several expressions look for.
      'no-control-regex': 'off',
      eqeqeq: 'error',
    },
  },
  {
    // Text becomes safe to print through src/printing/escaping.ts, and in no other way.
    files: ['src/**/*.ts'],
    ignores: ['src/printing/**'],
    rules: { 'no-restricted-syntax': ['error', castToSafe, spreadOfMany] },
  },
  {
    // What is shown goes through src/cli/terminal.ts, where nothing of others commands the
    // terminal; help is our own text.
    files: ['src/cli/**/*.ts'],
    ignores: ['src/cli/terminal.ts', 'src/cli/colours.ts', 'src/cli/main.ts'],
    rules: { 'no-restricted-syntax': ['error', castToSafe, spreadOfMany, ...writesByItself] },
  },
  { files: ['**/*.js', '**/*.cjs'], languageOptions: { globals: globals.node } },
  {
    // In CommonJS that is how TypeScript writes an import.
    files: ['**/*.cts'],
    rules: { '@typescript-eslint/no-require-imports': ['error', { allowAsImport: true }] },
  },
  {
    files: ['src/app/pages/assets/*.js'],
    languageOptions: { globals: globals.browser, sourceType: 'script' },
  },
  ...arrows,
)
