/** Forms that texts may have, each with what tells it. */
const forms = {
  digits: /^-?\d+$/,
  decimal: /^-?(?:0|[1-9]\d*)\.\d+$/,
  wholeOrDecimal: /^-?(?:0|[1-9]\d*)(?:\.\d+)?$/,
  leadingZero: /^-?0\d+$/,
  truth: /^(?:true|false)$/,
  uuid: /^[\da-f]{8}-(?:[\da-f]{4}-){3}[\da-f]{12}$/i,
  date: /^\d{4}-(?:0[1-9]|1[0-2])-(?:0[1-9]|[12]\d|3[01])$/,
  dateTime:
    /^\d{4}-(?:0[1-9]|1[0-2])-(?:0[1-9]|[12]\d|3[01])[Tt](?:[01]\d|2[0-3]):[0-5]\d:(?:[0-5]\d|60)(?:\.\d+)?(?:[Zz]|[+-](?:[01]\d|2[0-3]):[0-5]\d)$/,
  localDateTime:
    /^\d{4}-(?:0[1-9]|1[0-2])-(?:0[1-9]|[12]\d|3[01])[T ](?:[01]\d|2[0-3]):[0-5]\d(?::[0-5]\d(?:\.\d+)?)?$/,
  time: /^(?:[01]\d|2[0-3]):[0-5]\d:[0-5]\d(?:\.\d+)?(?:[Zz]|[+-](?:[01]\d|2[0-3]):[0-5]\d)$/,
  duration:
    /^P(?=\d|T\d)(?:\d+Y)?(?:\d+M)?(?:\d+W)?(?:\d+D)?(?:T(?=\d)(?:\d+H)?(?:\d+M)?(?:\d+(?:\.\d+)?S)?)?$/,
  address: /^https?:\/\/[^\s/?#]+(?:[/?#]\S*)?$/i,
  mail: /^[^\s@<>"]+@[^\s@<>".]+(?:\.[^\s@<>".]+)+$/,
  ipv4: /^(?:(?:25[0-5]|2[0-4]\d|1?\d?\d)(?:\.|$)){4}$/,
  base64:
    /^(?=.{16,}$)(?=.*[A-Z])(?=.*[a-z])(?=.*[\d+/=])(?:[A-Za-z\d+/]{4})*(?:[A-Za-z\d+/]{2}==|[A-Za-z\d+/]{3}=|[A-Za-z\d+/]{4})$/,
  /** Up to three words, without digits: what has some tells things apart. */
  word: /^\p{L}[\p{L}_.-]*(?: [\p{L}_.-]+){0,2}$/u,
} as const
export type TextForm = keyof typeof forms

/** What stands in recordings in the place of a secret. */
const mask = '***'
/** Of longer texts nothing is looked at but how long they are. */
const longestLookedAt = 10_000
/** So many different ones are told apart. */
const mostTold = 100

/** What was seen of the texts in one place. */
export class SeenTexts {
  count = 0
  /** Others were masked where they were recorded: nothing is known of them. */
  masked = 0
  empty = 0
  longest = 0
  /** How many had a form. */
  readonly having = new Map<TextForm, number>()
  /** How often each was there; undefined where there are too many different ones. */
  told: Map<string, number> | undefined = new Map()
  /** The first few, as they were. */
  readonly first: string[] = []

  see(text: string): void {
    if (text === mask) {
      this.masked += 1
      return
    }
    this.count += 1
    this.longest = Math.max(this.longest, text.length)
    if (this.first.length < 3 && !this.first.includes(text)) this.first.push(text)
    this.tell(text, 1)
    if (text === '') this.empty += 1
    else if (text.length <= longestLookedAt)
      for (const form of Object.keys(forms) as TextForm[])
        if (forms[form].test(text)) this.having.set(form, (this.having.get(form) ?? 0) + 1)
  }

  add(other: SeenTexts): void {
    this.count += other.count
    this.masked += other.masked
    this.empty += other.empty
    this.longest = Math.max(this.longest, other.longest)
    for (const [form, count] of other.having)
      this.having.set(form, (this.having.get(form) ?? 0) + count)
    for (const text of other.first)
      if (this.first.length < 3 && !this.first.includes(text)) this.first.push(text)
    if (other.told === undefined) this.told = undefined
    else for (const [text, count] of other.told) this.tell(text, count)
  }

  /** Have all of them a form? */
  all(form: TextForm): boolean {
    return this.count > 0 && this.having.get(form) === this.count
  }

  /** Has any of them a form? */
  any(form: TextForm): boolean {
    return this.having.has(form)
  }

  private tell(text: string, times: number): void {
    if (this.told === undefined) return
    this.told.set(text, (this.told.get(text) ?? 0) + times)
    if (this.told.size > mostTold) this.told = undefined
  }
}

/** Has a text a form? */
export function hasForm(text: string, form: TextForm): boolean {
  return forms[form].test(text)
}
