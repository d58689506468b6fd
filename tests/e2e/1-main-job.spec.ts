import { createHash } from 'node:crypto'
import { readFile } from 'node:fs/promises'
import path from 'node:path'
import { expect, test } from '@playwright/test'
import { clearLanes, dataDirectory, expectAccessible, expectNoPageScroll, sourceCalled } from './support.ts'

/** The main job by hand-like steps: from material to checked and compared files. */
test.describe.configure({ mode: 'serial' })

test.beforeAll(async ({ request }) => {
  await clearLanes(request)
  for (const name of ['Fog-signal interview 1.avi', 'Harbour log (cut short).mp4', "Keeper's notes.mov"])
    await sourceCalled(request, name)
})

/** High enough that every line of the demo order is drawn: the table draws only those that can be seen. */
const tall = { width: 1280, height: 1600 }

test('Intake shows what each source is, and why one cannot be used', async ({ page }) => {
  await page.setViewportSize(tall)
  await page.goto('/')
  await expect(page).toHaveURL(/\/intake/)
  const rows = page.getByRole('treegrid').locator('[data-row]')
  await expect(page.getByText(/^18 sources in/)).toBeVisible()
  await expect(rows.filter({ hasText: 'Lamp-room training disc 3.mpg' })).toContainText(
    /720x576 16:9.*25i top.*MPEG-2.*0:14\.0/s,
  )
  await expect(rows.filter({ hasText: "Keeper's notes.mov" })).toContainText('The file cannot be opened')
  await rows.filter({ hasText: 'Harbour inspection tape 12.dv' }).click()
  await expect(page.getByText('interlaced, bottom field first (flags of the first 13 frames)')).toBeVisible()
  await expect(page.getByText('720x480, pixels 8:9, shown 4:3')).toBeVisible()
  await expect(page.getByRole('button', { name: /^Frame at 0:0/ }).first()).toBeVisible()
  await expectNoPageScroll(page)
  await expectAccessible(page)
})

