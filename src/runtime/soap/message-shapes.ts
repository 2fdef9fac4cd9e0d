import { shapeOf, type AnyMember, type MemberChoice, type Shape } from './codec.js'
import type { SoapOperation } from './operation.js'

const shapesByMembers = new WeakMap<object, Shape>()
const noMembers = {}

/** The shape of a table of members that is no type of its own. */
export function shapeOfMembers(
  given: Readonly<Record<string, unknown>> | undefined,
  namespace: string,
  choices: readonly MemberChoice[] = [],
): Shape {
  const members = given ?? noMembers
  let shape = shapesByMembers.get(members)
  if (shape === undefined) {
    shape = shapeOf({ namespace, members: members as Readonly<Record<string, AnyMember>>, choices })
    shapesByMembers.set(members, shape)
  }
  return shape
}

/** The shape of what stands in the body of a request. */
export function inputShape<Input, Outcome>(operation: SoapOperation<Input, Outcome>): Shape {
  return shapeOfMembers(operation.input, operation.namespace, operation.choices)
}

/** The shape of the headers of a request. */
export function headerShape<Input, Outcome>(operation: SoapOperation<Input, Outcome>): Shape {
  return shapeOfMembers(
    operation.headers as Readonly<Record<string, unknown>> | undefined,
    operation.namespace,
  )
}

/** The shape of what stands in the body of an answer. */
export function answerShape<Input, Outcome>(operation: SoapOperation<Input, Outcome>): Shape {
  return shapeOfMembers(operation.answer?.members, operation.namespace)
}
