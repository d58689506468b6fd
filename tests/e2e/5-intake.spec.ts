import { copyFile, mkdir, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { expect, test, type APIRequestContext, type Page } from '@playwright/test'
import {
  dataDirectory,
  expectAccessible,
  expectNoPageScroll,
  measuredSource,
  sourceCalled,
  sources,
  volumeOf,
} from './support.ts'

/** Intake by hand-like steps: findings with their evidence, lots, filters, folders. */
const inVolume = (...parts: string[]) => path.join(dataDirectory, 'volumes', 'sources', ...parts)
const row = (page: Page, name: string) => page.locator('[data-row]').filter({ hasText: name })
const lot = (page: Page, words: string | RegExp) => page.locator('.line.group').filter({ hasText: words })

test.describe.configure({ mode: 'serial' })

const untilMeasured = (request: APIRequestContext) =>
  expect
    .poll(
      async () =>
        (await sources(request)).filter(source => ['waiting', 'measuring'].includes(source.measureState)).length,
    )
    .toBe(0)
test.beforeAll(({ request }) => untilMeasured(request))

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

test('a filter narrows the lots, is kept in the browser, and can be given a name', async ({ page, request }) => {
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
  await expect(page.getByText(`${(await sources(request)).length} sources in`)).toBeVisible()
  await page.getByLabel('Name contains').fill('harbour')
  await expect(page.locator('[data-row]')).toHaveCount(3)
})

test('columns are chosen, and kept in the browser', async ({ page }) => {
  await page.goto('/intake')
  await expect(page.getByRole('columnheader', { name: 'Codec' })).toBeVisible()
  await page.getByRole('button', { name: 'Columns' }).click()
  await page.getByRole('checkbox', { name: 'Codec' }).uncheck()
  await page.getByRole('checkbox', { name: 'Sound' }).check()
  await expectAccessible(page)
  await page.reload()
  await expect(page.getByRole('columnheader', { name: 'Sound' })).toBeVisible()
  await expect(page.getByRole('columnheader', { name: 'Codec' })).toHaveCount(0)
  await page.getByLabel('Name contains').fill('interview 1')
  await expect(row(page, 'Fog-signal interview 1.avi')).toContainText('MP3')
})

test('a folder is gone through with all below it, and what is alike falls into one lot', async ({ page }) => {
  await mkdir(inVolume('box', 'inner'), { recursive: true })
  for (const name of ['box/reel 1.avi', 'box/reel 2.avi', 'box/inner/reel "3".avi'])
    await copyFile(inVolume('Fog-signal interview 1.avi'), inVolume(name))
  await writeFile(inVolume('box', 'empty.mov'), '')
  await writeFile(inVolume('box', 'wrong ending.mp4'), 'This is no film.\n'.repeat(40))
  await page.goto('/intake')
  await page.getByRole('button', { name: 'Bring in from a volume' }).click()
  await page.getByRole('dialog').getByRole('button', { name: 'box', exact: true }).click()
  await expect(page.getByRole('dialog').getByText('reel 1.avi')).toBeVisible()
  await page.getByRole('button', { name: 'Bring in everything' }).click()
  await expect(page.getByText(/Went through Sources: box/)).toBeVisible()
  await expect(page.getByText(/2 folders, 4 brought in/)).toBeVisible()
  await page.getByRole('button', { name: '1 not usable' }).click()
  await expect(page.getByText('box/empty.mov')).toBeVisible()
  await page.getByLabel('Name contains').fill('wrong')
  await expect(row(page, 'wrong ending.mp4')).toContainText('cannot be opened')
  await page.getByLabel('Name contains').fill('reel')
  await expect(row(page, 'reel "3".avi')).toBeVisible()
  await expect(lot(page, /3 sources: 320x240 4:3/)).toBeVisible()
  await expectNoPageScroll(page)
  await expectAccessible(page)
})

test('lots are split, named, joined and grouped again, by keys and by mouse', async ({ page, request }) => {
  // What is measured may fall into another lot, and the list would move under the hands.
  await untilMeasured(request)
  await page.goto('/intake')
  await page.getByLabel('Name contains').fill('reel')
  await expect(page.locator('[data-row]')).toHaveCount(3)
  await row(page, 'reel 1.avi').click()
  await page.keyboard.press('Space')
  await row(page, 'reel 2.avi').click({ modifiers: ['Control'] })
  await expect(page.getByText('2 selected')).toBeVisible()
  await row(page, 'reel 1.avi').focus()
  await page.keyboard.press('m')
  await expect(page.getByRole('dialog')).toContainText('Move 2 sources')
  await expectAccessible(page)
  await page.getByRole('button', { name: 'Move 2 sources' }).click()
  await expect(lot(page, '2 sources')).toBeVisible()
  await lot(page, '2 sources').focus()
  await page.keyboard.press('F2')
  await page.getByRole('dialog').getByLabel('Name (empty for its letter)').fill('Night reels')
  await page.getByRole('button', { name: 'Keep the name' }).click()
  await expect(lot(page, 'Night reels')).toBeVisible()
  await row(page, 'reel "3".avi').dragTo(lot(page, 'Night reels'))
  await expect(lot(page, 'Night reels')).toContainText('3 sources')
  await lot(page, 'Night reels').getByRole('checkbox').check()
  await page.getByRole('button', { name: 'Lot, measure' }).click()
  await page.getByText('Group by likeness again').click()
  await expect(lot(page, 'Night reels')).toHaveCount(0)
})

test('keys act on the lot that has the focus, also when the list moves under it', async ({ page, request }) => {
  await page.goto('/intake')
  await expect(page.locator('[data-row]').first()).toBeVisible()
  const lots: { id: number; name: string; count: number }[] = await (await request.get('/api/lots?orderId=1')).json()
  const head = (name: string) =>
    page.locator('.line.group').filter({ has: page.locator('strong').getByText(name, { exact: true }) })
  // The one that has the focus takes the place of another when one before it goes.
  const before = lots.findIndex(entry => entry.count === 1)
  const focused = lots.findIndex((entry, index) => index > before && entry.count === 1)
  const moved = (await sources(request)).find(source => source.lotId === lots[before]!.id)!
  await head(lots[focused]!.name).focus()
  await request.post('/api/lots/moves', { data: { sourceIds: [moved.id], lotId: lots.at(-1)!.id } })
  await expect(head(lots[before]!.name)).toHaveCount(0)
  await page.keyboard.press('F2')
  await expect(page.getByRole('dialog').getByRole('heading')).toHaveText(lots[focused]!.name)
  await page.keyboard.press('Escape')
  await request.post('/api/lots/groupings', { data: { sourceIds: [moved.id] } })
})

test('a watched folder brings in what has stopped growing', async ({ page }) => {
  await mkdir(inVolume('arriving'), { recursive: true })
  await page.goto('/intake')
  await page.getByRole('button', { name: 'Bring in from a volume' }).click()
  await page.getByRole('dialog').getByRole('button', { name: 'arriving', exact: true }).click()
  await page.getByRole('button', { name: 'Watch for new files' }).click()
  await expect(page.getByText('Watching Sources: arriving')).toBeVisible()
  await copyFile(inVolume('Fog-signal interview 1.avi'), inVolume('arriving', 'late reel.avi'))
  await page.getByLabel('Name contains').fill('late reel')
  await expect(row(page, 'late reel.avi')).toBeVisible()
  await page.getByRole('button', { name: 'End', exact: true }).click()
  await expect(page.getByText('Watching Sources: arriving')).toHaveCount(0)
})

test('lots are made coarser and finer', async ({ page, request }) => {
  await expect
    .poll(
      async () =>
        (await sources(request)).filter(source => ['waiting', 'measuring'].includes(source.measureState)).length,
    )
    .toBe(0)
  await page.goto('/intake')
  const lotCount = async () =>
    Number(/ in (\d+) lots/.exec(await page.getByText(/\d+ sources in \d+ lots/).innerText())?.[1])
  await expect.poll(lotCount).toBeGreaterThan(0)
  const many = await lotCount()
  await page.getByRole('button', { name: 'Usual lots' }).click()
  await expectAccessible(page)
  await page.getByRole('radio', { name: /Coarse lots/ }).click()
  await expect(page.getByRole('button', { name: 'Coarse lots' })).toBeVisible()
  await expect.poll(lotCount).toBeLessThan(many)
  await page.getByRole('button', { name: 'Coarse lots' }).click()
  await page.getByRole('radio', { name: /Usual lots/ }).click()
  await expect.poll(lotCount).toBe(many)
})

test('a draft names what would be left as it is, and one press adds the step that cures it', async ({
  page,
  request,
}) => {
  const reel = await measuredSource(request, 'late reel.avi')
  await request.post('/api/jobs', {
    data: {
      deliveryVolumeId: await volumeOf(request, 'delivery'),
      wishes: [{ sourceId: reel.id, specKey: 'playback-box' }],
    },
  })
  await page.goto('/balance')
  await row(page, 'late reel.avi').click()
  const left = page.getByRole('region', { name: 'Left as found' })
  await expect(left).toContainText('Blocking')
  await expectAccessible(page)
  const count = await left.getByRole('listitem').count()
  await left
    .getByRole('listitem')
    .filter({ hasText: 'Blocking' })
    .getByRole('button', { name: /^Add: / })
    .click()
  await expect(page.getByText(/Treatment: .* as found v1/)).toBeVisible()
  await expect(left.getByRole('listitem').filter({ hasText: 'Blocking' })).toHaveCount(0)
  await expect.poll(() => left.getByRole('listitem').count()).toBeLessThan(count)
  // The step was for the whole lot, which other tests find as it was.
  expect(
    (await request.post('/api/lots/treatments', { data: { lotIds: [reel.lotId], treatmentId: null } })).status(),
  ).toBe(204)
})
