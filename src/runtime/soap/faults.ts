import { present } from '../present.js'
import type { StartTag } from './start-tag.js'
import { ServiceFault, type SoapDetail, type SoapFault } from '../failures.js'
import { settled, type AnyCodec, type QName } from './codec.js'
import { splitName } from './simple.js'
import {
  FragmentFrame,
  frameFor,
  IgnoringFrame,
  nameOf,
  type Frame,
  type Reading,
} from './xml-reader.js'

/** The declared faults of an operation: the element in the detail, and its content. */
export type DeclaredFaults = Readonly<
  Record<string, { readonly element: QName; readonly codec: unknown }>
>

/** The name of the declared fault whose detail is an element of this name. */
export function declaredFault(
  faults: DeclaredFaults | undefined,
  [namespace, local]: QName,
): string | undefined {
  return Object.keys(faults ?? {}).find((name) => {
    const element = faults?.[name]?.element
    return element?.[1] === local && element[0] === namespace
  })
}

/** Reads a fault (SOAP 1.1, section 4.4; SOAP 1.2 part 1, section 5.4). */
export class FaultReader {
  private readonly faults: DeclaredFaults | undefined
  private readonly codes: SoapFault['codes'][number][] = []
  private readonly reasons: SoapFault['reasons'][number][] = []
  private readonly details: SoapDetail[] = []
  private role: string | undefined
  private node: string | undefined

  constructor(faults: DeclaredFaults | undefined) {
    this.faults = faults
  }

  /** The frame of the fault's element. */
  frame(reading: Reading): Frame {
    const code = (): Frame =>
      textFrame((text) => {
        const [prefix, name] = splitName(text)
        this.codes.push({ namespace: reading.resolve(prefix) ?? '', name })
      })
    const codeWithSubcodes = (): Frame => parentFrame({ Value: code, Subcode: codeWithSubcodes })
    const reason = (tag: StartTag): Frame => {
      const language = tag.attributes['xml:lang']?.value
      return textFrame((text) => this.reasons.push({ ...present({ language }), text }))
    }
    const role = (): Frame => textFrame((text) => (this.role = text))
    const detail = (): Frame => this.detailsFrame(reading)
    return parentFrame({
      faultcode: code,
      Code: codeWithSubcodes,
      faultstring: reason,
      // Some services forget the element around the text.
      Reason: (tag) => ({ ...reason(tag), child: reason }),
      faultactor: role,
      Role: role,
      Node: () => textFrame((text) => (this.node = text)),
      detail,
      Detail: detail,
    })
  }

  /** The frame of one element of the detail. */
  detailFrame(tag: StartTag, reading: Reading): Frame {
    const name = nameOf(tag)
    const at = this.details.push({ value: undefined }) - 1
    const fault = declaredFault(this.faults, name)
    const take = (value: unknown): void => {
      this.details[at] = {
        element: { namespace: name[0], name: name[1] },
        ...present({ fault }),
        value,
      }
    }
    if (fault === undefined) return new FragmentFrame(tag, take)
    const codec: AnyCodec = settled(this.faults?.[fault]?.codec)
    return frameFor(codec, tag, reading, true, take)
  }

  /**
   * The failure that the fault is.
   *
   * @param aboutHeaders what the header told of it
   */
  failure(status: number, aboutHeaders: FaultReader): ServiceFault {
    const { codes, reasons, role, node } = this
    const details = [...this.details, ...aboutHeaders.details]
    const said = details.find(({ fault }) => fault !== undefined) ?? details[0]
    return new ServiceFault(reasons[0]?.text ?? 'the service gave no reason', {
      fault: said?.fault,
      detail: said?.value,
      code: codes.at(-1)?.name ?? '',
      status,
      soap: {
        codes,
        reasons,
        ...present({ role, node }),
        details,
      },
    })
  }

  private detailsFrame(reading: Reading): Frame {
    return {
      child: (tag) => this.detailFrame(tag, reading),
      text: (piece) => {
        if (piece.trim() !== '') this.details.push({ value: piece.trim() })
      },
      end: () => undefined,
    }
  }
}

/** A frame for an element of which the text counts, unless it is empty. */
function textFrame(take: (text: string) => void): Frame {
  let collected = ''
  return {
    child: () => new IgnoringFrame(),
    text: (piece) => {
      collected += piece
    },
    end: () => {
      if (collected.trim() !== '') take(collected.trim())
    },
  }
}

/** A frame for an element of which these children count. */
function parentFrame(children: Readonly<Record<string, (tag: StartTag) => Frame>>): Frame {
  return {
    child: (tag) =>
      Object.hasOwn(children, tag.local)
        ? (children[tag.local]?.(tag) ?? new IgnoringFrame())
        : new IgnoringFrame(),
    text: () => undefined,
    end: () => undefined,
  }
}
