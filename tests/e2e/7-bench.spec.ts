import { readFile } from 'node:fs/promises'
import { expect, test, type APIRequestContext, type Page } from '@playwright/test'
import { expectAccessible, expectNoPageScroll, releaseJob, sourceCalled, untilState, volumeOf } from './support.ts'

/** The Bench by hand-like steps: two variants made, compared, one chosen and given to a lot. */

interface Trial {
  id: number
  sourceId: number
  label: string
  state: string
  results: unknown[]
}
const sheet = (page: Page) => page.getByRole('region', { name: 'Trial sheet' })

async function openBench(page: Page, sourceName: string): Promise<{ sourceId: number; lotId: number }> {
  const { id, lotId } = await sourceCalled(page.request, sourceName)
  await page.goto(`/bench?lot=${lotId}&source=${id}`)
  await expect(page.getByRole('complementary', { name: 'Treatment' })).toBeVisible()
  return { sourceId: id, lotId: lotId! }
}

/** What a source is drafted with now; the draft is removed. */
async function treatmentOfDraft(request: APIRequestContext, sourceId: number): Promise<string | null> {
  const { jobs } = (await (
    await request.post('/api/jobs', {
      data: { deliveryVolumeId: await volumeOf(request, 'delivery'), wishes: [{ sourceId, specKey: 'small-mkv' }] },
    })
  ).json()) as { jobs: { id: number; treatmentName: string | null }[] }
  await request.post('/api/jobs/actions', { data: { ids: [jobs[0]!.id], action: 'remove' } })
  return jobs[0]!.treatmentName
}

test('a treatment is put together: order, refusals, what comes out', async ({ page }) => {
  await openBench(page, 'Fog-signal interview 1.avi')
  const steps = page.getByRole('list', { name: 'Steps' })
  await expect(steps.getByText('Enlarge, learned, 2x, compressed, fast')).toBeVisible()
  await page.getByRole('button', { name: 'Add a step' }).click()
  await expectAccessible(page)
  await page.getByRole('button', { name: 'Denoise', exact: true }).click()
  // It stands before the enlarging at once, with its settings open.
  const order = async () => (await steps.locator('.name').allInnerTexts()).map(text => text.replace(/^\s*\d+\s*/, ''))
  await expect.poll(order).toContain('Denoise, fast, medium')
  const texts = await order()
  expect(texts.indexOf('Denoise, fast, medium')).toBeLessThan(texts.indexOf('Enlarge, learned, 2x, compressed, fast'))
  await page.getByLabel('Strength').selectOption('strong')
  await expect.poll(order).toContain('Denoise, fast, strong')
  await expect(page.getByText(/1440x1080 4:3, 15 fps progressive, 8 bit 4:2:0, BT.709/)).toBeVisible()
  await page.getByRole('button', { name: 'Add a step' }).click()
  await page.getByRole('button', { name: 'Crop', exact: true }).click()
  await page.getByLabel('Left').fill('200')
  await page.getByLabel('Left').blur()
  await page.getByLabel('Right').fill('200')
  await page.getByLabel('Right').blur()
  await expect(page.getByText('Crop leaves 0x240 of 320x240. Take off less.')).toBeVisible()
  await expect(page.getByRole('button', { name: /^Try/ })).toBeDisabled()
  await page.getByLabel('Left').fill('99999')
  await page.getByLabel('Left').blur()
  await expect(page.getByText('Left must be a number from 0 to 4096 px.')).toBeVisible()
  await page.getByRole('button', { name: 'Remove Crop' }).click()
  await expect(page.getByRole('button', { name: /^Try/ })).toBeEnabled()
  await expectAccessible(page)
  await expectNoPageScroll(page)
})

