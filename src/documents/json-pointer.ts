/** A name as a step of a JSON Pointer, with its slash in front (RFC 6901, section 3). */
export function pointerStep(name: string): string {
  return `/${name.replaceAll('~', '~0').replaceAll('/', '~1')}`
}

/** The names in a JSON Pointer, `''` having none (RFC 6901, section 4). */
export function pointerNames(pointer: string): string[] {
  return pointer
    .split('/')
    .slice(1)
    .map((step) => step.replaceAll('~1', '/').replaceAll('~0', '~'))
}
