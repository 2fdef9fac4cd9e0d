import { present } from '../../contract/present.js'

/** Documentation as a member of a node, where there is any. */
export function documented(documentation: string | undefined): { documentation?: string } {
  return present({ documentation })
}
