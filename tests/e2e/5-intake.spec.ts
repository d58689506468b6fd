import { copyFile, mkdir, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { expect, test, type Page } from '@playwright/test'
import { dataDirectory, expectAccessible, expectNoPageScroll, sourceCalled, sources } from './support.ts'

/** Intake by hand-like steps: findings with their evidence, lots, filters, folders. */
const inVolume = (...parts: string[]) => path.join(dataDirectory, 'volumes', 'sources', ...parts)
const row = (page: Page, name: string) => page.locator('[data-row]').filter({ hasText: name })
const lot = (page: Page, words: string | RegExp) => page.locator('.line.lot').filter({ hasText: words })

test.describe.configure({ mode: 'serial' })

test.beforeAll(async ({ request }) => {
  await expect.poll(async () => (await sources(request)).filter(source => ['waiting', 'measuring'].includes(source.measureState)).length, { timeout: 180_000 }).toBe(0)
})

test('a source shows what was found, how sure that is, and the very frame', async ({ page, request }) => {
  const disc = await sourceCalled(request, 'Lamp-room training disc 3.mpg')
  await page.goto(`/intake?source=${disc.id}`)
  const findings = page.getByRole('region', { name: 'Findings' })
  await expect(findings.getByText('Interlaced, top field first.')).toBeVisible()
  await expect(findings.getByText(/\d+ % sure/).first()).toBeVisible()
  await expect(page.getByRole('group', { name: /Time ruler, 0:14\.0 long/ })).toBeVisible()
  await expect(findings.getByText(/it took \d+\.\d s of processor time/)).toBeVisible()
  await findings.getByRole('button', { name: 'See: Interlaced, top field first.' }).click()
  const dialog = page.getByRole('dialog')
  await expect(dialog.getByRole('img', { name: /Frame at/ })).toBeVisible()
  await expect.poll(() => dialog.getByRole('img').evaluate((image: HTMLImageElement) => image.naturalWidth)).toBe(720)
  await page.keyboard.press('ArrowRight')
  await expect(dialog.getByText('(+1 frames)')).toBeVisible()
  await expectAccessible(page)
  await dialog.getByRole('button', { name: 'Close' }).click()
})

test('the disguised tape and the noisy renders are found out', async ({ request }) => {
  const all = await sources(request)
  const faults = (name: string) => all.find(source => source.name.startsWith(name))!.faults
  expect(faults('approach')).toContain('noise')
  expect(faults('Fog-signal')).toContain('blocking')
  expect(faults('Harbour log')).toContain('cut short')
})

test('a filter narrows the lots, is kept in the browser, and can be given a name', async ({ page }) => {
  await page.goto('/intake')
  await page.getByRole('button', { name: 'Narrow' }).click()
  await expectAccessible(page)
  await page.getByRole('button', { name: 'noise', exact: true }).click()
  await expect(page.locator('[data-row]')).toHaveCount(1)
  await expect(row(page, 'approach-')).toBeVisible()
  await page.reload()
  await expect(page.locator('[data-row]')).toHaveCount(1)
  await page.getByRole('button', { name: 'Narrow' }).click()
  await page.getByLabel('Name for these conditions').fill('Noisy')
  await page.getByRole('button', { name: 'Keep', exact: true }).click()
  await page.getByRole('button', { name: 'Drop the condition noise' }).click()
  await expect(page.locator('[data-row]')).toHaveCount(13)
  await page.getByLabel('Name contains').fill('harbour')
  await expect(page.locator('[data-row]')).toHaveCount(3)
})

test('a folder is gone through with all below it, and what is alike falls into one lot', async ({ page }) => {
  await mkdir(inVolume('box', 'inner'), { recursive: true })
  for (const name of ['box/reel 1.avi', 'box/reel 2.avi', 'box/inner/reel "3".avi']) await copyFile(inVolume('Fog-signal interview 1.avi'), inVolume(name))
  await writeFile(inVolume('box', 'empty.mov'), '')
  await writeFile(inVolume('box', 'wrong ending.mp4'), 'This is no film.\n'.repeat(40))
  await page.goto('/intake')
  await page.getByRole('button', { name: 'Bring in from a volume' }).click()
  await page.getByRole('dialog').getByRole('button', { name: 'box', exact: true }).click()
  await expect(page.getByRole('dialog').getByText('reel 1.avi')).toBeVisible()
  await page.getByRole('button', { name: 'Bring in everything' }).click()
  await expect(page.getByText(/Went through Sources: box/)).toBeVisible({ timeout: 30_000 })
  await expect(page.getByText(/2 folders, 4 brought in/)).toBeVisible()
  await page.getByRole('button', { name: '1 not usable' }).click()
  await expect(page.getByText('box/empty.mov')).toBeVisible()
  await page.getByLabel('Name contains').fill('wrong')
  await expect(row(page, 'wrong ending.mp4')).toContainText('cannot be opened', { timeout: 60_000 })
  await page.getByLabel('Name contains').fill('reel')
  await expect(row(page, 'reel "3".avi')).toBeVisible({ timeout: 30_000 })
  await expect(lot(page, /3 sources: 320x240 4:3/)).toBeVisible({ timeout: 120_000 })
  await expectNoPageScroll(page)
  await expectAccessible(page)
})
