import { chromium } from '@playwright/test'
const [, , ...steps] = process.argv
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox', '--disable-gpu', '--disable-dev-shm-usage', '--disable-quic', '--no-first-run', '--disable-background-networking', '--disable-component-update', '--disable-sync'] })
const page = await browser.newPage({ baseURL: 'http://127.0.0.1:4300', viewport: { width: 1280, height: 800 } })
page.on('console', m => { if (m.type() === 'error') console.log('console:', m.text().slice(0, 300)) })
page.on('pageerror', e => console.log('pageerror:', e.message.slice(0, 300)))
for (const s of steps) {
  const [what, ...rest] = s.split('=')
  const arg = rest.join('=')
  if (what === 'goto') await page.goto(arg)
  else if (what === 'click') await page.getByRole('button', { name: new RegExp(arg) }).first().click()
  else if (what === 'text') await page.getByText(arg).first().click()
  else if (what === 'key') await page.keyboard.press(arg)
  else if (what === 'wait') await page.waitForTimeout(Number(arg))
  else if (what === 'shot') await page.screenshot({ path: `/tmp/${arg}.png` })
  else if (what === 'eval') console.log(await page.evaluate(arg))
}
await browser.close()
