/** A setting of how services are reached, by its name in each place where it can be said. */
export interface SettingRow {
  readonly meaning: string
  /** The option of `call`, `rehearse` and others. */
  readonly prompt?: string
  /** The key in tolmach.yaml, of a contract and of a site; of sites alone where that is said. */
  readonly project?: string
  readonly ofSiteOnly?: true
  /** Variables of the environment, behind the prefix of the client. */
  readonly variables?: readonly string[]
  /** The setting of a client. */
  readonly code?: string
  /** That of `nodeTransport`. */
  readonly transport?: string
}

/**
 * Every setting of how services are reached: what docs/settings.md is written from, and tests
 * compare with the command, the project file's schema and the runtime.
 */
export const settingRows: readonly SettingRow[] = [
  {
    meaning: 'where the service is',
    prompt: '--url',
    project: 'url',
    ofSiteOnly: true,
    variables: ['URL'],
    code: 'url',
  },
  {
    meaning: 'which endpoint of the metadata, where there are several',
    prompt: '--endpoint',
    project: 'endpoint',
    variables: ['ENDPOINT'],
    code: 'endpoint',
  },
  {
    meaning: 'values of the variables in its address',
    prompt: '--server-variable',
    project: 'serverVariables',
    code: 'serverVariables',
  },
  {
    meaning: 'what proves who calls',
    prompt: '--credential',
    project: 'credential',
    variables: ['USER', 'PASSWORD', 'DIGEST', 'TOKEN', 'KEY', 'CLIENT_ID', 'CLIENT_SECRET'],
    code: 'credential',
  },
  {
    meaning: 'headers of every request',
    prompt: '--header',
    project: 'headers',
    variables: ['HEADERS'],
    code: 'headers',
  },
  {
    meaning: 'how long a call may take (`10s`, `200ms`, `2m`; a bare number is one of seconds)',
    prompt: '--timeout',
    project: 'timeLimit',
    variables: ['TIME_LIMIT'],
    code: 'timeLimit',
  },
  {
    meaning: 'how often it is tried again, where that is safe',
    prompt: '--retry',
    project: 'retries',
    variables: ['RETRIES'],
    code: 'retries',
  },
  {
    meaning: 'how many bytes an answer may have',
    prompt: '--most-bytes',
    project: 'mostBytes',
    variables: ['MOST_BYTES'],
    code: 'mostBytes',
  },
  {
    meaning: 'SOAP messages in parts, with bytes beside them',
    prompt: '--mtom',
    project: 'mtom',
    variables: ['MTOM'],
    code: 'mtom',
  },
  {
    meaning: 'SOAP messages with the headers of WS-Addressing',
    prompt: '--addressing',
    project: 'addressing',
    variables: ['ADDRESSING'],
    code: 'addressing',
  },
  {
    meaning: 'a file with authorities to trust beside the usual ones',
    project: 'ca',
    variables: ['CA_FILE'],
    transport: 'caFile',
  },
  {
    meaning: 'the proxy that leads there',
    project: 'proxy',
    variables: ['PROXY'],
    transport: 'proxy',
  },
]
