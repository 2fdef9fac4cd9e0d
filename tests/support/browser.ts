import { launch, type Page } from 'puppeteer-core'

/** Opens a page in Chromium, looks at it, and closes it. @returns what was seen, then its errors */
export async function inBrowser<Seen>(
  url: string,
  look: (page: Page) => Promise<Seen>,
): Promise<[seen: Seen, ...errors: string[]]> {
  const browser = await launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox'] })
  try {
    const page = await browser.newPage()
    const errors: string[] = []
    page.on('pageerror', (error) => errors.push(String(error)))
    await page.goto(url)
    return [await look(page), ...errors]
  } finally {
    await browser.close()
  }
}
