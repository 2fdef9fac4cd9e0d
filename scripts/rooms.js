/**
 * The rooms of src/ and which rooms each may use: docs/architecture.md in a form that
 * eslint.config.js and scripts/arrows.js enforce. `dialectsToo`: dialects/dialect.ts, the
 * interface, and nothing else of dialects.
 */
export const rooms = {
  contract: { mayUse: [] },
  documents: { mayUse: ['contract'] },
  naming: { mayUse: ['contract'] },
  printing: { mayUse: ['contract', 'naming'] },
  runtime: { mayUse: [] },
  dialects: { mayUse: ['contract', 'documents', 'naming', 'printing', 'typescript', 'runtime'] },
  typescript: { mayUse: ['contract', 'naming', 'printing'], dialectsToo: true },
  exercise: { mayUse: ['contract', 'naming', 'printing', 'runtime'], dialectsToo: true },
  'stand-in': { mayUse: ['contract', 'naming', 'runtime'], dialectsToo: true },
  compare: { mayUse: ['contract', 'naming'], dialectsToo: true },
  draft: { mayUse: ['contract', 'naming', 'runtime'] },
  listen: { mayUse: ['contract'] },
  diagram: { mayUse: ['contract', 'naming', 'printing'], dialectsToo: true },
  project: { mayUse: ['contract', 'documents'] },
  app: {
    mayUse: [
      'contract',
      'documents',
      'naming',
      'printing',
      'runtime',
      'dialects',
      'typescript',
      'exercise',
      'stand-in',
      'compare',
      'draft',
      'listen',
      'diagram',
      'project',
    ],
  },
  cli: { mayUse: ['app'] },
}
