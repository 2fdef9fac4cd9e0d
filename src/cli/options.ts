import { problem } from '../app/problems.js'
import { readTime } from '../app/times.js'

/**
 * A time as people write it: `500ms`, `10s`, `2m`, or just seconds.
 *
 * @returns seconds
 * @throws Problem TM-1010
 */
export function readDuration(text: string, option = '--timeout'): number {
  const milliseconds = readTime(text) ?? 0
  if (!(milliseconds > 0))
    throw problem('TM-1010', {
      option,
      reason: `"${text}" is not a time`,
      remedy: 'Write it like 500ms, 10s or 2m.',
    })
  return milliseconds / 1000
}

/**
 * Headers as people write them: `name=value` each.
 *
 * @throws Problem TM-1010
 */
export function readHeaders(texts: readonly string[], option = '--header'): Record<string, string> {
  return Object.fromEntries(
    texts.map((text) => {
      const equals = text.indexOf('=')
      const name = text.slice(0, equals)
      // Whatever stands behind the name may be a secret.
      if (equals < 1 || !/^[\w!#$%&'*+.^`|~-]+$/.test(name))
        throw problem('TM-1010', {
          option,
          reason: `"${text.replace(/[=:\s].*$/s, '…')}" is not <name>=<value>`,
          remedy: `Write it like ${option} "${option === '--header' ? 'X-Desk' : 'region'}=7".`,
        })
      return [name, text.slice(equals + 1)]
    }),
  )
}

/**
 * A port.
 *
 * @throws Problem TM-1010
 */
export function readPort(text: string): number {
  const port = Number(text)
  if (!/^\d{1,5}$/.test(text) || port > 65535)
    throw problem('TM-1010', {
      option: '--port',
      reason: `"${text}" is not a port`,
      remedy: 'Give a number from 1 to 65535, or leave it out.',
    })
  return port
}

/**
 * A number of things, at least one.
 *
 * @throws Problem TM-1010
 */
export function readCount(text: string, option: string, most: number): number {
  const number = Number(text)
  if (!/^\d{1,6}$/.test(text) || number < 1 || number > most)
    throw problem('TM-1010', {
      option,
      reason: `"${text}" is not a number from 1 to ${most}`,
      remedy: `Write it like ${option} 8.`,
    })
  return number
}

/**
 * A number of bytes as people write it: `500MB`, `2GB`, or just bytes.
 *
 * @throws Problem TM-1010
 */
export function readSize(text: string): number {
  const [, number = '', unit = ''] = /^(\d+(?:\.\d+)?)\s*([kmg]?b?)$/i.exec(text.trim()) ?? []
  const bytes =
    Number(number) * 1024 ** ['', 'k', 'm', 'g'].indexOf(unit.replace(/b$/i, '').toLowerCase())
  if (number === '' || !(bytes >= 1))
    throw problem('TM-1010', {
      option: '--most-bytes',
      reason: `"${text}" is not a size`,
      remedy: 'Write it like 500MB or 2GB.',
    })
  return bytes
}

/**
 * A share of something: `0.1` or `10%`.
 *
 * @returns from 0 to 1
 * @throws Problem TM-1010
 */
export function readShare(text: string, option: string): number {
  const [, digits, percent] = /^(\d+(?:\.\d+)?)(%)?$/.exec(text.trim()) ?? []
  const share = Number(digits) / (percent === undefined ? 1 : 100)
  if (digits === undefined || share > 1)
    throw problem('TM-1010', {
      option,
      reason: `"${text}" is no share`,
      remedy: `Write it like ${option} 0.1 or ${option} 10%.`,
    })
  return share
}

/** Names with commas between them. */
export function namesIn(text: string): string[] {
  return text
    .split(',')
    .map((each) => each.trim())
    .filter((each) => each !== '')
}

/** For options that may be given several times. */
export function collect(value: string, before: readonly string[] | undefined): string[] {
  return [...(before ?? []), value]
}
