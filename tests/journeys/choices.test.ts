import { writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { beforeAll, describe, expect, test } from '@jest/globals'
import { soap11, writeRequest } from '../../src/runtime/soap/envelope.js'
import { readAnswer } from '../support/soap-answers.js'
import { complaints } from '../support/compilers.js'
import { liveOperation, readFixture } from '../support/contracts.js'
import { libxml2Errors } from '../support/libxml2.js'
import { freshFolder, repository, tolmach } from '../support/program.js'

const source = join(repository, 'tests/fixtures/choices')
const judge = (envelope: string): Promise<string[]> =>
  libxml2Errors(envelope, source, [{ namespace: 'urn:brackmouth:choices', file: 'choices.xsd' }])

describe('what excludes each other: choices and substitution groups', () => {
  let folder: string
  const ask = async (input: object): Promise<{ code: number; places: string[]; body: string }> => {
    await writeFile(join(folder, 'input.json'), JSON.stringify(input))
    const { code, stdout } = await tolmach(folder, [
      'call',
      'choices',
      'pay',
      '--input',
      'input.json',
      '--preview',
      '--json',
    ])
    const told = JSON.parse(stdout) as {
      failure?: { details: string[] }
      request?: { body: string }
    }
    return { code, places: told.failure?.details ?? [], body: told.request?.body ?? '' }
  }
  beforeAll(async () => {
    folder = await freshFolder()
    expect(
      (await tolmach(folder, ['import', join(source, 'choices.wsdl'), '--as', 'choices', '--json']))
        .stdout,
    ).toContain('"notes": []')
    expect((await tolmach(folder, ['generate'])).code).toBe(0)
  })

  test('in TypeScript they are unions that can be narrowed', async () => {
    await writeFile(
      join(folder, 'src/use.ts'),
      `import { CashDesk, type Payment, type PayInput } from './clients/choices/index.js'
export const bank = (payment: Payment): string => (payment.Account !== undefined ? payment.Account.toUpperCase() + (payment.Bank ?? '') : payment.Cheque !== undefined ? payment.Cheque : String(payment.Cash))
export const good: PayInput[] = [
  { Payment: { Amount: '1.50', Cash: true }, Vessel: 'Polaire', quay: { $is: 'Quay', Name: 'Nordkai', Length: 20 } },
  { Payment: { Amount: '1.50', Cheque: 'x', Bank: 'y', Code: 5 }, Number: 5n, buoy: { $is: 'Place', Name: 'B2' }, Steps: { Again: { Stop: true } } },
]
// @ts-expect-error both
export const both: Payment = { Amount: '1', Cash: true, Account: 'x' }
// @ts-expect-error none
export const none: Payment = { Amount: '1' }
// @ts-expect-error half
export const half: Payment = { Amount: '1', Bank: 'x' }
// @ts-expect-error both inputs
export const inputs: PayInput = { Payment: { Amount: '1', Cash: true }, Vessel: 'a', Number: 1n, buoy: { $is: 'Place', Name: 'x' } }
export const desk: CashDesk = new CashDesk()
`,
    )
    expect(await complaints(folder, { skipLibCheck: true })).toBe('')
  })

  test.each([[[]], [['--full']]])(
    'samples keep to one alternative, and libxml2 finds them valid %j',
    async (extra) => {
      const sample = JSON.parse(
        (await tolmach(folder, ['sample', 'choices', 'pay', ...extra])).stdout,
      ) as object
      const { code, places, body } = await ask(sample)
      expect({ code, places }).toEqual({ code: 0, places: [] })
      expect(await judge(body)).toEqual([])
    },
  )

  const payment = { Amount: '1.50', Cash: true }
  const place = { buoy: { Name: 'B2' } }
  test.each<[object, string[]]>([
    [{ Payment: payment, ...place }, ['the input: one of these is wanted: Vessel, or Number']],
    [
      { Payment: payment, Vessel: 'a', Number: 1, ...place },
      ['the input: only one of these can be given: Vessel, or Number; there are Vessel and Number'],
    ],
    [
      { Payment: { Amount: '1' }, Vessel: 'a', ...place },
      ['Payment: one of these is wanted: Cash, or Account with Bank, or Cheque with Bank'],
    ],
    [
      { Payment: { Amount: '1', Bank: 'x' }, Vessel: 'a', ...place },
      ['Payment.Account: is missing beside Bank'],
    ],
    [
      { Payment: { ...payment, Cheque: 'x' }, Vessel: 'a', ...place },
      [
        'Payment: only one of these can be given: Cash, or Account with Bank, or Cheque with Bank; there are Cash and Cheque',
      ],
    ],
    [
      { Payment: { ...payment, Note: 'x', Code: 1 }, Vessel: 'a', ...place },
      ['Payment: only one of these can be given: Note, or Code; there are Note and Code'],
    ],
    [{ Payment: payment, Vessel: 'a' }, ['the input: one of these is wanted: quay, or buoy']],
    [
      { Payment: payment, Vessel: 'a', ...place, Steps: {} },
      ['Steps: one of these is wanted: Again, or Stop'],
    ],
  ])('%j is refused before it is sent, as libxml2 would refuse it', async (input, places) => {
    expect(await ask(input)).toMatchObject({ code: 2, places })
    // Written all the same, it is not valid either.
    const { contract } = await readFixture('tests/fixtures/choices/choices.wsdl')
    expect(
      await judge(
        writeRequest(liveOperation(contract, 'pay'), input as Record<string, unknown>, soap11),
      ),
    ).not.toEqual([])
  })

  test('answers written by hand', async () => {
    const { contract } = await readFixture('tests/fixtures/choices/choices.wsdl')
    const answer = (inside: string): unknown =>
      readAnswer(
        liveOperation(contract, 'pay'),
        {
          status: 200,
          headers: {},
          body: new TextEncoder().encode(
            `<e:Envelope xmlns:e="${soap11}"><e:Body><payResponse xmlns="urn:brackmouth:choices"><Payment>${inside}</Payment></payResponse></e:Body></e:Envelope>`,
          ),
        },
        () => undefined,
      )
    expect(answer('<Amount>1.50</Amount><Cheque>7</Cheque><Bank>b</Bank><Code>5</Code>')).toEqual({
      Amount: '1.50',
      Cheque: '7',
      Bank: 'b',
      Code: 5,
    })
    expect(answer('<Amount>2</Amount><Cash>true</Cash>')).toEqual({ Amount: '2', Cash: true })
  })
})
