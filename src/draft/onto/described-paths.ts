import { isPlainObject } from '../../contract/plain.js'
import { listIn, type Description } from './description.js'

/** So many steps of an address are tried that may stand before its path. */
const mostBefore = 8

interface Step {
  readonly literal: Map<string, Step>
  readonly templated: { readonly form: RegExp; readonly step: Step }[]
  /** Some descriptions have several of one form. */
  readonly templates: string[]
}

/**
 * Finds the path of a description that an address is meant by: literal steps before parameters
 * (OpenAPI 3.1, section 4.8.8.2).
 */
export class DescribedPaths {
  /** The paths of the service's addresses, the longest first. */
  bases: readonly string[]
  readonly templates: readonly string[]
  private readonly first: Step = newStep()

  constructor(description: Description) {
    const root = description.objectAt({ document: description.root, path: [] })
    this.bases = basesOf(root)
    const { paths } = root
    this.templates = Object.keys(isPlainObject(paths) ? paths : {})
    for (const template of this.templates) this.add(template)
  }

  /**
   * The paths of a description that an address may be meant by, the likeliest first; none where it
   * has no such path.
   */
  find({ pathname }: URL): readonly string[] {
    return this.bases.flatMap((base) =>
      `${pathname}/`.startsWith(`${base}/`)
        ? lookUp(this.first, stepsOf(pathname.slice(base.length)))
        : [],
    )
  }

  /**
   * Learns where the service was when it was recorded, should it be nowhere where the description
   * says: behind what of the addresses the most of them are of paths that it has.
   *
   * @param only the address that somebody said it was at
   */
  learn(urls: readonly URL[], only?: string): void {
    if (only !== undefined) {
      this.bases = [pathOf(only)]
      return
    }
    if (urls.some((url) => this.find(url).length > 0)) return
    const counts = new Map<string, number>()
    for (const { pathname } of urls) {
      const steps = pathname.split('/')
      for (let length = 1; length < Math.min(steps.length, mostBefore); length += 1)
        if (lookUp(this.first, stepsOf(`/${steps.slice(length).join('/')}`)).length > 0) {
          const base = steps.slice(0, length).join('/')
          counts.set(base, (counts.get(base) ?? 0) + 1)
        }
    }
    const [best] = [...counts].sort(
      ([one, count], [other, others]) => others - count || one.length - other.length,
    )
    if (best !== undefined) this.bases = [best[0]]
  }

  private add(template: string): void {
    let at = this.first
    for (const step of stepsOf(template)) at = this.behind(at, step)
    at.templates.push(template)
  }

  private behind(at: Step, step: string): Step {
    const isLiteral = !step.includes('{')
    const known = isLiteral
      ? at.literal.get(step)
      : at.templated.find(({ form }) => form.source === formOf(step).source)?.step
    if (known !== undefined) return known
    const made = newStep()
    if (isLiteral) at.literal.set(step, made)
    else at.templated.push({ form: formOf(step), step: made })
    // What says more of the step is likelier: `{number}.pdf` before `{name}`.
    at.templated.sort((one, other) => other.form.source.length - one.form.source.length)
    return made
  }
}

function newStep(): Step {
  return { literal: new Map(), templated: [], templates: [] }
}

function lookUp(at: Step, [step, ...others]: readonly string[]): readonly string[] {
  if (step === undefined) return at.templates
  const literal = at.literal.get(step)
  return [
    ...(literal === undefined ? [] : lookUp(literal, others)),
    ...at.templated.flatMap(({ form, step: next }) =>
      form.test(step) ? lookUp(next, others) : [],
    ),
  ]
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
  const addresses = listIn(root['servers']).flatMap((server) => {
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
