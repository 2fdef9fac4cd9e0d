import { readFile, writeFile } from 'node:fs/promises'
import { createRequire } from 'node:module'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import type { Browser, Page } from 'puppeteer-core'
import { freshFolder, repository, startStandIn, tolmach, tolmachJson } from '../support/program.js'
import { hasViewers } from '../support/viewers.js'

/**
 * Pages that we write, driven in Debian's headless Chromium: what goes wrong in them, and whatever
 * they ask the network for, is collected. axe-core judges them for those who don't see or point.
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
      // Pages that differ by what stands behind # are otherwise not read again.
      await page.goto('about:blank')
      await page.goto(pathToFileURL(join(folder, file)).href.replace('%23', '#'))
    }
    const evaluate = <T>(expression: string): Promise<T> => page.evaluate(expression) as Promise<T>
    const textOf = (selector: string): Promise<string> =>
      evaluate(`document.querySelector(${JSON.stringify(selector)}).textContent`)
    const visible = (): Promise<string[]> =>
      evaluate(
        '[...document.querySelectorAll("nav .part li")].filter((item) => !item.hidden).map((item) => item.textContent)',
      )
    const run = async (...words: string[]): Promise<void> => {
      const { code, stderr } = await tolmach(folder, [...words, '--quiet'])
      expect(stderr).toBe('')
      expect(code).toBe(0)
    }

    beforeAll(async () => {
      folder = await freshFolder()
      for (const [name, path] of [
        ['berths', 'berths/desk.wsdl'],
        ['ferries', 'ferries/openapi.yaml'],
        ['registry', 'registry/registry.xml'],
        ['cargo', 'cargo/cargo.xml'],
      ] as const) {
        await run('import', join(repository, 'demo', path), '--as', name)
        expect(await tolmachJson(folder, ['show', name, '--save', `${name}.html`])).toMatchObject({
          contract: name,
          file: `${name}.html`,
        })
      }
      await run('generate', 'registry')
      await run('diagram', 'registry', 'picture.html')
      const edition = join(repository, 'demo/second-edition/berths/desk.wsdl')
      await tolmach(folder, ['compare', 'berths', edition, '--save', 'compared.html'])
      const standIn = await startStandIn('berths/desk.wsdl')
      const { service } = standIn
      await run('call', 'berths', 'listBerths', '--url', service, '--save', 'answer.html')
      await run(
        'call',
        'berths',
        'listReservations',
        '--url',
        service,
        '--with',
        'Berth=S-20',
        '--save',
        'empty.html',
      )
      const passing = join(repository, 'demo/berths/rehearsals/reserve.yaml')
      const failing = (await readFile(passing, 'utf8')).replace('status: 200', 'status: 201')
      await writeFile(join(folder, 'failing.yaml'), failing)
      for (const [file, report] of [
        [passing, 'passed.html'],
        ['failing.yaml', 'failed.html'],
      ] as const)
        await tolmach(folder, ['rehearse', file, '--url', service, '--save', report])
      standIn.stop()
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
        if (!/^(?:file|about):/.test(request.url())) troubles.push(`request: ${request.url()}`)
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
        expect(await textOf('#found')).toContain(`0 of ${entries}.`)
        expect(await textOf('#found')).toContain(`snapshots/${name}`)
        await page.keyboard.press('Escape')
        expect(await visible()).toHaveLength(entries)
        await page.keyboard.type('e')
        await page.keyboard.press('ArrowDown')
        const first = await evaluate<string>('document.activeElement.textContent')
        await page.keyboard.press('Enter')
        expect(await textOf('.shown[open] h3')).toBe(first)
        // Whoever goes on does so from there.
        expect(await evaluate('document.activeElement.parentElement.className')).toBe('thing shown')
        // Every link in the page leads somewhere.
        expect(
          await evaluate(
            '[...document.querySelectorAll("a")].filter((each) => document.getElementById(decodeURIComponent(each.hash.slice(1))) === null).map((each) => each.href)',
          ),
        ).toEqual([])
        expect(troubles).toEqual([])
      },
    )

    test('things have addresses: unfolding, back and forward; what is beside; what can be copied', async () => {
      await open('registry.html#operation-Vessels.Rename')
      expect(await evaluate('document.querySelector("#group-Vessels").open')).toBe(true)
      expect(await textOf('nav [aria-current]')).toBe('Rename')
      const first = await textOf('.shown pre')
      expect(first).toMatch(/^tolmach (?:call|sample) registry Vessels\.Rename /)
      await page.click('#operation-CloseYear summary')
      expect(await evaluate('location.hash')).toBe('#operation-CloseYear')
      await page.goBack()
      expect(await evaluate('document.querySelector(".shown").id')).toBe('operation-Vessels.Rename')
      await browser.defaultBrowserContext().overridePermissions('file:///', ['clipboard-read'])
      await page.click('.shown .copying button')
      await page.waitForFunction(
        'document.querySelector(".shown .copying button").textContent !== "Copy"',
      )
      // What every set has stands behind what is the set's own.
      const inSet = await evaluate<string[]>(
        '[...document.querySelectorAll("#group-Vessels h3")].map((each) => each.textContent)',
      )
      expect(inSet.indexOf('Rename')).toBeLessThan(inSet.indexOf('list'))
      expect(troubles).toEqual([])
    })

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
      await evaluate('document.querySelector("#diagram").scrollIntoView()')
      await page.waitForFunction('document.querySelector("svg.picture").viewBox.baseVal.width > 0')
      await evaluate(
        'document.querySelector("g.type[data-name=LogEntry] rect").dispatchEvent(new MouseEvent("click", { bubbles: true }))',
      )
      await page.waitForSelector('#type-LogEntry[open]')
      expect(troubles).toEqual([])
    })

    test('very many operations: what is folded is made when somebody wants it, and found before', async () => {
      const paths = Object.fromEntries(
        Array.from({ length: 400 }, (_, at) => [
          `/slots/${String(at)}`,
          {
            get: {
              operationId: `slot${String(at)}`,
              description: `It says <mark${String(at)}> & more.`,
              responses: { 200: { description: 'well' } },
            },
          },
        ]),
      )
      await writeFile(
        join(folder, 'many.json'),
        JSON.stringify({
          openapi: '3.1.0',
          info: { title: 'Many', version: '1' },
          servers: [{ url: 'http://quay.example' }],
          paths,
        }),
      )
      await run('show', 'many.json', '--save', 'many.html')
      await open('many.html')
      expect(await evaluate('document.querySelectorAll("main pre").length')).toBe(0)
      await page.keyboard.press('/')
      await page.keyboard.type('<mark399>')
      expect(await visible()).toHaveLength(1)
      await page.keyboard.press('Enter')
      await page.waitForSelector('.shown .copying button')
      expect(await textOf('.shown .inside')).toContain('It says <mark399> & more.')
      await evaluate('dispatchEvent(new Event("beforeprint"))')
      expect(await evaluate('document.querySelectorAll(".inside > script").length')).toBe(0)
      expect(troubles).toEqual([])
    })

    test('light, dark, on paper', async () => {
      await open('registry.html')
      const background = (): Promise<string> =>
        evaluate('getComputedStyle(document.body).backgroundColor')
      const light = await background()
      await page.emulateMediaFeatures([{ name: 'prefers-color-scheme', value: 'dark' }])
      expect(await background()).not.toBe(light)
      await page.emulateMediaFeatures([])
      await page.emulateMediaType('print')
      expect(await evaluate('getComputedStyle(document.querySelector("nav")).display')).toBe('none')
      const folded = 'document.querySelectorAll("details:not([open])").length'
      const before = await evaluate(folded)
      await evaluate('dispatchEvent(new Event("beforeprint"))')
      expect(await evaluate(folded)).toBe(0)
      await evaluate('dispatchEvent(new Event("afterprint"))')
      expect(await evaluate(folded)).toBe(before)
      await page.emulateMediaType('screen')
    })

    const box = (): Promise<number[]> =>
      evaluate(
        'document.querySelector("svg.picture").getAttribute("viewBox").split(" ").map(Number)',
      )

    test('the page of a picture: choose a type, see its fields, its links and where its code is; search, zoom, pan', async () => {
      await open('picture.html')
      await page.waitForFunction('document.querySelector("svg.picture").viewBox.baseVal.x !== 0')
      await page.click('#picture-fit')
      const whole = await box()
      await page.click('g.type[data-name=Survey] text')
      const told = await evaluate<string>('document.querySelector("#chosen").innerText')
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
      expect(await evaluate('location.hash')).toBe('#Survey')
      await page.keyboard.press('Escape')
      expect(await evaluate('document.querySelector("#chosen").hidden')).toBe(true)

      await page.keyboard.press('/')
      await page.keyboard.type('bollard')
      expect(
        await evaluate(
          '[...document.querySelectorAll("#list .types li")].filter((each) => !each.hidden).map((each) => each.textContent)',
        ),
      ).toEqual(['Tug'])
      await page.keyboard.press('Enter')
      expect(await textOf('#chosen h2')).toBe('Tug')
      await page.keyboard.press('Escape')
      await page.click('#picture-fit')
      await page.mouse.move(640, 700)
      await page.mouse.wheel({ deltaY: -300 })
      expect((await box())[2]).toBeLessThan(whole[2] ?? 0)
      const before = await box()
      await page.mouse.move(700, 780)
      await page.mouse.down()
      await page.mouse.move(660, 730, { steps: 4 })
      await page.mouse.up()
      expect((await box())[0]).toBeGreaterThan(before[0] ?? 0)
      // By the keyboard: the panel has the focus, and gives it back.
      await evaluate('document.querySelector("g.type[data-name=Owner] [tabindex]").focus()')
      await page.keyboard.press('Enter')
      expect(await evaluate('document.activeElement.textContent')).toBe('Owner')
      await page.keyboard.press('Escape')
      expect(await evaluate('document.activeElement.parentNode.dataset.name')).toBe('Owner')
      // From far, names; nearer, fields.
      await evaluate('document.querySelector("svg.picture").focus()')
      for (let at = 0; at < 8; at += 1) await page.keyboard.press('-')
      expect(await evaluate('getComputedStyle(document.querySelector("g.fields")).display')).toBe(
        'none',
      )
      expect(troubles).toEqual([])
    })

    test('types are moved, and the lines that keep it are honoured by every format', async () => {
      await open('picture.html#Tug')
      await page.waitForSelector('#chosen h2')
      await page.keyboard.press('Escape')
      const place = (): Promise<number[]> =>
        evaluate(
          '(({ x, y }) => [x, y])(document.querySelector("g.type[data-name=Tug] rect").getBoundingClientRect())',
        )
      const [x = 0, y = 0] = await place()
      await page.mouse.move(x + 20, y + 10)
      await page.mouse.down()
      await page.mouse.move(x + 120, y + 60, { steps: 5 })
      await page.mouse.up()
      await evaluate('document.querySelector("g.type[data-name=Tug] [tabindex]").focus()')
      await page.keyboard.down('Shift')
      await page.keyboard.press('ArrowRight')
      await page.keyboard.up('Shift')
      expect((await place())[0]).toBeGreaterThan(x + 100)
      await page.click('#keep')
      const lines = await textOf('#kept pre')
      const [, left = '', top = ''] = /Tug: \[(-?\d+), (-?\d+)\]/.exec(lines) ?? []
      const [, otherLeft = '', otherTop = ''] = /Owner: \[(-?\d+), (-?\d+)\]/.exec(lines) ?? []
      const file = join(folder, 'tolmach.yaml')
      const project = await readFile(file, 'utf8')
      const kept = lines
        .split('\n')
        .map((each) => `  ${each}`)
        .join('\n')
      await writeFile(
        file,
        project.replace(/^ {2}registry:\n/m, (line) => `${line}${kept}\n`),
      )
      for (const each of [
        'arranged.svg',
        'arranged.dot',
        'arranged.png',
        'arranged.pdf',
        'arranged.html',
      ])
        await run('diagram', 'registry', each, '--view', 'arranged')
      const frames = [
        ...(await readFile(join(folder, 'arranged.svg'), 'utf8')).matchAll(
          /data-name="(\w+)">(?:\s*<title>[^<]*<\/title>)?\s*<rect x="([\d.]+)" y="([\d.]+)"/g,
        ),
      ]
      const frame = (name: string): number[] =>
        (frames.find(([, each]) => each === name) ?? []).slice(2).map(Number)
      const [tug, owner] = [frame('Tug'), frame('Owner')]
      expect([(tug[0] ?? 0) - (owner[0] ?? 0), (tug[1] ?? 0) - (owner[1] ?? 0)]).toEqual([
        Number(left) - Number(otherLeft),
        Number(top) - Number(otherTop),
      ])
      expect(await readFile(join(folder, 'arranged.dot'), 'utf8')).toContain(
        `pos="${String(Number(left) * 0.75)},${String(Number(top) * -0.75)}!"`,
      )
      expect(troubles).toEqual([])
    })

    test('an answer that was saved: columns sorted, hidden and moved; rows that are missing a value come last; search', async () => {
      await open('answer.html')
      const column = (name: string): Promise<string[]> =>
        evaluate(
          `(() => { const at = [...document.querySelectorAll("table.rows th")].findIndex((each) => each.textContent === "${name}"); return [...document.querySelectorAll("table.rows tbody tr")].map((row) => row.cells[at].textContent) })()`,
        )
      const press = (name: string): Promise<void> =>
        evaluate(
          `[...document.querySelectorAll("table.rows th button")].find((each) => each.textContent === "${name}").click()`,
        )
      expect(await textOf('h1')).toBe('listBerths')
      expect(await textOf('h1 + p')).toMatch(/^berths · http:.* UTC$/)
      expect(await textOf('[role=status]')).toBe('15 rows')
      const dues = await column('Dues')
      await press('Dues')
      expect(await column('Dues')).toEqual([...dues].sort((a, b) => Number(a) - Number(b)))
      await press('Dues')
      expect((await column('Dues'))[0]).toBe('2400.00')
      await press('FreeFrom')
      expect((await column('FreeFrom')).at(-1)).toBe('null')
      await page.keyboard.press('/')
      await page.keyboard.type('crane')
      expect(await column('Name')).toEqual(['Crane berth & heavy lift'])
      expect(await textOf('[role=status]')).toBe('1 of 15 rows')
      await page.keyboard.press('Escape')
      await page.click('details.columns summary')
      await page.click('details.columns li:nth-child(1) input')
      await page.click('details.columns li:nth-child(2) button[aria-label^="Further right"]')
      expect(
        await evaluate(
          '[...document.querySelectorAll("table.rows th")].filter((each) => !each.hidden).map((each) => each.textContent).slice(0, 3)',
        ),
      ).toEqual(['FreeFrom', 'Name', 'Dues'])
      expect(troubles).toEqual([])
    })

    test('very many rows are as light as few: made as somebody gets there, found and sorted before', async () => {
      const rows = Array.from({ length: 40_000 }, (_, at) => ({
        id: at,
        note: `row ${String(at)}`,
        lines: at === 39_999 ? [{ text: 'a line that is long enough to be folded' }] : [],
      }))
      const { answerPage } = await import('../../src/app/pages/answer-page.js')
      const { arrange } = await import('../../src/exercise/arrange.js')
      await writeFile(
        join(folder, 'rows.html'),
        answerPage({ contract: 'a', operation: 'b', when: '2027-01-01T00:00:00Z' }, arrange(rows)),
      )
      await open('rows.html')
      expect(
        await evaluate('document.querySelectorAll("table.rows tbody tr").length'),
      ).toBeLessThan(2000)
      await page.type('input[type=search]', 'row 39999')
      expect(await textOf('[role=status]')).toBe('1 of 40,000 rows')
      expect(await textOf('tbody details summary')).toBe('1 entry')
      expect(troubles).toEqual([])
    })

    test('a report: what failed, why and where at a glance; a link unfolds it', async () => {
      await open('failed.html')
      expect(await textOf('ul.failures li')).toMatch(
        /^Reserve it for a tug.*status 201: there was 200 failing\.yaml:\d+$/,
      )
      await page.click('ul.failures a')
      await page.waitForFunction('document.activeElement.tagName === "SUMMARY"')
      expect(await evaluate('document.activeElement.textContent')).toContain('Reserve it for a tug')
      // What was left out says nothing one by one.
      expect(await textOf('details.quiet summary')).toMatch(/^\d+ steps left out$/)
      await open('passed.html')
      expect(await evaluate('document.querySelector("ul.failures")')).toBe(null)
      expect(troubles).toEqual([])
    })

    test.each([
      ['light', 1280],
      ['dark', 1280],
      ['light', 390],
      ['dark', 390],
    ] as const)('every page is for everybody: %s, %i wide', async (scheme, width) => {
      const axe = await readFile(
        createRequire(import.meta.url).resolve('axe-core/axe.min.js'),
        'utf8',
      )
      const isPhone = width < 500
      await page.setViewport({ width, height: 844, isMobile: isPhone, hasTouch: isPhone })
      await page.emulateMediaFeatures([{ name: 'prefers-color-scheme', value: scheme }])
      const unfold = 'document.querySelectorAll("details").forEach((each) => (each.open = true))'
      for (const [file, act] of [
        ['registry.html', ''],
        ['berths.html#operation-reserveBerth', unfold],
        ['picture.html', ''],
        ['picture.html#Vessel', ''],
        ['compared.html', ''],
        ['answer.html', unfold],
        ['empty.html', ''],
        ['passed.html', unfold],
        ['failed.html', ''],
      ] as const) {
        await open(file)
        await evaluate(act)
        await new Promise((settled) => setTimeout(settled, 100))
        await evaluate(axe)
        const found = await evaluate<string[]>(
          'axe.run(document, { resultTypes: ["violations"] }).then(({ violations }) => violations.filter(({ impact }) => impact !== "minor").flatMap(({ id, nodes }) => nodes.map(({ html }) => `${id}: ${html.slice(0, 120)}`)))',
        )
        expect({ file, found }).toEqual({ file, found: [] })
        // Nothing scrolls sideways but tables inside their box; what is pressed is large enough.
        expect(await evaluate('document.documentElement.scrollWidth')).toBeLessThanOrEqual(width)
        if (isPhone)
          expect(
            await evaluate(
              '[...document.querySelectorAll("button, input, summary, nav a")].filter((each) => each.offsetParent !== null && each.type !== "checkbox" && each.getBoundingClientRect().height < 44).map((each) => each.outerHTML.slice(0, 100))',
            ),
          ).toEqual([])
        expect(troubles).toEqual([])
      }
      await page.emulateMediaFeatures([])
      await page.setViewport({ width: 1280, height: 800 })
    })

    test('with fingers: the contents unfold, the picture pans with one and zooms with two', async () => {
      await page.setViewport({ width: 390, height: 844, isMobile: true, hasTouch: true })
      await open('registry.html')
      expect(await evaluate('getComputedStyle(document.querySelector("#contents")).display')).toBe(
        'none',
      )
      await page.tap('#menu')
      expect(await evaluate('document.querySelector("#menu").getAttribute("aria-expanded")')).toBe(
        'true',
      )
      await open('picture.html')
      await page.waitForFunction(
        'document.querySelector("svg.picture").viewBox.baseVal.width < 2000',
      )
      const before = await box()
      const one = await page.touchscreen.touchStart(200, 500)
      await one.move(150, 450)
      await one.end()
      const panned = await box()
      expect([panned[2], panned[0] === before[0]]).toEqual([before[2], false])
      const [left, right] = [
        await page.touchscreen.touchStart(180, 500),
        await page.touchscreen.touchStart(220, 500),
      ]
      await left.move(120, 500)
      await right.move(280, 500)
      await left.end()
      await right.end()
      expect((await box())[2]).toBeLessThan(panned[2] ?? 0)
      expect(troubles).toEqual([])
      await page.setViewport({ width: 1280, height: 800 })
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
      await writeFile(join(folder, 'hostile.json'), text)
      await run('show', 'hostile.json', '--save', 'hostile.html')
      await run('diagram', 'hostile.json', 'hostile-picture.html')
      for (const file of ['hostile.html', 'hostile-picture.html']) {
        await open(file)
        expect(
          await evaluate(
            'document.querySelectorAll("img, svg:not(.picture, .picture svg, #map svg)").length',
          ),
        ).toBe(0)
        expect(await evaluate('document.body.textContent.includes("onerror=alert(1)")')).toBe(true)
        expect(troubles).toEqual([])
      }
    })
  },
)
