import { isPlainObject } from '../../contract/plain.js'
import type { Description } from './description.js'

/** A path of a description. */
export interface DescribedPath {
  /** As the description has it: `/vessels/{number}`. */
  readonly template: string
  /** The path that the service's address has of itself. */
  readonly base: string
}

interface Step {
  readonly literal: Map<string, Step>
  readonly templated: { readonly form: RegExp; readonly step: Step }[]
  template: string | undefined
}

/**
 * Finds the path of a description that an address is meant by: literal steps before parameters
 * (OpenAPI 3.1, section 4.8.8.2).
 */
export class DescribedPaths {
  /** The paths of the service's addresses, the longest first. */
  readonly bases: readonly string[]
  readonly templates: readonly string[]
  private readonly first: Step = { literal: new Map(), templated: [], template: undefined }

  constructor(description: Description) {
    const root = description.objectAt({ document: description.root, path: [] })
    this.bases = basesOf(root)
    const { paths } = root
    this.templates = Object.keys(isPlainObject(paths) ? paths : {})
    for (const template of this.templates) this.add(template)
  }

  /** @returns undefined where the description has no such path */
  find(url: URL): DescribedPath | undefined {
    for (const base of this.bases) {
      if (!`${url.pathname}/`.startsWith(`${base}/`)) continue
      const template = lookUp(this.first, stepsOf(url.pathname.slice(base.length)))
      if (template !== undefined) return { template, base }
    }
    return undefined
  }

  private add(template: string): void {
    let at = this.first
    for (const step of stepsOf(template)) at = this.behind(at, step)
    at.template ??= template
  }

  private behind(at: Step, step: string): Step {
    const isLiteral = !step.includes('{')
    const known = isLiteral
      ? at.literal.get(step)
      : at.templated.find(({ form }) => form.source === formOf(step).source)?.step
    if (known !== undefined) return known
    const made: Step = { literal: new Map(), templated: [], template: undefined }
    if (isLiteral) at.literal.set(step, made)
    else at.templated.push({ form: formOf(step), step: made })
    return made
  }
}

function lookUp(at: Step, [step, ...others]: readonly string[]): string | undefined {
  if (step === undefined) return at.template
  const literal = at.literal.get(step)
  const found = literal === undefined ? undefined : lookUp(literal, others)
  if (found !== undefined) return found
  for (const { form, step: next } of at.templated) {
    const below = form.test(step) ? lookUp(next, others) : undefined
    if (below !== undefined) return below
  }
  return undefined
}

function stepsOf(path: string): string[] {
  return path.split(/[?#]/)[0]?.split('/').slice(1).map(decoded) ?? []
}

function decoded(step: string): string {
  try {
    return decodeURIComponent(step)
  } catch {
    return step
  }
}

/** What a step with parameters in it looks like: `{number}.pdf`. */
function formOf(step: string): RegExp {
  const parts = step.split(/\{[^}]*\}/).map((part) => part.replace(/[$()*+.?[\\\]^{|}]/g, '\\$&'))
  return new RegExp(`^${parts.join('.+')}$`, 'u')
}

/** The paths of the addresses that a description names, with any value for their variables. */
function basesOf(root: Readonly<Record<string, unknown>>): string[] {
  const servers = Array.isArray(root['servers']) ? (root['servers'] as unknown[]) : []
  const addresses = servers.flatMap((server) => {
    const { url, variables } = isPlainObject(server) ? server : {}
    return typeof url === 'string' ? [withDefaults(url, variables)] : []
  })
  const old = typeof root['basePath'] === 'string' ? [root['basePath']] : []
  const paths = [...addresses, ...old].map(pathOf)
  return [...new Set(paths.length === 0 ? [''] : paths)].sort(
    (one, other) => other.length - one.length,
  )
}

function withDefaults(url: string, variables: unknown): string {
  return url.replace(/\{([^}]*)\}/g, (_, name: string) => {
    const variable = isPlainObject(variables) ? variables[name] : undefined
    return String(isPlainObject(variable) ? variable['default'] : name)
  })
}

function pathOf(address: string): string {
  if (!URL.canParse(address, 'http://described.example/')) return ''
  return new URL(address, 'http://described.example/').pathname.replace(/\/+$/, '')
}
