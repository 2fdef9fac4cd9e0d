import { join } from '../violations.js'
import type { Violation } from '../failures.js'

import { filterText, namesInFilter } from './filter.js'
import type { AnyStructure } from './model.js'
import { listed, topLevel, type AnyQuery, type QueryRules } from './query.js'

/**
 * What a service says that it can't do with a set (the vocabulary Capabilities; attributes of
 * `sap:` in version 2).
 */
export interface Restrictions {
  /** Query options that it does not have. */
  readonly without?: readonly string[]
  /** Query options that it has, though its version does not. */
  readonly has?: readonly string[]
  /** Properties that it can't filter by, sort by, expand. */
  readonly unfiltered?: readonly string[]
  readonly unsorted?: readonly string[]
  readonly unexpanded?: readonly string[]
  /** There must be a filter, and it must speak of these properties. */
  readonly filtered?: readonly string[] | undefined
  /** Properties that it does not take from who creates, and from who changes an entity. */
  readonly notCreated?: readonly string[]
  readonly notChanged?: readonly string[]
}

/** Finds every place where a query asks for what the service says that it can't do. */
export function checkRestrictions(
  restricted: Restrictions,
  input: Readonly<Record<string, unknown>>,
  structure: AnyStructure,
  rules: QueryRules,
  violations: Violation[],
): void {
  const { filter, orderBy, expand } = input as AnyQuery
  const told = (
    path: string,
    names: readonly string[],
    refused: readonly string[] | undefined,
    what: string,
  ): void => {
    for (const name of names)
      if (refused?.includes(name) === true)
        violations.push({
          path,
          message: `the service can't ${what} ${name}; it says so in its metadata`,
        })
  }
  const inFilter =
    filter === undefined ? [] : namesInFilter(filterText(filter, structure, rules.words), structure)
  told('filter', inFilter, restricted.unfiltered, 'filter by')
  told(
    'orderBy',
    orderBy === undefined
      ? []
      : listed(orderBy)
          .split(',')
          .map((each) => each.trim().replace(/ (?:asc|desc)$/, '')),
    restricted.unsorted,
    'sort by',
  )
  told('expand', expandedNames(expand), restricted.unexpanded, 'expand')
  if (restricted.filtered === undefined) return
  if (filter === undefined)
    violations.push({
      path: 'filter',
      message: `is missing; the service answers only who says which ones${restricted.filtered.length === 0 ? '' : `, by ${restricted.filtered.join(' and ')}`}`,
    })
  else
    for (const name of restricted.filtered)
      if (!inFilter.includes(name))
        violations.push({
          path: join('filter', name),
          message: 'must be a part of the filter; the service wants it',
        })
}

function expandedNames(expand: AnyQuery['expand']): string[] {
  if (expand === undefined) return []
  if (typeof expand === 'string')
    return topLevel(expand).map((each) => each.replace(/[(/].*$/s, '').trim())
  return expand.flatMap((each) =>
    typeof each === 'string' ? [each.replace(/[(/].*$/s, '')] : Object.keys(each),
  )
}
