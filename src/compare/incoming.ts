import type { Incoming } from '../contract/contract.js'
import { present } from '../contract/present.js'
import { fine, mayBreak } from './change.js'
import { draft, type At, type Draft } from './drafts.js'
import type { TypeComparer } from './types.js'

/** What differs of the messages that a service sends of its own accord, matched by their names. */
export function incomingDrafts(
  types: TypeComparer,
  was: readonly Incoming[] = [],
  is: readonly Incoming[] = [],
  at: At,
): Draft[] {
  const now = new Map(is.map((each) => [each.name, each]))
  const had = new Set(was.map(({ name }) => name))
  const code = fine('nobody calls it')
  const placeOf = (name: string, before?: Incoming, after?: Incoming): At => ({
    ...at,
    words: `the message ${name} of ${at.words}`,
    directions: ['received'],
    ...present({ before: before?.origin, after: after?.origin }),
  })
  return [
    ...was.flatMap((each) => {
      const other = now.get(each.name)
      const place = placeOf(each.name, each, other)
      if (other === undefined)
        return [
          draft(place, 'gone', `${place.words} is gone`, [
            { calls: mayBreak('who waits for it waits in vain'), code },
          ]),
        ]
      return types.compare(
        each.type ?? { kind: 'nothing' },
        other.type ?? { kind: 'nothing' },
        place,
      )
    }),
    ...is
      .filter(({ name }) => !had.has(name))
      .map((each) => {
        const place = placeOf(each.name, undefined, each)
        return draft(place, 'new', `${place.words} is new`, [
          { calls: fine('nobody waits for it yet'), code },
        ])
      }),
  ]
}
