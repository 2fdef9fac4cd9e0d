import Joi, { type CustomHelpers, type ErrorReport, type Schema, type SchemaMap } from 'joi'
import { contractName, placeName, viewName } from './entry-names.js'
import { isSecretName } from '../contract/secret-names.js'
import type { CredentialEntry } from './project-file.js'

/** The types of errors that are told in words of their own. */
export const clearSecret = 'secret.clear'
const loginInAddress = 'address.login'
const secretInHeader = 'header.secret'

/** What a project file may hold. */
export function projectSchema(): Schema {
  return Joi.object({
    tolmach: Joi.number().valid(1).required(),
    site: Joi.string(),
    credential: choice,
    contracts: Joi.object().pattern(contractName, contractSchema()).default({}),
    sites: Joi.object()
      .pattern(placeName, Joi.object().pattern(contractName, siteSchema()))
      .default({}),
    credentials: Joi.object().pattern(placeName, credentialSchema()).default({}),
  })
}

const names = Joi.array().items(Joi.string())
/** The name of a credential, or of one for each security scheme. */
const choice = Joi.alternatives(Joi.string(), Joi.object().pattern(/^/, Joi.string()).min(1))
const texts = Joi.object().pattern(/^/, Joi.string())
/** How a service is reached: of a contract, and of a site. */
const reach = {
  endpoint: Joi.string(),
  credential: choice,
  headers: texts.custom(withoutSecrets).messages({
    [secretInHeader]:
      '{{#label}} has a secret in the clear: write the name of a variable, like $DESK_TOKEN',
  }),
  timeLimit: Joi.alternatives(
    Joi.number().positive(),
    Joi.string().pattern(/^\d+(?:\.\d+)?(?:ms|s|m)$/, 'a time like 10s or 200ms'),
  ),
  retries: Joi.number().integer().min(0).max(20),
  mostBytes: Joi.number().integer().positive(),
  serverVariables: texts,
  mtom: Joi.boolean(),
  addressing: Joi.boolean(),
  ca: Joi.string(),
  proxy: Joi.string()
    .uri({ scheme: ['http', 'https'] })
    .custom(withoutLogin)
    .messages({ [loginInAddress]: '{{#label}} has a login in it' }),
}

function contractSchema(): Schema {
  return Joi.object({
    from: Joi.string()
      .custom(withoutLogin)
      .messages({ [loginInAddress]: '{{#label}} has a login in it' })
      .required(),
    overlays: names.min(1),
    folder: Joi.string().required(),
    class: Joi.string().pattern(
      // In scripts that have capitals it begins with one.
      /^(?!\p{Changes_When_Uppercased})\p{ID_Start}\p{ID_Continue}*$/u,
      'class name (a capital, then letters and digits)',
    ),
    only: names.min(1),
    ...reach,
    session: sessionSchema(),
    importSuffix: Joi.string().valid('.js', '.ts', ''),
    runtime: Joi.string().valid('own'),
    pages: Joi.object().pattern(/^/, pagesSchema()),
    views: Joi.object().pattern(viewName, viewSchema()),
  })
}

function sessionSchema(): Schema {
  return Joi.object({
    open: Joi.object({
      call: Joi.string().required(),
      with: Joi.object(),
      keep: Joi.object().pattern(/^[A-Za-z_]\w*$/, Joi.string()),
    }).required(),
    use: Joi.object({ with: Joi.object(), headers: Joi.object().pattern(/^/, Joi.string()) }),
    close: Joi.object({ call: Joi.string().required(), with: Joi.object() }),
  })
}

function pagesSchema(): Schema {
  const answerPlace = Joi.string().pattern(
    /^(?:\/.+|[!#$%&'*+.^_`|~\w-]+)$/,
    'a JSON Pointer like /page/next, or the name of a header',
  )
  return Joi.object({
    rows: Joi.string().pattern(/^\/./, 'a JSON Pointer like /items').allow(''),
    total: answerPlace,
    next: answerPlace,
    into: Joi.string(),
  })
}

/** Pixels: further away than that is nobody's picture. */
const coordinate = Joi.number().integer().min(-100_000).max(100_000)

function viewSchema(): Schema {
  return Joi.object({
    start: Joi.string().valid('everything', 'nothing'),
    around: names.min(1),
    steps: Joi.number().integer().min(0).max(100),
    add: names,
    remove: names,
    towards: Joi.string().valid('right', 'down'),
    places: Joi.object().pattern(
      /^/,
      Joi.array().ordered(coordinate.required(), coordinate.required()).length(2),
    ),
  })
}

function siteSchema(): Schema {
  return Joi.object({
    url: Joi.string()
      .uri({ scheme: ['http', 'https'] })
      .custom(withoutLogin)
      .messages({ [loginInAddress]: '{{#label}} has a login in it' }),
    ...reach,
  })
}

/** Headers that carry secrets name variables. */
function withoutSecrets(
  value: Readonly<Record<string, string>>,
  helpers: CustomHelpers,
): object | ErrorReport {
  const clear = Object.entries(value).find(
    ([name, text]) => isSecretName(name, 'header') && !/^\$[A-Za-z_]\w*$/.test(text),
  )
  return clear === undefined ? value : helpers.error(secretInHeader)
}

/**
 * Addresses of the project file have no logins: those belong into credentials, whose secrets are
 * variables.
 */
function withoutLogin(value: string, helpers: CustomHelpers): string | ErrorReport {
  return /^https?:\/\/[^/?#]*@/i.test(value) ? helpers.error(loginInAddress) : value
}

/** What credentials of each kind have. Secrets must be names of variables. */
function credentialSchema(): Schema {
  const text = Joi.string()
  const secret = Joi.string()
    .custom((value: string, helpers) =>
      /^\$[A-Za-z_]\w*$/.test(value) ? value : helpers.error(clearSecret),
    )
    .messages({ [clearSecret]: 'a secret' })
  const login = { user: text.required(), password: secret.required() }
  const kinds: Readonly<Record<CredentialEntry['kind'], SchemaMap>> = {
    basic: login,
    digest: login,
    ntlm: { ...login, domain: text, workstation: text },
    wsse: { ...login, digest: Joi.boolean() },
    bearer: { token: secret.required() },
    key: {
      value: secret.required(),
      place: Joi.string().valid('header', 'query', 'cookie'),
      name: text,
      input: text,
    },
    oauth2: {
      clientId: text.required(),
      clientSecret: secret,
      user: text,
      password: secret,
      scopes: Joi.array().items(text),
      tokenUrl: Joi.string().uri({ scheme: ['http', 'https'] }),
      authorizeUrl: Joi.string().uri({ scheme: ['http', 'https'] }),
    },
    certificate: { cert: text.required(), key: text.required(), passphrase: secret },
  }
  const kind = Joi.string()
    .valid(...Object.keys(kinds))
    .required()
  const ofItsKind = Joi.object().when('.kind', {
    switch: Object.entries(kinds).map(([is, schema]) => ({
      is,
      then: Joi.object({ kind: Joi.any(), ...schema }).unknown(false),
    })),
  })
  // A kind that there is not is told as such, and not by what its fields are not.
  return Joi.object({ kind }).unknown().when(Joi.object({ kind }).unknown(), { then: ofItsKind })
}