test("variants are tried, compared and chosen; the choice becomes the lot's treatment and that of its jobs", async ({
  page,
  request,
}) => {
  // Notes what is played, and how loud.
  await page.addInitScript(() => {
    const gains: GainNode[] = []
    Object.assign(window, { gains })
    const make = AudioContext.prototype.createGain
    AudioContext.prototype.createGain = function () {
      const node = make.call(this)
      gains.push(node)
      return node
    }
  })
  const { sourceId, lotId } = await openBench(page, 'Fog-signal interview 1.avi')
  // Two short moments of one's own, the second by I and O.
  await request.put(`/api/sources/${sourceId}/moments`, {
    data: { moments: [{ reason: 'by hand', from: 2, to: 2.8 }] },
  })
  await page.reload()
  await expect(page.getByRole('group', { name: 'Moments' }).getByText('by hand')).toHaveCount(1)
  const place = page.getByLabel("Place for a moment of one's own")
  await place.fill('5')
  await page.keyboard.press('i')
  await place.fill('5.6')
  await page.keyboard.press('o')
  await expect(page.getByRole('group', { name: 'Moments' }).getByText('by hand')).toHaveCount(2)

  await page.getByRole('button', { name: 'Vary' }).click()
  await expect(page.getByRole('dialog')).toContainText('Vary one step')
  await page.getByLabel('Step to vary').selectOption({ label: 'Enlarge, learned, 2x, compressed, fast' })
  await page.getByLabel('careful').uncheck()
  await expectAccessible(page)
  await page.getByRole('button', { name: 'Try 2 variants' }).click()
  await expect(sheet(page).getByText('Enlarge, learned: none')).toBeVisible()
  // A first picture is there before the moments are done.
  await expect(sheet(page).locator('img').first()).toBeVisible()
  await expect
    .poll(async () =>
      ((await (await request.get('/api/trials?orderId=1')).json()) as Trial[])
        .filter(trial => trial.sourceId === sourceId)
        .map(trial => trial.state),
    )
    .toEqual(['ready', 'ready'])
  const learned = sheet(page).getByRole('row').filter({ hasText: 'Enlarge, learned: fast' })
  await expect(learned.getByRole('cell').nth(2)).toHaveText(/^\d+\.\d+\d+\.\d+-\d+\.\d+$/)
  await expect(learned).toContainText('dB')
  await expect(sheet(page)).toContainText('compressed-fast on the processor')

  // Both results beside the source, then every way of comparing.
  const viewer = page.getByRole('region', { name: 'Viewer' })
  await expect(viewer.locator('canvas')).toHaveCount(3)
  const painted = () => viewer.locator('.stage').evaluate(stage => Number((stage as HTMLElement).dataset.painted ?? 0))
  await expect.poll(painted).toBeGreaterThan(0)
  const hasPicture = (index: number) =>
    viewer
      .locator('canvas')
      .nth(index)
      .evaluate((canvas: HTMLCanvasElement) => {
        const { data } = canvas.getContext('2d')!.getImageData(0, 0, canvas.width, canvas.height)
        // Some samples all over it: of a difference most is nearly black.
        return new Set(data.filter((_, index) => index % 61 === 0)).size > 8
      })
  for (const index of [0, 1, 2]) await expect.poll(() => hasPicture(index)).toBe(true)
  await expectAccessible(page)
  await page.keyboard.press('ArrowRight')
  await expect(viewer.getByText('frame 1 of 12')).toBeVisible()
  await page.keyboard.press('l')
  await expect(viewer.getByRole('button', { name: 'Pause' })).toBeVisible()
  const before = await painted()
  await expect.poll(painted).toBeGreaterThan(before + 10)
  await page.keyboard.press('k')
  await expect(viewer.getByRole('button', { name: 'Play', exact: true })).toBeVisible()
  for (const way of ['Wipe', 'Flip', 'Difference']) {
    await viewer.getByRole('button', { name: way }).click()
    await expect.poll(() => hasPicture(0)).toBe(true)
  }
  await viewer.getByRole('button', { name: 'Flip' }).click()
  await page.keyboard.down('f')
  await expect(viewer.locator('.tag')).toHaveText('source')
  await page.keyboard.up('f')
  await viewer.getByRole('button', { name: 'Scopes' }).click()
  await expect(viewer.getByRole('img', { name: 'Waveform of luma and histogram, source' })).toBeVisible()
  await page.keyboard.press('+')
  await viewer.getByRole('button', { name: '1:1' }).click()
  await expect(viewer.getByText('1:1', { exact: true }).first()).toBeVisible()
  await expectNoPageScroll(page)
  await viewer.getByRole('button', { name: 'Side by side' }).click()
  await viewer.getByRole('button', { name: 'Scopes' }).click()

  // One sound is heard at a time, and none without being asked for.
  const heard = () =>
    page.evaluate(() =>
      (window as unknown as { gains: GainNode[] }).gains.slice(-3).map(({ gain }) => gain.value > 0.5),
    )
  expect(await page.evaluate(() => (window as unknown as { gains: GainNode[] }).gains.length)).toBe(0)
  await viewer.getByLabel('Sound').selectOption('source')
  await page.keyboard.press('l')
  await expect.poll(heard).toEqual([true, false, false])
  await page.keyboard.press('s')
  await expect.poll(heard).toEqual([false, true, false])
  await viewer.getByRole('button', { name: 'Flip' }).click()
  await page.keyboard.down('f')
  await expect.poll(heard).toEqual([true, false, false])
  await page.keyboard.up('f')
  await expect.poll(heard).toEqual([false, true, false])
  await page.keyboard.press('k')
  await viewer.getByRole('button', { name: 'Side by side' }).click()
  await expectAccessible(page)

  await learned.getByRole('button', { name: /^Choose/ }).click()
  const keep = page.getByRole('dialog')
  await keep.getByLabel('Name').fill('Interview clean')
  await expect(keep).toContainText('becomes v1')
  await expect(keep).toContainText('+ Enlarge, learned, 2x, compressed, fast')
  await expectAccessible(page)
  await keep.getByRole('button', { name: 'Give it to 1 lot' }).click()
  await expect(page.getByText('Interview clean v1', { exact: true })).toBeVisible()
  expect(await treatmentOfDraft(request, sourceId)).toBe('Interview clean v1')
  await page.goto('/library?shelf=treatments')
  await expect(page.getByRole('cell', { name: 'Interview clean v1' })).toBeVisible()
  await expectAccessible(page)
  expect(lotId).toBeGreaterThan(0)
})

