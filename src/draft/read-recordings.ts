import { isPlainObject } from '../contract/plain.js'
import { problem } from '../contract/problem.js'
import { messageOf } from '../contract/system-error.js'
import { mediaTypeOf, type NameAndValue, type RecordedBody, type Recording } from './recording.js'

/**
 * Reads what a file has: an HTTP archive (HAR 1.2), whoever wrote it, or answers alone.
 *
 * @param file its name, for messages
 * @param request `GET https://…`, which answers alone belong to
 * @throws Problem TM-1049 where it is neither, TM-1050 where it does not say what was asked
 */
export function readRecordings(text: string, file: string, request?: string): Recording[] {
  const archive = archiveIn(text)
  if (archive !== undefined)
    return archive.map((entry, at) => readEntry(entry, `${file}, exchange ${String(at + 1)}`))
  const answers = answersIn(text, file)
  const { method, url } = requestFor(request, file)
  return answers.map((answer, at) => ({
    method,
    url,
    headers: [],
    body: undefined,
    status: 200,
    answer,
    from: answers.length === 1 ? file : `${file}, line ${String(at + 1)}`,
  }))
}

function archiveIn(text: string): readonly unknown[] | undefined {
  // What is large and no archive need not be parsed twice.
  if (!/^\uFEFF?\s*\{\s*"log"\s*:/.test(text)) return undefined
  try {
    const archive: unknown = JSON.parse(text.replace(/^\uFEFF/, ''))
    const log = isPlainObject(archive) ? archive['log'] : undefined
    const entries = isPlainObject(log) ? log['entries'] : undefined
    return Array.isArray(entries) ? entries : undefined
  } catch {
    return undefined
  }
}

/** One answer, in JSON or XML, or one a line (NDJSON). */
function answersIn(text: string, file: string): RecordedBody[] {
  const type = 'application/json'
  if (/^\uFEFF?\s*<(?!!doctype html|html)/i.test(text)) return [{ type: 'application/xml', text }]
  try {
    JSON.parse(text.replace(/^\uFEFF/, ''))
    return [{ type, text }]
  } catch (error) {
    const lines = text.split(/\r?\n/).filter((line) => line.trim() !== '')
    try {
      for (const line of lines) JSON.parse(line)
    } catch {
      throw problem('TM-1049', { file, reason: messageOf(error) }, { cause: error })
    }
    if (lines.length === 0) throw problem('TM-1049', { file, reason: 'it is empty' })
    return lines.map((line) => ({ type, text: line }))
  }
}

function requestFor(
  request: string | undefined,
  file: string,
): { readonly method: string; readonly url: URL } {
  const [, method = 'GET', address = ''] =
    /^(?:([A-Za-z]+)\s+)?(\S+)$/.exec(request?.trim() ?? '') ?? []
  if (!URL.canParse(address) || !/^https?:/i.test(address)) throw problem('TM-1050', { file })
  return { method: method.toUpperCase(), url: new URL(address) }
}

function readEntry(entry: unknown, from: string): Recording {
  const { request, response } = isPlainObject(entry) ? entry : {}
  const asked = isPlainObject(request) ? request : {}
  const answered = isPlainObject(response) ? response : {}
  const address = textOf(asked['url'])
  const status = answered['status']
  if (!URL.canParse(address) || textOf(asked['method']) === '' || typeof status !== 'number')
    throw problem('TM-1049', {
      file: from,
      reason: 'it lacks a request with method and url, or a response with a status',
    })
  const headers = pairsIn(asked['headers'])
  const [, sentAs] = headers.find(([name]) => name.toLowerCase() === 'content-type') ?? []
  return {
    method: textOf(asked['method']).toUpperCase(),
    url: new URL(address),
    headers,
    body: bodyIn(asked['postData'], sentAs),
    status,
    answer: bodyIn(answered['content'], undefined),
    from,
  }
}

function bodyIn(content: unknown, type: string | undefined): RecordedBody | undefined {
  if (!isPlainObject(content)) return undefined
  const text = textOf(content['text'])
  const mediaType = mediaTypeOf(type ?? textOf(content['mimeType']))
  if (text === '') return undefined
  if (content['encoding'] !== 'base64') return { type: mediaType, text }
  try {
    const bytes = Buffer.from(text, 'base64')
    return { type: mediaType, text: new TextDecoder('utf-8', { fatal: true }).decode(bytes) }
  } catch {
    return { type: mediaType, text: undefined }
  }
}

function pairsIn(list: unknown): NameAndValue[] {
  return (Array.isArray(list) ? list : []).flatMap((each: unknown) => {
    const { name, value } = isPlainObject(each) ? each : {}
    return typeof name === 'string' && typeof value === 'string' ? [[name, value] as const] : []
  })
}

function textOf(value: unknown): string {
  return typeof value === 'string' ? value : ''
}
