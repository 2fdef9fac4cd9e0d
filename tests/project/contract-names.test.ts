import { expect, test } from '@jest/globals'
import { contractNameFor } from '../../src/app/contracts/open-contract.js'

test.each([
  ['https://host.example/desk?wsdl', 'desk'],
  ['https://host.example/Desk.svc?singleWsdl', 'desk'],
  ['https://quay.example/v2/openapi.json', 'quay'],
  ['https://www.quay.example/swagger.json', 'quay'],
  ['https://api.quay.example/api-docs', 'quay'],
  ['https://quay.example/ferries/v3.1/openapi-3-1.yaml', 'ferries'],
  ['https://quay.example/registry/$metadata', 'registry'],
  ['https://quay.example/registry/metadata.xml', 'registry'],
  ['https://quay.example/', 'quay'],
  ['http://127.0.0.1:4801/openapi.json', 'openapi'],
  ['http://localhost:4801/berths?wsdl', 'berths'],
  ['./desk.wsdl', 'desk'],
  ['ferries/openapi.yaml', 'ferries'],
  ['./openapi.yaml', 'openapi'],
  ['C:\\from mail\\Harbour Desk.wsdl', 'harbour-Desk'],
  ['12-3.xml', 'service'],
])('a contract that comes from %s is called %s', (location, name) => {
  expect(contractNameFor(location)).toBe(name)
})
