import { pascalCase } from '../../naming/identifiers.js'
import { memberName, numberedStep } from '../../naming/methods.js'
import type { Notes } from '../notes.js'
import type { FoundOperation } from './operations.js'
import { verbs } from './verbs.js'

type Path = readonly string[]

/** What our own operations are called. */
const ownNames = new Set(verbs.flatMap(({ kind, called = kind }) => [kind, called]))

/** Gives every operation a path of its own. */
export class OperationPaths {
  private readonly notes: Notes
  /** Paths given so far, as members of the client. */
  private readonly taken = new Set<string>()

  constructor(notes: Notes) {
    this.notes = notes
  }

  /**
   * The path itself where it is free; an overload is told by its parameters, and what is called
   * like one of our own operations gets a trailing `_`.
   */
  give(found: FoundOperation): Path {
    const given = this.freePath(found)
    this.taken.add(asMember(given))
    return given
  }

  private freePath(found: FoundOperation): Path {
    const { path, specifics } = found
    if (this.isFree(path)) return path
    const last = path.at(-1) ?? ''
    const apart = beside(path, `${last}_`)
    const isLikeOurs =
      specifics.kind === 'invoke' && path.length > 1 && ownNames.has(memberName(last))
    return isLikeOurs && this.isFree(apart) ? apart : this.toldByParameters(found)
  }

  private toldByParameters({ path, inputs, origin }: FoundOperation): Path {
    const last = path.at(-1) ?? ''
    const parameters = inputs.filter(({ place }) => place === 'body').map(({ name }) => name)
    const told = parameters.length === 0 ? 'Plain' : `By${parameters.map(pascalCase).join('And')}`
    const telling = beside(path, `${last}${told}`)
    const numbered = (): Path =>
      beside(
        path,
        numberedStep(last, (step) => this.isFree(beside(path, step))),
      )
    const given = this.isFree(telling) ? telling : numbered()
    this.notes.add(
      'approximated',
      'TM-2409',
      {
        name: path.join('.'),
        parameters: parameters.join(', ') || 'no parameters',
        given: given.join('.'),
      },
      origin,
    )
    return given
  }

  private isFree(path: Path): boolean {
    return !this.taken.has(asMember(path))
  }
}

function asMember(path: Path): string {
  return beside(path, memberName(path.at(-1) ?? '')).join('.')
}

/** A path with another last step. */
function beside(path: Path, step: string): Path {
  return [...path.slice(0, -1), step]
}
