import { existsSync } from 'node:fs'

/**
 * Are the programs there that open pictures and pages (graphviz, poppler-utils, chromium of
 * Debian)? In CI they must be.
 */
export const hasViewers: boolean =
  process.env['TOLMACH_WANTS_VIEWERS'] === '1' ||
  ['dot', 'pdftotext', 'chromium'].every((name) => existsSync(`/usr/bin/${name}`))