test('sound alone is tried, delivered and heard, also of a source without a picture', async ({ page, request }) => {
  const { sourceId } = await openBench(page, 'Fog signal, north horn.wav')
  await request.put(`/api/sources/${sourceId}/moments`, { data: { moments: [{ reason: 'by hand', from: 4, to: 5 }] } })
  await page.reload()
  // Only what has no picture can be made of it.
  await page.getByRole('combobox', { name: 'Spec' }).press('ArrowDown')
  await expect(page.getByRole('listbox').getByRole('option')).toHaveText([
    'Sound WAV',
    'Sound FLAC',
    'Sound M4A',
    'Sound archive MKA',
  ])
  await page.getByRole('option', { name: 'Sound FLAC' }).click()
  await expect(page.getByText('sound alone, track 1, 0:24.0')).toBeVisible()
  await expect(
    page.getByRole('list', { name: 'Steps' }).getByText('Take out hum, 50 Hz and its multiples'),
  ).toBeVisible()
  await page.getByRole('button', { name: 'Try 1 moment' }).click()
  await expect(sheet(page).getByText(/→ -?\d+\.\d LUFS/)).toBeVisible()
  await expect(sheet(page).getByText('coding equal')).toBeVisible()
  await expect(page.getByRole('img', { name: /^source, frame 0 of the moment/ })).toBeVisible()
  await expect(page.getByRole('region', { name: 'Viewer' }).getByLabel('Sound').getByRole('option')).toHaveText([
    'off',
    'source',
    'A',
  ])
  // The same moment, drawn: what the hum took out is seen in the difference.
  await page.getByRole('button', { name: 'Difference' }).click()
  await expect(page.getByText(/^source against A /)).toBeVisible()
  await page.getByRole('button', { name: 'Side by side' }).click()
  await expectAccessible(page)
  await expectNoPageScroll(page)

  const id = await releaseJob(request, 'Fog signal, north horn.wav', 'sound-flac')
  await untilState(request, id, 'done')
  expect(await (await request.get(`/api/jobs/${id}/frames/0?side=result`)).json()).toMatchObject({
    error: { code: 'no-picture' },
  })
  await page.goto(`/handover/${id}`)
  await expect(page.getByRole('cell', { name: 'every sample identical' }).first()).toBeVisible()
  // The browser plays the file that was made.
  await expect
    .poll(() => page.locator('audio').evaluate(audio => (audio as HTMLAudioElement).duration))
    .toBeCloseTo(24, 0)
  await page.getByRole('button', { name: 'Play the source' }).click()
  await expect(page.getByRole('dialog')).toContainText('Sound only')
  await page.keyboard.press('Escape')
  await expectAccessible(page)
  await expectNoPageScroll(page)
})

