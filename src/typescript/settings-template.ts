import type { Contract } from '../contract/contract.js'
import { endpointsOf } from '../contract/queries.js'
import type { Dialect } from '../dialects/dialect.js'
import type { Names } from '../naming/names.js'
import type { ClientOptions } from './client.js'
import { variableGroups, variablePrefix } from './variables.js'
import { inVariables } from '../printing/escaping.js'
import { joined, variables, type VariablesText } from '../printing/safe-text.js'

/**
 * A template of the settings of a client, without any secret: a file of variables to be copied and
 * filled in.
 */
export function settingsTemplate(
  contract: Contract,
  names: Names,
  dialect: Dialect,
  { contractName, credentials = [] }: ClientOptions,
): VariablesText {
  const setting = (name: string): VariablesText =>
    variables`# ${inVariables(`${variablePrefix(contractName)}_${name}`)}=`
  const className = inVariables(names.class)
  const endpoints = endpointsOf(contract)
  const groups = variableGroups(contract, dialect, credentials)
  const lines = [
    variables`# Settings of ${className}, for ${className}.fromVariables(process.env). Copy this file, fill in what is needed,`,
    variables`# and keep the copy out of version control:  node --env-file=<copy> your-program.js`,
    variables``,
    ...endpoints.map(
      ({ name, address, protocol }) =>
        variables`# ${inVariables(name)} (${inVariables(protocol)}): ${inVariables(address)}`,
    ),
    ...groups.flatMap(({ say, names: own }, at) => [
      ...(at === 0 ? [] : [variables``]),
      variables`# ${inVariables(say)}`,
      ...own.map(setting),
    ]),
  ]
  return variables`${joined(lines, '\n')}\n`
}
