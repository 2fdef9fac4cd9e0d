import { expected, join } from '../violations.js'
import type { Connection } from '../connection.js'
import { InputRejected, type Misfit } from '../failures.js'
import { isObject } from '../json/values.js'
import { keyedSteps, type Resource } from './addresses.js'
import { checkKey, checkStructure } from './checking.js'
import type { Purpose } from './model.js'
import { checkQuery } from './query.js'
import { checkRestrictions, type Restrictions } from './restrictions.js'
import type { Facts } from './sending.js'

/** An operation on an entity set, a singleton, or the entities inside another one. */
export interface EntityOperation<Entity = unknown> extends Facts, Resource<Entity> {
  /** What the service says that it can't do with them. */
  readonly restricted?: Restrictions
}

type Input = Readonly<Record<string, unknown>>

/**
 * Checks an input, unless the settings say otherwise.
 *
 * @throws InputRejected with all that is wrong
 */
export function checked(
  connection: Connection,
  operation: Facts,
  input: unknown,
  check: (misfits: Misfit[]) => void,
): void {
  if (connection.settings.checkInputs === false) return
  const misfits: Misfit[] = []
  if (isObject(input)) check(misfits)
  else misfits.push({ path: '', message: 'expected an object' })
  if (misfits.length > 0) throw new InputRejected(operation.name, misfits)
}

/** Checks the key of what a resource lies in. @returns the names of inputs that say it */
export function checkWithin(
  resource: Resource,
  input: object,
  misfits: Misfit[],
): readonly string[] {
  const steps = keyedSteps(resource)
  const [only, ...others] = steps
  const { of } = input as { readonly of?: unknown }
  if (only === undefined) return []
  if (others.length === 0) checkKey(only.of, of, 'of', misfits)
  else if (!isObject(of))
    misfits.push({
      path: 'of',
      message:
        of === undefined
          ? 'is missing'
          : expected(`an object with ${steps.map(({ path }) => path).join(' and ')}`, of),
    })
  else for (const step of steps) checkKey(step.of, of[step.path], join('of', step.path), misfits)
  return ['of']
}

/** Checks a query of many entities: its options and what the service says of them. */
export function checkListing(
  connection: Connection,
  operation: EntityOperation,
  input: object,
  options: readonly string[],
  others: readonly string[] = [],
): void {
  checked(connection, operation, input, (misfits) => {
    const { of, protocol, restricted } = operation
    checkQuery(
      input as Input,
      of,
      protocol,
      offered(options, restricted),
      [...checkWithin(operation, input, misfits), ...others],
      '',
      misfits,
    )
    const { trackChanges, pageSize } = input as Input
    if (trackChanges !== undefined && typeof trackChanges !== 'boolean')
      misfits.push({
        path: 'trackChanges',
        message: expected('true or false', trackChanges),
      })
    if (pageSize !== undefined && !(Number.isInteger(pageSize) && Number(pageSize) > 0))
      misfits.push({
        path: 'pageSize',
        message: expected('a whole number from 1 on', pageSize),
      })
    if (restricted !== undefined && misfits.length === 0)
      checkRestrictions(restricted, input as Input, of, protocol, misfits)
  })
}

/**
 * @param wanted the query options that are admitted, what a body is for, whether there is no
 *   entity yet, and further inputs
 */
export function checkEntityInput(
  connection: Connection,
  operation: EntityOperation,
  input: object,
  wanted: {
    readonly options?: readonly string[]
    readonly purpose?: Purpose
    readonly isNew?: boolean
    readonly others?: readonly string[]
  },
): void {
  checked(connection, operation, input, (misfits) => {
    const { of, protocol, singleton, restricted } = operation
    const { options = [], purpose, isNew = false, others = [] } = wanted
    const values = input as Input
    const hasKey = singleton !== true && !isNew
    const outer = checkWithin(operation, input, misfits)
    if (hasKey) checkKey(of, values['key'], 'key', misfits)
    if (purpose !== undefined) {
      if (values['body'] === undefined) misfits.push({ path: 'body', message: 'is missing' })
      else checkStructure(of, values['body'], 'body', purpose, misfits, protocol.deepUpdates)
      const kept = (isNew ? restricted?.notCreated : restricted?.notChanged) ?? []
      if (isObject(values['body']))
        for (const name of kept)
          if (values['body'][name] !== undefined)
            misfits.push({
              path: join('body', name),
              message: `is not taken ${isNew ? 'from who creates an entity' : 'as a change'} here: the service says so`,
            })
    }
    checkTag(values, 'ifMatch', misfits)
    checkTag(values, 'ifNoneMatch', misfits)
    checkQuery(
      values,
      of,
      protocol,
      offered(options, restricted),
      [
        ...outer,
        ...(hasKey ? ['key'] : []),
        ...(purpose === undefined ? [] : ['body']),
        ...(isNew ? [] : ['ifMatch']),
        ...others,
      ],
      '',
      misfits,
    )
    if (restricted !== undefined && misfits.length === 0)
      checkRestrictions({ ...restricted, filtered: undefined }, values, of, protocol, misfits)
  })
}

/** Checks what says for which version of an entity a request is meant. */
export function checkTag(input: Input, name: 'ifMatch' | 'ifNoneMatch', misfits: Misfit[]): void {
  const tag = input[name]
  if (tag !== undefined && typeof tag !== 'string')
    misfits.push({ path: name, message: expected('text', tag) })
}

/** The header that says for which version of an entity a request is meant. */
export function ifMatchOf(input: object): Readonly<Record<string, string>> {
  const { ifMatch } = input as { readonly ifMatch?: string }
  return ifMatch === undefined ? {} : { 'if-match': ifMatch }
}

function offered(
  options: readonly string[],
  restricted: Restrictions | undefined,
): readonly string[] {
  return [...options, ...(restricted?.has ?? [])].filter(
    (each) => restricted?.without?.includes(each) !== true,
  )
}
