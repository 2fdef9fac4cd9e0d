import type { SecurityScheme } from '../contract/contract.js'
import { addAll } from '../contract/lists.js'
import { present } from '../contract/present.js'
import { breaks, fine, mayBreak, type Change } from './change.js'
import { compareFacts, draft, settled, type At, type Draft } from './drafts.js'
import type { Side, Sides } from './side.js'

/** What differs of the ways to prove who calls, which are matched by their names. */
export function loginChanges({ before, after }: Sides): Change[] {
  const byName = ({ contract }: Side): Map<string, SecurityScheme> =>
    new Map(contract.security.map((scheme) => [scheme.name, scheme]))
  const [old, now] = [byName(before), byName(after)]
  const drafts: Draft[] = []
  const seen = fine('TypeScript does not know it')
  for (const [name, scheme] of old) {
    const other = now.get(name)
    const at: At = {
      subject: { kind: 'login', name },
      words: `the login ${name}`,
      directions: [],
      names: [],
      before: scheme.origin,
      ...present({ after: other?.origin }),
    }
    if (other === undefined)
      drafts.push(
        draft(at, 'gone', `${at.words} is gone`, [
          { calls: mayBreak('what it opened is told at the operations'), code: seen },
        ]),
      )
    else if (scheme.scheme !== other.scheme)
      drafts.push(
        draft(
          at,
          'login',
          `${at.words} was ${scheme.scheme}, is ${other.scheme}`,
          [{ calls: breaks('running clients prove who they are as before'), code: seen }],
          { was: scheme.scheme, is: other.scheme },
        ),
      )
    else addAll(drafts, compareFacts(at, before.wire.login(scheme), after.wire.login(other)))
  }
  for (const [name, scheme] of now)
    if (!old.has(name)) {
      const at: At = {
        subject: { kind: 'login', name },
        words: `the login ${name}`,
        directions: [],
        names: [],
        after: scheme.origin,
      }
      drafts.push(
        draft(at, 'new', `${at.words} is new: ${scheme.scheme}`, [
          { calls: fine('who wants it is told at the operations'), code: seen },
        ]),
      )
    }
  return drafts.map((made) => settled(made, [], () => []))
}