test('a treatment travels as a file, and a file that is none is refused with a sentence', async ({ page }) => {
  await openBench(page, 'Fog-signal interview 1.avi')
  await page.getByRole('button', { name: 'From' }).click()
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByText('Save to a file').click()])
  const saved = JSON.parse(await readFile((await download.path())!, 'utf8')) as {
    format: string
    steps: { kind: string }[]
  }
  expect(saved.format).toBe('hematine treatment')
  const file = { ...saved, steps: [{ kind: 'sharpen', strength: 'strong' }] }
  await page
    .getByLabel('Treatment to read')
    .setInputFiles({ name: 'mine.json', mimeType: 'application/json', buffer: Buffer.from(JSON.stringify(file)) })
  await expect(page.getByRole('list', { name: 'Steps' }).getByText('Sharpen, strong')).toBeVisible()
  // A step that needs a table says so, takes one from a file, refuses what is none, and takes it along.
  await page.getByRole('button', { name: 'Add a step' }).click()
  await page.getByRole('group', { name: 'Steps to add' }).getByRole('button', { name: 'Lookup table' }).click()
  await expect(page.getByText('Lookup table has no table yet.')).toBeVisible()
  await page
    .getByLabel('Table to add (.cube)')
    .setInputFiles({ name: 'short.cube', mimeType: 'text/plain', buffer: Buffer.from('LUT_1D_SIZE 3\n0 0 0\n') })
  await expect(page.getByText('The table should have 3 lines of numbers and has 1')).toBeVisible()
  await page.getByLabel('Table to add (.cube)').setInputFiles({
    name: 'Evening.cube',
    mimeType: 'text/plain',
    buffer: Buffer.from('LUT_1D_SIZE 2\n0.1 0 0\n1 0.9 0.8\n'),
  })
  await expect(page.getByRole('list', { name: 'Steps' }).getByText('Lookup table, Evening')).toBeVisible()
  await expect(page.getByText('Lookup table has no table yet.')).toBeHidden()
  await expectAccessible(page)
  await page.getByRole('button', { name: 'From' }).click()
  const [withTable] = await Promise.all([page.waitForEvent('download'), page.getByText('Save to a file').click()])
  const enclosed = JSON.parse(await readFile((await withTable.path())!, 'utf8')) as {
    steps: { kind: string }[]
    assets: { name: string; kind: string; data: string }[]
  }
  expect(enclosed.assets).toMatchObject([{ name: 'Evening', kind: 'lookup table' }])
  expect(Buffer.from(enclosed.assets[0]!.data, 'base64').toString()).toContain('LUT_1D_SIZE 2')
  await page.getByLabel('Treatment to read').setInputFiles({
    name: 'not.json',
    mimeType: 'application/json',
    buffer: Buffer.from('{"steps":[{"kind":"polish"}]}'),
  })
  await expect(page.getByText(/^not.json is no treatment: steps.0.kind/)).toBeVisible()
})

test('a source that is put into another lot while it is looked at is followed there', async ({ page, request }) => {
  const { sourceId, lotId } = await openBench(page, 'Harbour inspection tape 13.dv')
  await expect(page.getByText('Harbour inspection tape 13.dv')).toBeVisible()
  const moved = await request.post('/api/lots/moves', { data: { sourceIds: [sourceId], lotId: null } })
  expect(moved.ok()).toBe(true)
  const { lotId: other } = await sourceCalled(request, 'Harbour inspection tape 13.dv')
  expect(other).not.toBe(lotId)
  await expect(page).toHaveURL(new RegExp(`lot=${other}\\b.*source=${sourceId}\\b`))
  await expect(page.getByText('Harbour inspection tape 13.dv')).toBeVisible()
  await page.getByRole('button', { name: 'Keep', exact: true }).click()
  await page.getByRole('dialog').getByLabel('Name').fill('Tape thirteen')
  await page.getByRole('dialog').getByRole('button', { name: 'Give it to 1 lot' }).click()
  await expect(page.getByText('Tape thirteen v1', { exact: true })).toBeVisible()
  expect(await treatmentOfDraft(request, sourceId)).toBe('Tape thirteen v1')
  await request.post('/api/lots/groupings', { data: { sourceIds: [sourceId] } })
})
