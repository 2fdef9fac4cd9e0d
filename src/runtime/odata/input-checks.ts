import { expected, join } from '../violations.js'
import type { Connection } from '../connection.js'
import { InputRejected, type Violation } from '../failures.js'
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
  check: (violations: Violation[]) => void,
): void {
  if (connection.settings.checkInputs === false) return
  const violations: Violation[] = []
  if (isObject(input)) check(violations)
  else violations.push({ path: '', message: 'expected an object' })
  if (violations.length > 0) throw new InputRejected(operation.name, violations)
}

/** Checks the key of what a resource lies in. @returns the names of inputs that say it */
export function checkWithin(
  resource: Resource,
  input: object,
  violations: Violation[],
): readonly string[] {
  const steps = keyedSteps(resource)
  const [only, ...others] = steps
  const { of } = input as { readonly of?: unknown }
  if (only === undefined) return []
  if (others.length === 0) checkKey(only.of, of, 'of', violations)
  else if (!isObject(of))
    violations.push({
      path: 'of',
      message:
        of === undefined
          ? 'is missing'
          : expected(`an object with ${steps.map(({ path }) => path).join(' and ')}`, of),
    })
  else for (const step of steps) checkKey(step.of, of[step.path], join('of', step.path), violations)
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
  checked(connection, operation, input, (violations) => {
    const { of, protocol, restricted } = operation
    checkQuery(
      input as Input,
      of,
      protocol,
      offered(options, restricted),
      [...checkWithin(operation, input, violations), ...others],
      '',
      violations,
    )
    const { trackChanges, pageSize } = input as Input
    if (trackChanges !== undefined && typeof trackChanges !== 'boolean')
      violations.push({
        path: 'trackChanges',
        message: expected('true or false', trackChanges),
      })
    if (pageSize !== undefined && !(Number.isInteger(pageSize) && Number(pageSize) > 0))
      violations.push({
        path: 'pageSize',
        message: expected('a whole number from 1 on', pageSize),
      })
    if (restricted !== undefined && violations.length === 0)
      checkRestrictions(restricted, input as Input, of, protocol, violations)
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
  checked(connection, operation, input, (violations) => {
    const { of, protocol, singleton, restricted } = operation
    const { options = [], purpose, isNew = false, others = [] } = wanted
    const values = input as Input
    const hasKey = singleton !== true && !isNew
    const outer = checkWithin(operation, input, violations)
    if (hasKey) checkKey(of, values['key'], 'key', violations)
    if (purpose !== undefined) {
      if (values['body'] === undefined) violations.push({ path: 'body', message: 'is missing' })
      else checkStructure(of, values['body'], 'body', purpose, violations, protocol.deepUpdates)
      const kept = (isNew ? restricted?.notCreated : restricted?.notChanged) ?? []
      if (isObject(values['body']))
        for (const name of kept)
          if (values['body'][name] !== undefined)
            violations.push({
              path: join('body', name),
              message: `is not taken ${isNew ? 'from who creates an entity' : 'as a change'} here: the service says so`,
            })
    }
    checkTag(values, 'ifMatch', violations)
    checkTag(values, 'ifNoneMatch', violations)
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
      violations,
    )
    if (restricted !== undefined && violations.length === 0)
      checkRestrictions({ ...restricted, filtered: undefined }, values, of, protocol, violations)
  })
}

/** Checks what says for which version of an entity a request is meant. */
export function checkTag(
  input: Input,
  name: 'ifMatch' | 'ifNoneMatch',
  violations: Violation[],
): void {
  const tag = input[name]
  if (tag !== undefined && typeof tag !== 'string')
    violations.push({ path: name, message: expected('text', tag) })
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
