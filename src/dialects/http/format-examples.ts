/**
 * What texts of a format look like (JSON Schema 2020-12 Validation, section 7.3, and the OpenAPI
 * format registry): for samples and made-up answers. Addresses and hosts are of those that are kept
 * for examples (RFC 2606, 3849, 5737, 7042).
 */
export const formatExamples: ReadonlyMap<string, string> = new Map([
  ['date-time', '2026-11-23T14:30:00Z'],
  ['iso-date-time', '2026-11-23T14:30:00Z'],
  ['time', '14:30:00Z'],
  ['iso-time', '14:30:00Z'],
  ['http-date', 'Mon, 23 Nov 2026 14:30:00 GMT'],
  ['email', 'clerk@harbour.example'],
  ['idn-email', 'clerk@harbour.example'],
  ['hostname', 'harbour.example'],
  ['idn-hostname', 'harbour.example'],
  ['ip', '192.0.2.1'],
  ['ipv4', '192.0.2.1'],
  ['ipv6', '2001:db8::1'],
  ['mac', '00-00-5E-00-53-01'],
  ['uri', 'https://harbour.example/'],
  ['url', 'https://harbour.example/'],
  ['iri', 'https://harbour.example/'],
  ['uri-reference', '/berths'],
  ['iri-reference', '/berths'],
  ['uri-template', 'https://harbour.example/{code}'],
  ['uuid', '7c9e6679-7425-40de-944b-e07fc1f90ae7'],
  ['guid', '7c9e6679-7425-40de-944b-e07fc1f90ae7'],
  ['json-pointer', '/code'],
  ['relative-json-pointer', '0/code'],
  ['regex', '^[a-z]+$'],
  ['base64', 'eHh4'],
  ['media-range', 'application/json'],
  ['char', 'a'],
])
