import type {
  InputField,
  NamedType,
  Operation,
  Service,
  Type,
  TypeId,
} from '../../contract/contract.js'
import { operationSpecifics } from './specifics.js'

/** Texts that stand for values of a type, where only the type tells what is written there. */
const examples: Readonly<Partial<Record<string, string>>> = {
  boolean: 'true',
  decimal: '1.5',
  float: '1.5',
  double: '1.5',
  date: '2026-11-23',
  dateTime: '2026-11-23T14:30:00Z',
  time: '14:30:00',
  duration: 'P1D',
  year: '2026',
  yearMonth: '2026-11',
}
const whole = /^(?:u?int\d+|integer)$/

/**
 * Services whose operations of plain HTTP have examples in the shape of what the operation of the
 * same name by SOAP knows: ports of plain HTTP call everything a text.
 */
export function withExamplesOfTwins(
  services: readonly Service[],
  types: Readonly<Record<TypeId, NamedType>>,
): Service[] {
  const twins = new Map<string, Operation>()
  for (const operation of services.flatMap(({ operations }) => operations))
    if (operationSpecifics(operation).plain === undefined) twins.set(lastStep(operation), operation)
  return services.map((service) => ({
    ...service,
    operations: service.operations.map((operation) => {
      const twin = twins.get(lastStep(operation))
      return operationSpecifics(operation).plain === undefined || twin === undefined
        ? operation
        : {
            ...operation,
            inputs: operation.inputs.map((input) => withExample(input, twin.inputs, types)),
          }
    }),
  }))
}

function lastStep({ path }: Operation): string {
  return path.at(-1) ?? ''
}

function withExample(
  input: InputField,
  known: readonly InputField[],
  types: Readonly<Record<TypeId, NamedType>>,
): InputField {
  const twin = known.find(({ name }) => name === input.name)
  const example = twin === undefined ? undefined : exampleOf(twin.type, types)
  return input.type.kind === 'scalar' && input.type.base === 'text' && example !== undefined
    ? { ...input, type: { ...input.type, example } }
    : input
}

function exampleOf(type: Type, types: Readonly<Record<TypeId, NamedType>>): string | undefined {
  if (type.kind === 'reference') {
    const named = types[type.to]
    return named === undefined ? undefined : exampleOf(named, types)
  }
  if (type.kind === 'enumeration') return type.members[0]?.value
  if (type.kind !== 'scalar') return undefined
  const { base, constraints, example } = type
  if (example !== undefined) return example
  return whole.test(base) ? (constraints?.minimum ?? '1') : examples[base]
}
