/** The largest whole number that a double holds with all between. */
const largestSafe = 2n ** 53n - 1n
const largest64 = 2n ** 63n - 1n

/** What was seen of the numbers in one place. */
export class SeenNumbers {
  count = 0
  fractions = 0
  exponents = 0
  /** The whole number farthest from 0. */
  farthest = 0n
  /** As it was written. */
  first = ''

  see(written: string): void {
    this.count += 1
    if (this.first === '') this.first = written
    if (/e/i.test(written)) this.exponents += 1
    else if (written.includes('.')) this.fractions += 1
    else this.reach(BigInt(written))
  }

  add(other: SeenNumbers): void {
    this.count += other.count
    this.fractions += other.fractions
    this.exponents += other.exponents
    if (this.first === '') this.first = other.first
    this.reach(other.farthest)
  }

  /** Are all of them whole and such that a double holds them? */
  get areSafe(): boolean {
    return this.farthest <= largestSafe
  }

  get fit64(): boolean {
    return this.farthest <= largest64
  }

  private reach(value: bigint): void {
    const size = value < 0n ? -value : value
    if (size > this.farthest) this.farthest = size
  }
}
