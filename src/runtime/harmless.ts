/** Headers that may go along to another origin: nothing in them could prove who calls. */
export const harmless: readonly string[] = [
  'accept',
  'accept-language',
  'content-type',
  'content-length',
  'user-agent',
  'soapaction',
  'odata-version',
  'odata-maxversion',
  'dataserviceversion',
  'maxdataserviceversion',
  'prefer',
]
