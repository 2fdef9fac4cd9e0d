import type { Field } from '../contract/contract.js'
import { breaks, fine, mayBreak, type Direction, type Effect } from './change.js'

/** What the usual changes of members do: by which way they travel, and what was promised. */

/**
 * What a member that is gone does.
 *
 * @param isOpen others may stand in its place
 * @param wasThere every answer had it
 */
export function goneEffect(
  field: Field,
  isOpen: boolean,
  wasThere: boolean,
  direction: Direction,
): Effect {
  if (direction === 'received')
    return {
      calls: wasThere ? breaks('running clients miss it') : fine('it did not always come'),
      code: breaks('code that reads it does not compile'),
    }
  const code = breaks('code that sends it does not compile')
  if (isOpen) return { calls: fine('it is taken as any other member'), code }
  return {
    calls: field.optional ? mayBreak('who sends it is refused') : breaks('it is always sent'),
    code,
  }
}

export function newEffect(isRequired: boolean, isChosen: boolean, direction: Direction): Effect {
  if (isChosen)
    return direction === 'sent'
      ? { calls: fine('the other choices are still there'), code: fine('nobody has to choose it') }
      : {
          calls: mayBreak('running clients do not know this choice'),
          code: mayBreak('code that covers all cases stops compiling'),
        }
  if (direction === 'received')
    return {
      calls: fine('running clients hand it on, and report a deviation'),
      code: fine('nobody has to read it'),
    }
  return isRequired
    ? { calls: breaks('running clients do not send it'), code: breaks('it has to be given') }
    : { calls: fine('nobody has to send it'), code: fine('nobody has to give it') }
}

export function presenceEffect(isOptional: boolean, direction: Direction): Effect {
  const isSent = direction === 'sent'
  if (isOptional === isSent)
    return isSent
      ? { calls: fine('it may still be sent'), code: fine('it may still be given') }
      : { calls: fine('it always comes'), code: fine('it is always there') }
  return isSent
    ? {
        calls: mayBreak('who leaves it out is refused'),
        code: mayBreak('code that leaves it out does not compile'),
      }
    : {
        calls: mayBreak('running clients may miss it'),
        code: breaks('code has to think of its absence'),
      }
}

/** What it does that null is allowed, or is no more. */
export function nullEffect(isAllowed: boolean, direction: Direction): Effect {
  const isSent = direction === 'sent'
  if (isAllowed === isSent)
    return { calls: fine('nothing more is asked'), code: fine('nothing more is asked') }
  return isSent
    ? { calls: mayBreak('null is refused'), code: breaks('null does not compile any more') }
    : { calls: mayBreak('null was not promised'), code: breaks('null has to be thought of') }
}
