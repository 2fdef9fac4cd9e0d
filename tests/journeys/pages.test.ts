import { readFile } from 'node:fs/promises'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import type { Browser, Page } from 'puppeteer-core'
import { freshFolder, repository, startStandIn, tolmach, tolmachJson } from '../support/program.js'
import { hasViewers } from '../support/viewers.js'

/**
 * Pages that we write, driven in Debian's headless Chromium: what goes wrong in them, and whatever
 * they ask the network for, is collected.
 */
;(hasViewers ? describe : describe.skip)(
  'pages in a browser (left out where there is none)',
  () => {
    let folder: string
    let browser: Browser
    let page: Page
    const troubles: string[] = []
    const open = async (file: string): Promise<void> => {
      troubles.length = 0
      await page.goto(pathToFileURL(join(folder, file)).href)
    }
    const evaluate = <T>(expression: string): Promise<T> => page.evaluate(expression) as Promise<T>
    const visible = (): Promise<string[]> =>
      evaluate(
        '[...document.querySelectorAll("nav li")].filter((item) => !item.hidden).map((item) => item.textContent)',
      )

    beforeAll(async () => {
      folder = await freshFolder()
      for (const [name, path] of [
        ['berths', 'berths/desk.wsdl'],
        ['ferries', 'ferries/openapi.yaml'],
        ['registry', 'registry/registry.xml'],
        ['cargo', 'cargo/cargo.xml'],
      ] as const) {
        expect(
          (
            await tolmach(folder, [
              'import',
              join(repository, 'demo', path),
              '--as',
              name,
              '--quiet',
            ])
          ).code,
        ).toBe(0)
        expect(await tolmachJson(folder, ['show', name, '--save', `${name}.html`])).toMatchObject({
          contract: name,
          file: `${name}.html`,
        })
      }
      expect((await tolmach(folder, ['generate', 'registry', '--quiet'])).code).toBe(0)
      expect((await tolmach(folder, ['diagram', 'registry', 'picture.html'])).code).toBe(0)
      const { default: puppeteer } = await import('puppeteer-core')
      browser = await puppeteer.launch({
        executablePath: '/usr/bin/chromium',
        args: ['--no-sandbox', '--disable-gpu'],
      })
      page = await browser.newPage()
      await page.setViewport({ width: 1280, height: 800 })
      page.on('console', (message) => troubles.push(`console: ${message.text()}`))
      page.on('pageerror', (error) => troubles.push(`error: ${String(error)}`))
      page.on('request', (request) => {
        if (!request.url().startsWith('file:')) troubles.push(`request: ${request.url()}`)
      })
    })
    afterAll(() => browser.close())

    test.each([
      ['berths', 28],
      ['ferries', 33],
      ['registry', 88],
      ['cargo', 34],
    ])(
      'the reference of %s: search, go there, leave the search, all from the keyboard',
      async (name, entries) => {
        await open(`${name}.html`)
        expect(await visible()).toHaveLength(entries)
        await page.keyboard.press('/')
        await page.keyboard.type('zeppelin')
        expect(await visible()).toEqual([])
        expect(await evaluate('document.querySelector("#found").textContent')).toBe(
          `0 of ${entries}`,
        )
        await page.keyboard.press('Escape')
        expect(await visible()).toHaveLength(entries)
        await page.keyboard.press('ArrowDown')
        const first = await evaluate<string>('document.activeElement.textContent')
        await page.keyboard.press('Enter')
        expect(await evaluate('document.querySelector("section:target h3").textContent')).toContain(
          first,
        )
        // Every link in the page leads somewhere.
        expect(
          await evaluate(
            '[...document.querySelectorAll("a")].filter((each) => document.getElementById(decodeURIComponent(each.hash.slice(1))) === null).map((each) => each.href)',
          ),
        ).toEqual([])
        expect(troubles).toEqual([])
      },
    )

    test('matches are marked, whether in a name or in a text; a click on a type in the picture leads to it', async () => {
      await open('registry.html')
      await page.keyboard.press('/')
      await page.keyboard.type('keeps the former one')
      expect(await visible()).toEqual(['Rename'])
      await page.keyboard.press('Escape')
      await page.keyboard.type('survey')
      expect(
        await evaluate(
          '[...document.querySelectorAll("nav mark")].map((mark) => mark.textContent.toLowerCase())',
        ),
      ).toContain('survey')
      await page.click('g.type[data-name=LogEntry] text')
      expect(
        await evaluate('document.querySelector("section:target h3").firstChild.textContent'),
      ).toBe('LogEntry')
      expect(troubles).toEqual([])
    })

    test('light, dark, on paper, and narrow', async () => {
      await open('registry.html')
      const background = (): Promise<string> =>
        evaluate('getComputedStyle(document.body).backgroundColor')
      const light = await background()
      await page.emulateMediaFeatures([{ name: 'prefers-color-scheme', value: 'dark' }])
      expect(await background()).not.toBe(light)
      await page.emulateMediaFeatures([])
      await page.emulateMediaType('print')
      expect(await evaluate('getComputedStyle(document.querySelector("nav")).display')).toBe('none')
      await evaluate('dispatchEvent(new Event("beforeprint"))')
      expect(await evaluate('document.querySelectorAll("details:not([open])").length')).toBe(0)
      await evaluate('dispatchEvent(new Event("afterprint"))')
      expect(await evaluate('document.querySelectorAll("details[open]").length')).toBe(0)
      await page.emulateMediaType('screen')
      await page.setViewport({ width: 480, height: 800 })
      expect(await evaluate('document.documentElement.scrollWidth')).toBeLessThanOrEqual(480)
      await page.setViewport({ width: 1280, height: 800 })
    })

    test('the page of a picture: choose a type, see its fields, its links and where its code is; search, zoom, pan', async () => {
      await open('picture.html')
      const box = (): Promise<number[]> =>
        evaluate(
          'document.querySelector("svg.picture").getAttribute("viewBox").split(" ").map(Number)',
        )
      const whole = await box()
      await page.click('g.type[data-name=Survey] text')
      const told = await evaluate<string>('document.querySelector("aside").innerText')
      for (const each of [
        'Survey',
        'Findings',
        'Survey leads to Vessel: Vessel 1; back: Surveys *',
      ])
        expect(told).toContain(each)
      const [, file = '', line = ''] = /(src\/clients\/registry\/types\.ts):(\d+)/.exec(told) ?? []
      expect((await readFile(join(folder, file), 'utf8')).split('\n')[Number(line) - 1]).toContain(
        'export interface Survey',
      )
      await page.keyboard.press('Escape')
      expect(await evaluate('document.querySelector("aside").hidden')).toBe(true)

      await page.keyboard.press('/')
      await page.keyboard.type('bollard')
      expect(
        await evaluate(
          '[...document.querySelectorAll("g.type.match")].map((each) => each.dataset.name)',
        ),
      ).toEqual(['Tug'])
      await page.keyboard.press('Enter')
      expect(await evaluate('document.querySelector("aside h2").textContent')).toBe('Tug')
      expect((await box())[2]).toBeLessThan(whole[2] ?? 0)
      await page.click('#picture-fit')
      expect(await box()).toEqual(whole)
      await page.mouse.move(640, 700)
      await page.mouse.wheel({ deltaY: -300 })
      expect((await box())[2]).toBeLessThan(whole[2] ?? 0)
      const before = await box()
      await page.mouse.down()
      await page.mouse.move(600, 650, { steps: 4 })
      await page.mouse.up()
      expect((await box())[0]).toBeGreaterThan(before[0] ?? 0)
      await evaluate('document.querySelector("g.type[data-name=Owner]").focus()')
      await page.keyboard.press('Enter')
      expect(await evaluate('document.querySelector("aside h2").textContent')).toBe('Owner')
      expect(troubles).toEqual([])
    })

    test('an answer that was saved: columns sorted by their headings, by size; rows that are missing a value come last; search', async () => {
      const standIn = await startStandIn('berths/desk.wsdl')
      expect(
        (
          await tolmach(folder, [
            'call',
            'berths',
            'listBerths',
            '--url',
            standIn.service,
            '--save',
            'answer.html',
            '--quiet',
          ])
        ).code,
      ).toBe(0)
      standIn.stop()
      await open('answer.html')
      const column = (at: number): Promise<string[]> =>
        evaluate(
          `[...document.querySelectorAll("table.rows tbody tr")].filter((row) => !row.hidden).map((row) => row.cells[${at}].textContent)`,
        )
      const dues = await column(5)
      await page.click('table.rows th:nth-child(6) button')
      expect(await column(5)).toEqual([...dues].sort((a, b) => Number(a) - Number(b)))
      await page.keyboard.press('Enter')
      expect((await column(5))[0]).toBe('2400.00')
      await page.click('table.rows th:nth-child(8) button')
      expect((await column(7)).at(-1)).toBe('')
      await page.type('#search', 'crane')
      expect(await column(1)).toEqual(['Crane berth & heavy lift'])
      expect(troubles).toEqual([])
    })

    test('what a hostile document says stays text', async () => {
      const hostile = '</script></title><img src=x onerror=alert(1)><svg onload=alert(2)>'
      const text = JSON.stringify({
        openapi: '3.1.0',
        info: { title: hostile, description: hostile, version: '1' },
        servers: [{ url: 'http://quay.example' }],
        paths: {
          '/a': {
            get: {
              operationId: hostile,
              tags: [hostile],
              summary: hostile,
              responses: {
                200: {
                  description: hostile,
                  content: { 'application/json': { schema: { $ref: '#/components/schemas/T' } } },
                },
              },
            },
          },
        },
        components: {
          schemas: {
            T: {
              type: 'object',
              title: hostile,
              description: hostile,
              properties: {
                [hostile]: {
                  type: 'string',
                  description: hostile,
                  default: hostile,
                  enum: [hostile, 'b'],
                },
              },
            },
          },
        },
      })
      const { writeFile } = await import('node:fs/promises')
      await writeFile(join(folder, 'hostile.json'), text)
      expect((await tolmach(folder, ['show', 'hostile.json', '--save', 'hostile.html'])).code).toBe(
        0,
      )
      expect(
        (await tolmach(folder, ['diagram', 'hostile.json', 'hostile-picture.html'])).code,
      ).toBe(0)
      for (const file of ['hostile.html', 'hostile-picture.html']) {
        await open(file)
        expect(await evaluate('document.querySelectorAll("img, svg:not(.picture)").length')).toBe(0)
        expect(await evaluate('document.body.textContent.includes("onerror=alert(1)")')).toBe(true)
        expect(troubles).toEqual([])
      }
    })
  },
)