test('drafts are measured before anything is released', async ({ page }) => {
  await page.setViewportSize(tall)
  await page.goto('/intake')
  const row = (name: string) => page.locator('[data-row]').filter({ hasText: name })
  for (const name of ['Fog-signal interview 1.avi', 'Harbour log (cut short).mp4'])
    await row(name).getByRole('checkbox').check()
  await page.getByRole('group', { name: 'Draft jobs' }).locator('.specs .v-field').click()
  await page.getByRole('option', { name: /Playback box MP4/ }).click()
  await page.getByRole('option', { name: /Open web MP4/ }).click()
  await page.keyboard.press('Escape')
  await page.getByRole('button', { name: 'Draft 2 jobs' }).click()
  await expect(page).toHaveURL(/\/balance/)
  await row('Fog-signal interview 1.avi').click()
  await expect(page.getByText(/of 300 frames in \d+ stretches, encoded and checked on .* in \d+ s/)).toBeVisible()
  // On a machine that others use the windows differ so much that only the far end says something.
  await expect(row('Fog-signal interview 1.avi')).toContainText(/(\d+(\.\d)?-|\d+ s - |up to )\d+(\.\d)? (s|min)/)
  await expect(row('Harbour log (cut short).mp4')).toContainText(/[km]?B \(/i)
  await expect(page.getByText(/all done/)).toBeVisible()
  await expectNoPageScroll(page)
  await expectAccessible(page)
})

test('released jobs run, show their progress, and survive a reload', async ({ page }) => {
  await page.goto('/balance')
  await page.getByRole('button', { name: 'Release 2 jobs' }).click()
  await expect(page).toHaveURL(/\/shift/)
  await expect(page.getByText(/frame \d+ of 300/)).toBeVisible()
  await page.reload()
  await expect(page.getByRole('heading', { name: 'What happened' })).toBeVisible()
  await expectAccessible(page)
  await expect(page.getByText(/done: Fog-signal interview 1-web\.mp4/)).toBeVisible()
  await expect(page.getByText(/done: Harbour log \(cut short\)-web\.mp4/)).toBeVisible()
})

test('Handover gives the verdicts, reasons first, and the checksums are those of the files', async ({ page }) => {
  await page.goto('/handover')
  const rows = page.getByRole('treegrid', { name: 'Results' }).locator('[data-row]')
  await expect(rows.first()).toContainText('look at it')
  await expect(rows.filter({ hasText: 'Harbour log (cut short)-web.mp4' })).toContainText(
    /look at it.*By its times the source should give 15\d frames but gave 14\d/s,
  )
  await expect(rows.filter({ hasText: 'Fog-signal interview 1-web.mp4' })).toContainText(/look at it.*Blocking: /s)
  await rows.filter({ hasText: 'Fog-signal interview 1-web.mp4' }).click()
  for (const line of ['decodes', 'frames', 'length', 'codec', 'colour tags', 'SSIM', 'XPSNR'])
    await expect(page.getByRole('cell', { name: line, exact: true }).first()).toBeVisible()
  const download = page.waitForEvent('download')
  await page.getByRole('link', { name: 'Save checksums of 2 results' }).click()
  const list = await readFile((await (await download).path())!, 'utf8')
  for (const name of ['Fog-signal interview 1-web.mp4', 'Harbour log (cut short)-web.mp4']) {
    const sum = createHash('sha256')
      .update(await readFile(path.join(dataDirectory, 'volumes/delivery', name)))
      .digest('hex')
    expect(list).toContain(`${sum}  ${name}\n`)
  }
  await expectNoPageScroll(page)
  await expectAccessible(page)
})

test('what was forecast is held against what it came to', async ({ page }) => {
  await page.goto('/equipment')
  await page.getByRole('link', { name: 'Forecasts and results' }).click()
  await expect(page.getByText(/^All kinds of work: 2 results; times are off by/)).toBeVisible()
  const results = page.getByRole('table').last().getByRole('row')
  await expect(results.filter({ hasText: 'Fog-signal interview 1.avi' })).toContainText(/ s.*(within|outside)/)
  await expect(page.getByText('samples, until there are 20 results').first()).toBeVisible()
  await page.getByRole('button', { name: 'Size' }).click()
  await expect(results.filter({ hasText: 'Fog-signal interview 1.avi' })).toContainText(/ kB.*[+-]\d/)
  await page
    .getByRole('button', { name: /^AV1, held quality/ })
    .first()
    .click()
  await expect(page.getByText(/^AV1, held quality; .* results?; sizes are off by/)).toBeVisible()
  await expectNoPageScroll(page)
  await expectAccessible(page)
  // One who looks at a result finds what it was forecast to take there as well.
  await results.filter({ hasText: 'Fog-signal interview 1.avi' }).getByRole('link').click()
  await expect(page).toHaveURL(/\/handover\/\d+/)
})

test('before and after are compared at any frame, beside each other and wiped, zoomed in step', async ({ page }) => {
  await page.goto('/handover')
  await page
    .getByRole('treegrid', { name: 'Results' })
    .locator('[data-row]')
    .filter({ hasText: 'Fog-signal interview 1-web.mp4' })
    .click()
  await page.getByRole('link', { name: 'Compare with the source' }).click()
  const before = page.getByRole('img', { name: /^Before/ })
  const after = page.getByRole('img', { name: /^After/ })
  /** Mean brightness of a canvas, so that an empty one is noticed. */
  const brightness = (name: RegExp) =>
    page.getByRole('img', { name }).evaluate((canvas: HTMLCanvasElement) => {
      const { data } = canvas.getContext('2d')!.getImageData(0, 0, canvas.width, canvas.height)
      let sum = 0
      for (let at = 0; at < data.length; at += 4) sum += data[at]! + data[at + 1]! + data[at + 2]!
      return sum / (data.length / 4) / 3
    })
  await expect.poll(() => brightness(/^Before/)).toBeGreaterThan(10)
  expect(Math.abs((await brightness(/^Before/)) - (await brightness(/^After/)))).toBeLessThan(6)
  const slider = page.getByRole('slider', { name: 'Frame' })
  await expect(slider).toHaveValue('149')
  await page.keyboard.press('ArrowRight')
  await expect(slider).toHaveValue('150')
  await page.keyboard.press('Shift+ArrowLeft')
  await expect(slider).toHaveValue('135')
  await page.keyboard.press('End')
  await expect(slider).toHaveValue('299')
  await expect(page.getByText('00:00:19:14')).toBeVisible()
  await page.getByRole('button', { name: '1:1' }).click()
  await page.getByRole('button', { name: 'Larger' }).click()
  await expect(page.getByText('2:1', { exact: true })).toBeVisible()
  await expect(before).toBeVisible()
  await page.keyboard.press('w')
  await expect(page.getByRole('button', { name: 'Wipe' })).toHaveAttribute('aria-pressed', 'true')
  const clip = () => after.evaluate(canvas => getComputedStyle(canvas).clipPath)
  expect(await clip()).toContain('50%')
  await page.keyboard.press('e')
  expect(await clip()).toContain('55%')
  await page.getByRole('button', { name: 'Difference' }).click()
  await expect(page.getByText('source, treated against result')).toBeVisible()
  await page.getByRole('button', { name: 'Scopes' }).click()
  await expect(page.getByRole('img', { name: 'Waveform of luma and histogram, result' })).toBeVisible()
  await page.getByRole('button', { name: 'Scopes' }).click()
  await page.getByRole('button', { name: 'Side by side' }).click()
  await page.getByRole('button', { name: 'Source as it is' }).click()
  await expect.poll(() => brightness(/^Before: source as it is/)).toBeGreaterThan(10)
  await expectNoPageScroll(page)
  await expectAccessible(page)
})
