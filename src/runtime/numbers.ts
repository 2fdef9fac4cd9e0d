/** Numbers as decimal digits, compared without rounding. */

/** A decimal number as whole digits and how many of them stand behind the point. */
function scaled(digits: string): [whole: bigint, scale: number] {
  const [, sign = '', whole = '0', fraction = '', exponent = '0'] =
    /^([+-]?)(\d*)(?:\.(\d*))?(?:[eE]([+-]?\d+))?$/.exec(digits) ?? []
  const value = BigInt(`${whole}${fraction}` || '0')
  const scale = fraction.length - Number(exponent)
  const signed = sign === '-' ? -value : value
  return scale < 0
    ? [signed * 10n ** BigInt(Math.min(-scale, 400)), 0]
    : [signed, Math.min(scale, 400)]
}

function aligned(a: string, b: string): [bigint, bigint] {
  const [first, firstScale] = scaled(a)
  const [second, secondScale] = scaled(b)
  const scale = Math.max(firstScale, secondScale)
  return [first * 10n ** BigInt(scale - firstScale), second * 10n ** BigInt(scale - secondScale)]
}

/** Below 0 when `a` is the smaller number, above 0 when it is the larger one. */
export function compareNumbers(a: string, b: string): number {
  // Infinities have no digits.
  if (!/\d/.test(a + b)) return Number(a) - Number(b)
  if (!/\d/.test(a)) return Number(a)
  const [first, second] = aligned(a, b)
  if (first < second) return -1
  if (first > second) return 1
  return 0
}

/** Is `a` so many times `step`, exactly? */
export function isMultiple(a: string, step: string): boolean {
  const [first, second] = aligned(a, step)
  return second === 0n || first % second === 0n
}
