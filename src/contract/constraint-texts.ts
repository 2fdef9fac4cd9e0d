import type { Constraints } from './contract.js'

/** Constraints in words. */
export function constraintTexts(constraints: Constraints): string[] {
  const {
    minimum,
    maximum,
    exclusiveMinimum,
    exclusiveMaximum,
    minLength,
    maxLength,
    multipleOf,
    totalDigits,
    fractionDigits,
    patterns,
  } = constraints
  return [
    ...rangeTexts(minimum, maximum),
    ...(exclusiveMinimum === undefined ? [] : [`more than ${exclusiveMinimum}`]),
    ...(exclusiveMaximum === undefined ? [] : [`less than ${exclusiveMaximum}`]),
    ...(minLength !== undefined && minLength === maxLength
      ? [`exactly ${minLength} long`]
      : [
          ...(minLength === undefined ? [] : [`at least ${minLength} long`]),
          ...(maxLength === undefined ? [] : [`at most ${maxLength} long`]),
        ]),
    ...(multipleOf === undefined ? [] : [`a multiple of ${multipleOf}`]),
    ...(totalDigits === undefined ? [] : [`at most ${totalDigits} digits`]),
    ...(fractionDigits === undefined ? [] : [`at most ${fractionDigits} digits after the point`]),
    ...(patterns ?? []).map(
      (group) =>
        `matching ${group.map((pattern) => `\`${pattern.replaceAll('\\p{Nd}', '\\d')}\``).join(' or ')}`,
    ),
  ]
}

function rangeTexts(minimum: string | undefined, maximum: string | undefined): string[] {
  if (minimum !== undefined && maximum !== undefined) return [`${minimum} to ${maximum}`]
  if (minimum !== undefined) return [`at least ${minimum}`]
  return maximum === undefined ? [] : [`at most ${maximum}`]
}
