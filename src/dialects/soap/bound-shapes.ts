import type { Fault, Field, Operation, RecordType } from '../../contract/contract.js'
import {
  type OperationSpecifics,
  type OperationWire,
  faultSpecifics,
  fieldSpecifics,
} from './specifics.js'
import { NotYet } from './message-parts.js'

/** An operation as a binding has it. */
export interface BoundShape extends Pick<Operation, 'inputs' | 'choices' | 'faults'> {
  readonly specifics: OperationSpecifics
  readonly outputs: readonly Field[]
}

/**
 * Two ways of putting an operation on the wire as one: with the headers and the faults about
 * headers of both. Elements around the content and actions are facts of the endpoint.
 *
 * @throws NotYet where anything else differs, which would need two shapes for one input
 */
export function inOneShape(first: BoundShape, other: BoundShape): BoundShape {
  const body = ({ inputs, choices, outputs, faults, specifics }: BoundShape): string =>
    JSON.stringify([
      inputs.filter(({ place }) => place !== 'messageHeader'),
      choices,
      outputs.filter((field) => !isHeaders(field)),
      faults.filter((fault) => faultSpecifics(fault).inHeader !== true),
      { ...specifics, request: undefined, answer: undefined, addressedAction: undefined },
      specifics.request === undefined,
      specifics.answer === undefined,
    ])
  if (body(first) !== body(other))
    throw new NotYet('its messages differ from those at the first endpoint')
  const headers = (of: BoundShape): readonly Field[] =>
    of.outputs.filter(isHeaders).flatMap(({ type }) => (type.kind === 'record' ? type.fields : []))
  const returned = withOthers(headers(first), headers(other))
  const [holder] = [...first.outputs, ...other.outputs].filter(isHeaders)
  return {
    ...first,
    inputs: withOthers(first.inputs, other.inputs),
    outputs: [
      ...first.outputs.filter((field) => !isHeaders(field)),
      ...(holder === undefined
        ? []
        : [{ ...holder, type: { ...(holder.type as RecordType), fields: returned } }]),
    ],
    faults: withHeaderFaults(first.faults, other.faults),
  }
}

/** The names of the headers that a request may have. */
export function headersOf({ inputs }: Pick<BoundShape, 'inputs'>): string[] {
  return inputs.filter(({ place }) => place === 'messageHeader').map(({ name }) => name)
}

function isHeaders(field: Field): boolean {
  return fieldSpecifics(field).place === 'headers'
}

/** Fields with those of others that are not among them. @throws NotYet where one is of two types */
function withOthers<Each extends Field>(fields: readonly Each[], others: readonly Each[]): Each[] {
  const known = new Map(fields.map((field) => [field.name, field]))
  for (const other of others) {
    const same = known.get(other.name)
    if (same !== undefined && JSON.stringify(same.type) !== JSON.stringify(other.type))
      throw new NotYet(`its header "${other.name}" has another type at the first endpoint`)
  }
  return [...fields, ...others.filter(({ name }) => !known.has(name))]
}

/** What is put on the wire otherwise than at the first endpoint. */
export function differing(
  first: OperationSpecifics,
  here: OperationSpecifics,
): Omit<OperationWire, 'action'> {
  const isSame = (one: unknown, other: unknown): boolean =>
    JSON.stringify(one) === JSON.stringify(other)
  const { request, answer, addressedAction } = here
  return {
    ...(request === undefined || isSame(first.request, request) ? {} : { request }),
    ...(answer === undefined || isSame(first.answer, answer) ? {} : { answer }),
    ...(addressedAction === undefined || first.addressedAction === addressedAction
      ? {}
      : { addressedAction }),
  }
}

/** Faults with those about headers, which may be declared with several of them. */
export function withHeaderFaults(faults: readonly Fault[], others: readonly Fault[]): Fault[] {
  return others.reduce<Fault[]>(
    (found, each) => (found.some(({ name }) => name === each.name) ? found : [...found, each]),
    [...faults],
  )
}
