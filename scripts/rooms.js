/**
 * The rooms of src/ and which rooms each may use: docs/architecture.md in a form that eslint.config.js and scripts/arrows.js enforce.
 * `dialectsToo`: dialects/dialect.ts, the interface, and nothing else of dialects.
 */
export const rooms = {
  contract: { mayUse: [] },
  documents: { mayUse: ['contract'] },
  naming: { mayUse: ['contract'] },
  runtime: { mayUse: [] },
  dialects: { mayUse: ['contract', 'documents', 'naming', 'typescript', 'runtime'] },
  typescript: { mayUse: ['contract', 'naming'], dialectsToo: true },
  exercise: { mayUse: ['contract', 'naming', 'runtime'], dialectsToo: true },
  'stand-in': { mayUse: ['contract', 'naming', 'runtime'], dialectsToo: true },
  diagram: { mayUse: ['contract', 'naming'], dialectsToo: true },
  project: { mayUse: ['contract', 'documents'] },
  app: { mayUse: ['contract', 'documents', 'naming', 'runtime', 'dialects', 'typescript', 'exercise', 'stand-in', 'diagram', 'project'] },
  cli: { mayUse: ['app'] },
}
