import { readdir, readFile } from 'node:fs/promises'
import { join } from 'node:path'
import { beforeAll, describe, expect, test } from '@jest/globals'
import { Ajv2020 } from 'ajv/dist/2020.js'
import fc from 'fast-check'
import { parse } from 'yaml'
import { buildClient } from '../../src/app/generate-client.js'
import { openContract } from '../../src/app/contracts/open-contract.js'
import { readSource } from '../../src/app/contracts/read-source.js'
import type { Contract } from '../../src/contract/contract.js'
import { fieldsFromPlain } from '../../src/contract/plain.js'
import { operationsOf, pathOf } from '../../src/contract/queries.js'
import { http } from '../../src/dialects/http/index.js'
import { sampleInput } from '../../src/exercise/sample.js'
import { checkInput, writeBody } from '../../src/runtime/http/http.js'
import type { Violation } from '../../src/runtime/failures.js'
import { checkJson, fromJson } from '../../src/runtime/http/json.js'
import { exactJson } from '../../src/runtime/json/exact-json.js'
import { liveHttp } from '../support/descriptions.js'
import { jsonValues } from '../support/json-values.js'
import { repository } from '../support/program.js'

const folder = join(repository, 'tests/fixtures/openapi')
const files = (await readdir(folder)).map((name) =>
  name === 'several' ? 'several/root.yaml' : name,
)

/** What Ajv can't judge, and why. */
const unjudged: Readonly<Record<string, string>> = {
  'circles.yaml': 'schemas made of themselves have no end for it',
  'parents-with-alternatives.yaml': 'a parent and its children have no end for it',
  'discriminators.yaml': 'it does not know that discriminators tell alternatives apart',
  'enumerations.yaml': 'values of an enumeration that should have been texts',
  'formats.yaml': 'it refuses patterns that the u flag forbids',
  'read-only.yaml': 'read-only members are left out, though required',
  'untyped.yaml': 'a type that does not exist',
}

describe.each(files)('%s', (file) => {
  let contract: Contract
  let text: string
  beforeAll(async () => {
    text = await readFile(join(folder, file), 'utf8')
    contract = (await readSource(join(folder, file), 'fixture')).contract
  })

  test('is read again into a client of the same bytes', async () => {
    const clients = [0, 1].map(async () => {
      const { files: made } = await buildClient(await openContract(join(folder, file)))
      return made.map(({ path, text: written }) => [path, written])
    })
    const [first, second] = await Promise.all(clients)
    expect(second).toEqual(first)
  })

  test('is read with the notes that its first line names', () => {
    const wanted = /^# .*Notes: (.*)\.$/m.exec(text)?.[1] ?? 'none'
    expect(
      contract.notes
        .map(({ code }) => code)
        .sort()
        .join(' ') || 'none',
    ).toBe(wanted)
  })

  test('its samples satisfy it, by our check and, where the dialect of schemas is 2020-12, by Ajv', () => {
    const document =
      /^openapi: 3\.[12]/m.test(text) && !file.includes('/') && unjudged[file] === undefined
        ? (parse(text) as {
            paths: Record<
              string,
              Record<
                string,
                {
                  operationId?: string
                  requestBody?: { content?: Record<string, { schema?: unknown } | undefined> }
                }
              >
            >
          })
        : undefined
    const ajv = new Ajv2020({ strict: false, validateFormats: false, ownProperties: true })
    if (document !== undefined) ajv.addSchema(document, 'http://quay.example/api.yaml')
    for (const operation of operationsOf(contract)) {
      const live = liveHttp(contract, pathOf(operation))
      for (const full of [false, true]) {
        const input = fieldsFromPlain(
          contract,
          operation.inputs,
          sampleInput(contract, operation, { full, rules: http.rules?.(contract) }),
        )
        expect({ file, operation: pathOf(operation), misfits: checkInput(live, input) }).toEqual({
          file,
          operation: pathOf(operation),
          misfits: [],
        })
        const body = operation.inputs.find((each) => each.name === 'body')
        const [path, method, node] =
          Object.entries(document?.paths ?? {})
            .flatMap(([at, item]) =>
              Object.entries(item).map(([verb, each]) => [at, verb, each] as const),
            )
            .find(([, , each]) => each.operationId === pathOf(operation)) ?? []
        const [mediaType] = Object.keys(node?.requestBody?.content ?? {})
        if (
          body === undefined ||
          node?.requestBody?.content?.[mediaType ?? '']?.schema === undefined ||
          input['body'] === undefined ||
          mediaType === undefined ||
          live.body?.type !== mediaType ||
          !/^application\/(?:[\w.-]+\+)?json$/.test(mediaType) ||
          path === undefined ||
          method === undefined
        )
          continue
        const pointer = ['paths', path, method, 'requestBody', 'content', mediaType, 'schema']
          .map((step) => encodeURIComponent(step.replaceAll('~', '~0').replaceAll('/', '~1')))
          .join('/')
        const validate = ajv.compile({ $ref: `http://quay.example/api.yaml#/${pointer}` })
        const sent = JSON.parse(String(writeBody(live.body, input['body']).content)) as unknown
        expect({ file, sent, errors: validate(sent) ? [] : validate.errors }).toEqual({
          file,
          sent,
          errors: [],
        })
      }
    }
  })

  test('random bodies that our check accepts come back as they were, without a deviation', () => {
    for (const operation of operationsOf(contract)) {
      const body = operation.inputs.find((each) => each.name === 'body')
      const { body: content } = liveHttp(contract, pathOf(operation))
      if (
        body === undefined ||
        content?.is === undefined ||
        content.others !== undefined ||
        !/json$/.test(content.type ?? '')
      )
        continue
      const codec = content.is
      let accepted = 0
      for (const value of fc.sample(jsonValues(contract, body.type), { numRuns: 40, seed: 7 })) {
        const misfits: Violation[] = []
        checkJson(codec, value, '', misfits)
        if (misfits.length > 0) continue
        accepted += 1
        const text = String(writeBody(content, value).content)
        const deviations: unknown[] = []
        expect({
          text,
          read: fromJson(codec, exactJson(text), '', (deviation) => deviations.push(deviation)),
          deviations,
        }).toEqual({ text, read: value, deviations: [] })
      }
      expect({ operation: pathOf(operation), accepted: accepted > 0 }).toEqual({
        operation: pathOf(operation),
        accepted: true,
      })
    }
  })
})
