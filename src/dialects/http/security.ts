import type { SecurityScheme } from '../../contract/contract.js'
import { filled, present } from '../../contract/present.js'
import type { DataNode } from '../../documents/data-node.js'
import type { Notes } from '../notes.js'
import { documented } from './annotations.js'
import type { SchemeSpecifics } from './specifics.js'
import { isToken } from './tokens.js'

type Kind = SecurityScheme['scheme']

/**
 * Reads a security scheme (OpenAPI 3.1, section 4.8.27): what of it the client can do by itself,
 * and what must be sent otherwise.
 *
 * @param address makes the address of a document-relative one
 */
export function readScheme(
  name: string,
  node: DataNode,
  address: (text: string) => string,
  notes: Notes,
): SecurityScheme {
  const type = node.text('type') ?? ''
  const http = node.text('scheme')?.toLowerCase()
  const place = node.text('in')
  const keyName = node.text('name')
  const flows = node.get('flows')
  const tokenUrl = ['clientCredentials', 'password', 'authorizationCode', 'deviceAuthorization']
    .map((flow) => flows?.members.get(flow)?.text('tokenUrl'))
    .find((url) => url !== undefined)
  const refreshUrl = ['clientCredentials', 'password', 'authorizationCode']
    .map((flow) => flows?.members.get(flow)?.text('refreshUrl'))
    .find((url) => url !== undefined)
  const discovery = node.text('openIdConnectUrl')
  const kind = kindOfScheme(node)
  if (type === 'apiKey' && isLogin(kind))
    notes.add(
      'approximated',
      'TM-2315',
      {
        what: `The key "${name}"`,
        as: `a login by ${kind}`,
        reason: 'the name of its header says so',
      },
      node.origin,
    )
  if (kind === 'unsupported' || kind === 'digest' || kind === 'certificate')
    notes.add('ignored', 'TM-2310', { name, type: http ?? type }, node.origin)
  const specifics: SchemeSpecifics = {
    ...(kind === 'key' && keyName !== undefined
      ? { key: { in: place === 'query' || place === 'cookie' ? place : 'header', name: keyName } }
      : {}),
    ...(kind === 'oauth2' ? tokenAddresses({ tokenUrl, refreshUrl, discovery }, address) : {}),
  }
  node.readWhole()
  return {
    name,
    scheme: kind,
    ...documented(node),
    origin: node.origin,
    ...filled({ specifics }),
  }
}

/**
 * What of security an operation wants: alternatives, each of several schemes with their scopes
 * (section 4.8.30).
 */
export function readRequirements(
  node: DataNode | undefined,
): { readonly name: string; readonly scopes: readonly string[] }[][] {
  node?.readWhole()
  return (node?.items ?? []).map((alternative) =>
    [...alternative.members].map(([name, scopes]) => ({
      name,
      scopes: scopes.items.map((scope) => String(scope.value)),
    })),
  )
}

/** How a scheme proves who calls. */
function kindOfScheme(node: DataNode): Kind {
  const http = node.text('scheme')?.toLowerCase()
  const keyName = node.text('name')
  const login = /^authorization\s*:\s*(\w+)$/i.exec(keyName ?? '')?.[1]?.toLowerCase()
  switch (node.text('type')) {
    case 'apiKey':
      if (node.text('in') === 'header' && isLogin(login)) return login
      return keyName !== undefined && (node.text('in') === 'query' || isToken(keyName))
        ? 'key'
        : 'unsupported'
    case 'http':
      return isLogin(http) ? http : 'unsupported'
    case 'oauth2':
    case 'openIdConnect':
      return 'oauth2'
    case 'mutualTLS':
      return 'certificate'
    default:
      return 'unsupported'
  }
}

/** Logins of HTTP that the client can make. */
function isLogin(scheme: string | undefined): scheme is 'basic' | 'bearer' | 'digest' {
  return scheme === 'basic' || scheme === 'bearer' || scheme === 'digest'
}

/** Where tokens are had, as whole addresses. */
function tokenAddresses(
  written: Readonly<Record<'tokenUrl' | 'refreshUrl' | 'discovery', string | undefined>>,
  address: (text: string) => string,
): Pick<SchemeSpecifics, 'tokenUrl' | 'refreshUrl' | 'discovery'> {
  return Object.fromEntries(
    Object.entries(present(written)).map(([name, text]) => [name, address(text)]),
  )
}
