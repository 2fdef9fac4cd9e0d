import { expect, test } from '@jest/globals'
import { special } from '../../src/contract/special-members.js'
import * as contract from '../../src/contract/present.js'
import * as runtime from '../../src/runtime/present.js'
import { special as ofClients } from '../../src/runtime/special-members.js'

test('what the contract and the clients both need, and neither has from the other, is the same', () => {
  expect(ofClients).toEqual(special)
  const members = { none: undefined, nothing: null, empty: '', zero: 0, no: false }
  expect(runtime.present(members)).toEqual(contract.present(members))
  expect(runtime.present(members)).toEqual({ nothing: null, empty: '', zero: 0, no: false })
})
