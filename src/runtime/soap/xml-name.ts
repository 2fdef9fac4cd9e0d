import type { QName } from './codec.js'

/** A name as `{namespace}local`, or just `local`. */
export function parseName(name: string): QName {
  const [, namespace, local] = /^(?:\{(.*)\})?(.*)$/s.exec(name) ?? []
  return [namespace ?? '', local ?? '']
}

/** A name as text: `{namespace}local`, or just `local` where there is no namespace. */
export function nameText(namespace: string, local: string): string {
  return namespace === '' ? local : `{${namespace}}${local}`
}

/** Can it be the name of an element or an attribute (Namespaces in XML, section 4)? */
export function isName(name: string): boolean {
  const [namespace, local] = parseName(name)
  return (
    /^[\p{L}_][\p{L}\p{N}\p{M}._·-]*$/u.test(local) &&
    !/[\u0000-\u001f\ufffe\uffff{}]/.test(namespace) &&
    namespace !== 'http://www.w3.org/2000/xmlns/'
  )
}
