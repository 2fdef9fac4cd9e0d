/**
 * Words that can't be an identifier in a module (ECMAScript 2023, section 12.7.2), or that
 * TypeScript gives a meaning.
 */
export const keywords: ReadonlySet<string> = new Set(
  (
    'abstract any as asserts async await bigint boolean break case catch class const constructor continue debugger declare default delete do else enum ' +
    'export extends false finally for from function get global if implements import in infer instanceof interface is keyof let module namespace never ' +
    'new null number object of out override package private protected public readonly require return satisfies set static string super switch symbol ' +
    'this throw true try type typeof undefined unique unknown using var void while with yield accessor arguments eval'
  ).split(' '),
)

/**
 * Names that mean something everywhere in a program: a type of the same name would be taken for
 * them.
 */
export const globals: ReadonlySet<string> = new Set(
  (
    'AbortController AbortSignal Array ArrayBuffer AsyncIterable AsyncIterator Atomics BigInt Blob Boolean Buffer CustomEvent DataView Date Document Element ' +
    'Error Event EventTarget Exclude Extract File FormData Function Headers History Infinity Image Intl Iterable Iterator JSON Location Map Math ' +
    'Message MessageEvent NaN Navigator Node NonNullable Notification Number Object Omit Option Parameters Partial Performance Pick Plain Promise Proxy ' +
    'Range RangeError Readonly ReadonlyArray Record ReferenceError Reflect RegExp Request Required Response ReturnType Screen Selection Set ' +
    'SharedArrayBuffer Storage String Symbol SyntaxError Text TextDecoder TextEncoder Types TypeError URL URLSearchParams Uint8Array WeakMap WeakRef WeakSet ' +
    'Window Worker console crypto document fetch globalThis performance process self window'
  ).split(' '),
)

/** Is it a name that some file systems keep for a device? No file can be called so. */
export function isDevice(name: string): boolean {
  return /^(?:con|prn|aux|nul|com\d|lpt\d)$/i.test(name)
}
