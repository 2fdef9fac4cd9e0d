import { formText, type Format } from './http.js'

/** Bodies of `application/x-www-form-urlencoded`. */
export const form: Format = {
  write: (content, _value, json) => ({ content: formText(content.encoding ?? {}, json) }),
  read: (_content, text) => Object.fromEntries(new URLSearchParams(text)),
}
