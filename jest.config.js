import { availableParallelism } from 'node:os'

export default {
  testEnvironment: 'node',
  roots: ['<rootDir>/src', '<rootDir>/tests'],
  testMatch: ['**/*.test.ts'],
  extensionsToTreatAsEsm: ['.ts'],
  transform: {
    '^.+\\.ts$': [
      '@swc/jest',
      { jsc: { target: 'es2022', parser: { syntax: 'typescript' } }, module: { type: 'es6' } },
    ],
  },
  moduleNameMapper: { '^(\\.{1,2}/.*)\\.js$': '$1' },
  // Against what hangs, and nothing else: no test fails because a machine is busy.
  testTimeout: 600_000,
  // Many suites wait for programs that they start.
  maxWorkers: Math.ceil(availableParallelism() * 1.5),
  testSequencer: '<rootDir>/scripts/longest-first.js',
  globalSetup: '<rootDir>/tests/support/begin.mjs',
  globalTeardown: '<rootDir>/tests/support/end.mjs',
  reporters: ['default', '<rootDir>/scripts/totals-reporter.cjs'],
}
