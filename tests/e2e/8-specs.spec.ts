import { readFile } from 'node:fs/promises'
import { expect, test, type Page } from '@playwright/test'
import { clearLanes, draftJob, expectAccessible, measuredSource, releaseJob, untilState, volumeOf } from './support.ts'

/** Delivery specs as data: copied, changed, carried as files, and worked with. */
test.describe.configure({ mode: 'serial' })
test.beforeAll(({ request }) => clearLanes(request))

const dialog = (page: Page) => page.getByRole('dialog')
async function choose(page: Page, field: string, option: RegExp): Promise<void> {
  const labelled = dialog(page)
    .locator('.v-select')
    .filter({ hasText: new RegExp(`^${field}`) })
  await labelled.locator('.v-field').click()
  await page.getByRole('option', { name: option }).click()
}

test('one that ships is copied: only what fits is offered, and what makes no sense is said at once', async ({
  page,
}) => {
  await page.goto('/library?spec=playback-box')
  await expect(page.getByRole('button', { name: 'Change', exact: true })).toHaveCount(0)
  await page.getByRole('button', { name: 'Copy', exact: true }).click()
  await expectAccessible(page)
  await dialog(page).getByLabel('Name', { exact: true }).fill('Web copy')
  // The level carries 1920x1080 at no more than thirty.
  await choose(page, 'Frame rate', /^60 fps/)
  await expect(dialog(page).getByText('H.264 level 4.1 cannot carry 1920x1080 at 60 fps')).toBeVisible()
  await expect(dialog(page).getByRole('button', { name: 'Keep' })).toBeDisabled()
  await choose(page, 'Container', /WebM/)
  await expect(dialog(page).getByText('cannot carry')).toHaveCount(0)
  await choose(page, 'Picture codec', /VP9/)
  await choose(page, 'Effort', /the quickest/)
  // One level down, each with what it was measured to do.
  await dialog(page).getByText('Fine settings').click()
  await choose(page, 'Tuned to a kind of picture', /filmed.*time, .*(smaller|larger|as large)/)
  await choose(page, 'Title', /else its name/)
  await expectAccessible(page)
  await dialog(page).getByLabel('Fits a width of').fill('320')
  await dialog(page).getByLabel('and a height of').fill('240')
  await dialog(page).getByLabel('Names of results, with parts in braces').fill('{item}-vp9')
  await dialog(page).getByRole('button', { name: 'Keep' }).click()
  await expect(page).toHaveURL(/spec=web-copy/)
  await expect(page.getByRole('row', { name: /Web copy/ })).toContainText('VP9 profile 0, WebM, Opus')
  await expectAccessible(page)
})

test('its next version leaves what ran with the one before as it was', async ({ page, request }) => {
  const before = await releaseJob(request, 'Harbour log (cut short).mp4', 'web-copy')
  await page.goto('/library?spec=web-copy')
  await page.getByRole('button', { name: 'Change', exact: true }).click()
  await choose(page, 'Effort', /balanced.*time of 4/)
  await dialog(page).getByRole('button', { name: 'Keep' }).click()
  await expect(page.getByRole('row', { name: /Web copy v2/ })).toBeVisible()
  await expect(page.getByRole('row', { name: 'effort 2' })).toBeVisible()
  await expect(page.getByRole('row', { name: 'fine settings tuned to film' })).toBeVisible()
  await untilState(request, before, 'done')
  const detail = await (await request.get(`/api/jobs/${before}`)).json()
  expect([detail.specName, detail.outputPath, detail.check.verdict]).toEqual([
    'Web copy',
    'Harbour log (cut short)-vp9.webm',
    'look',
  ])
  expect(detail.check.lines.find((line: { name: string }) => line.name === 'tags')).toMatchObject({
    expected: 'title',
    found: 'as planned',
  })
})

test('it travels as a file, and a file that is none is refused in a sentence', async ({ page }) => {
  await page.goto('/library?spec=web-copy')
  const download = page.waitForEvent('download')
  await page.getByRole('button', { name: 'Save as a file' }).click()
  const file = (await (await download).path())!
  expect(JSON.parse(await readFile(file, 'utf8'))).toMatchObject({
    kind: 'hematine delivery spec',
    format: 1,
    spec: { name: 'Web copy', video: { codec: 'vp9' } },
  })
  await page.getByLabel('Spec file').setInputFiles(file)
  await expect(page.getByRole('row', { name: /Web copy 2/ })).toBeVisible()
  await page
    .getByLabel('Spec file')
    .setInputFiles({ name: 'notes.json', mimeType: 'application/json', buffer: Buffer.from('{"spec": 1}') })
  await expect(page.getByText('notes.json holds no delivery spec that can be read')).toBeVisible()
})

test('subtitles are kept in the languages of a spec, as files beside the result, with a contact sheet, and burnt in by a step; the check tells what became of them', async ({
  page,
  request,
}) => {
  await page.goto('/library?spec=small-mkv')
  await page.getByRole('button', { name: 'Copy', exact: true }).click()
  await dialog(page).getByLabel('Name', { exact: true }).fill('Dutch copy')
  await choose(page, 'Shown by itself', /^the first$/)
  await dialog(page).getByLabel('Languages of subtitles').fill('klingonese')
  await expect(dialog(page).getByText('klingonese is no language.')).toBeVisible()
  await dialog(page).getByLabel('Languages of subtitles').fill('nl')
  await choose(page, 'Subtitle tracks', /as files beside the result/)
  await expect(dialog(page).getByLabel('Shown by itself')).toHaveCount(0)
  await choose(page, 'Text in files', /WebVTT/)
  await dialog(page).getByLabel('a contact sheet beside each').check()
  await dialog(page).getByLabel('Frames side by side').fill('3')
  await choose(page, 'Effort', /the quickest/)
  await dialog(page).getByLabel('Fits a width of').fill('320')
  await dialog(page).getByRole('button', { name: 'Keep' }).click()
  await expect(
    page.getByRole('row', { name: 'contact sheet 15 frames, 3 across, 1600 pixels wide, with times, beside it' }),
  ).toBeVisible()
  await expect(
    page.getByRole('row', { name: 'subtitles Dutch, in this order; as files beside the result, text as WebVTT' }),
  ).toBeVisible()

  const film = await measuredSource(request, "Keeper's rounds (film transfer).mp4")
  await page.goto(`/bench?lot=${film.lotId}&source=${film.id}`)
  await page.getByRole('button', { name: 'Add a step' }).click()
  await page.getByRole('button', { name: 'Burn in subtitles', exact: true }).click()
  await page.getByLabel('Language', { exact: true }).fill('xx')
  await page.getByLabel('Language', { exact: true }).blur()
  await expect(page.getByText('Write the code of one language')).toBeVisible()
  await page.getByLabel('Language', { exact: true }).fill('nl')
  await page.getByLabel('Language', { exact: true }).blur()
  await expect(page.getByRole('list', { name: 'Steps' }).getByText('Burn in subtitles, Dutch')).toBeVisible()
  await expectAccessible(page)

  const job = await releaseJob(request, film.name, 'dutch-copy')
  await untilState(request, job, 'done')
  await page.goto('/handover')
  await page
    .getByRole('treegrid', { name: 'Results' })
    .locator('[data-row]')
    .filter({ hasText: "Keeper's rounds (film transfer)-small.mkv" })
    .click()
  await expect(page.getByRole('row', { name: /subtitle file WebVTT, \.nl\.vtt/ })).toBeVisible()
  await expect(page.getByRole('row', { name: /subtitle file kept 2 2/ })).toBeVisible()
  const link = page.getByRole('link', { name: "Keeper's rounds (film transfer)-small.nl.vtt" })
  const file = await request.get((await link.getAttribute('href'))!)
  expect(file.headers()['content-type']).toBe('text/vtt')
  expect(await file.text()).toMatch(/^WEBVTT\n\n1\n\d\d:\d\d:\d\d\.\d{3} --> /)
  await expect(page.getByRole('row', { name: /contact sheet 15 frames, 1600x\d+ 15 frames/ })).toBeVisible()
  const sheet = page.getByRole('img', { name: 'Contact sheet of 15 frames of the result' })
  await sheet.scrollIntoViewIfNeeded()
  await expect.poll(() => sheet.evaluate((image: HTMLImageElement) => image.naturalWidth)).toBe(1600)
  const other = await request.get(`/api/jobs/${job}/output?beside=.fr.vtt`)
  expect(other.status()).toBe(404)
  const { treatment } = await (await request.get(`/api/jobs/${job}`)).json()
  expect(JSON.stringify(treatment)).toContain('Subtitles 1 (English, timed text) stay out: Dutch copy keeps Dutch.')
})

test('a disc title that only needs another container is copied: the draft says so, and the check that it is the same', async ({
  page,
  request,
}) => {
  const job = await draftJob(request, 'Lamp-room training disc 4 title 1', 'untouched-mkv')
  await page.goto(`/balance?job=${job}`)
  await expect(page.getByText('The picture is copied as it is, packet by packet.')).toBeVisible()
  await expect(page.getByText('All sound is copied untouched.')).toBeVisible()
  await expect(page.getByRole('row', { name: 'likeness identical to the treated picture' })).toBeVisible()
  await expect(page.getByRole('row', { name: /measured .* packets counted, .* copied and checked/ })).toBeVisible()
  await expectAccessible(page)
  const before = await (await request.get(`/api/jobs/${job}`)).json()
  await request.post('/api/jobs/actions', { data: { ids: [job], action: 'release' } })
  await untilState(request, job, 'done')
  await page.goto(`/handover?job=${job}`)
  await expect(page.getByRole('row', { name: /picture untouched (\d+) packets of the source \1/ })).toBeVisible()
  await expect(page.getByRole('row', { name: /sound 2 untouched (\d+) packets of the source \1/ })).toBeVisible()
  const after = await (await request.get(`/api/jobs/${job}`)).json()
  const { low, high } = before.forecast.bytes
  expect(after.outputBytes).toBeGreaterThan(low)
  expect(after.outputBytes).toBeLessThan(high)
})

test('a size that the file must not pass is kept: two passes, and the file fills it', async ({ page, request }) => {
  await page.goto('/library?spec=playback-box')
  await page.getByRole('button', { name: 'Copy', exact: true }).click()
  await dialog(page).getByLabel('Name', { exact: true }).fill('Mail copy')
  await choose(page, 'Bits are spent by', /a size that the file must not pass/)
  await dialog(page).getByLabel('MB at most, for the whole file').fill('0.3')
  await choose(page, 'Highest level', /no limit/)
  await dialog(page).getByLabel('Fits a width of').fill('480')
  await dialog(page).getByLabel('and a height of').fill('270')
  await expectAccessible(page)
  await dialog(page).getByRole('button', { name: 'Keep' }).click()
  await expect(
    page.getByRole('row', { name: 'bits what fits into 300 kB with the sound, in two passes' }),
  ).toBeVisible()
  const id = await releaseJob(request, 'Fog-signal interview 3.avi', 'mail-copy')
  await untilState(request, id, 'done')
  const { check } = (await (await request.get(`/api/jobs/${id}`)).json()) as {
    check: { lines: { name: string; expected: string; verdict: string }[]; measurement: { bytes: number } }
  }
  expect(check.measurement.bytes).toBeLessThanOrEqual(300_000)
  expect(check.measurement.bytes).toBeGreaterThanOrEqual(294_000)
  expect(check.lines.find(line => line.name === 'bytes')).toMatchObject({
    expected: expect.stringMatching(/^at most 300 kB/) as unknown,
    verdict: 'pass',
  })
})

test('a still is made for print, in a folder of its order; a second one of its name is told of before it is released', async ({
  page,
  request,
}) => {
  await page.goto('/library?spec=still-png')
  await page.getByRole('button', { name: 'Copy', exact: true }).click()
  await dialog(page).getByLabel('Name', { exact: true }).fill('Print copy')
  await choose(page, 'Container', /^TIFF: a still/)
  await dialog(page).getByLabel('Dots per inch for print').fill('240')
  await dialog(page).getByLabel('Fits a width of').fill('600')
  await dialog(page).getByLabel('and a height of').fill('600')
  const names = dialog(page).getByLabel('Names of results, with parts in braces')
  await names.fill('{order}/{film}')
  await expect(dialog(page).getByText('Names have no part {film}.')).toBeVisible()
  await names.fill('{order}/{item} {size}')
  // What a spec for stills can be made of is shown with its name; films are not.
  await expect(dialog(page).getByText('SL-014/Glass plate 7 600x450.tif')).toBeVisible()
  await expectAccessible(page)
  await dialog(page).getByRole('button', { name: 'Keep' }).click()
  await expect(page.getByRole('row', { name: /Print copy/ })).toContainText('TIFF 8 bit, a still')

  const id = await releaseJob(request, 'Glass plate 7.png', 'print-copy')
  await untilState(request, id, 'done')
  const { outputPath, check } = (await (await request.get(`/api/jobs/${id}`)).json()) as {
    outputPath: string
    check: { verdict: string }
  }
  expect([outputPath, check.verdict]).toEqual(['SL-014/Glass plate 7 600x450.tif', 'pass'])
  const answer = await request.get(`/api/jobs/${id}/output`)
  expect(answer.headers()['content-type']).toBe('image/tiff')
  // TIFF 6.0: the order of bytes, then 42.
  expect([...(await answer.body()).subarray(0, 4)]).toEqual([0x49, 0x49, 42, 0])

  const again = await draftJob(request, 'Glass plate 7.png', 'print-copy')
  await page.goto(`/balance?job=${again}`)
  await expect(page.getByText('Another result has this name, or is to have it.')).toBeVisible()
  await expectAccessible(page)
  await request.post('/api/jobs/actions', { data: { ids: [again], action: 'cancel' } })
})

test('a point is chosen on the curve of size and quality, and the result has the size that it promised', async ({
  page,
  request,
}) => {
  const id = await draftJob(request, 'Fog-signal interview 1.avi', 'small-mp4')
  await page.goto(`/balance?job=${id}`)
  const panel = page.getByRole('region', { name: 'Size and quality' })
  await panel.getByRole('button', { name: 'Measure the curve' }).click()
  const quality = panel.getByRole('slider')
  await expect(quality).toBeVisible()
  const curve = (await (await request.get(`/api/jobs/${id}/curve`)).json()) as {
    points: { value: number; bytes: { expected: number; low: number; high: number } }[]
  }
  // A frame of it at each quality, beside the treated one.
  await panel.getByRole('button', { name: 'Look at a frame of it' }).click()
  const look = page.getByRole('dialog', { name: 'The frame at each quality' })
  await expect(look.getByRole('radio')).toHaveCount(curve.points.length)
  await expect(look.getByRole('radio', { checked: true })).toContainText('24')
  await expect(look.locator('[data-painted]')).toBeVisible()
  await expectAccessible(page)
  await page.keyboard.press('ArrowRight')
  const next = curve.points[curve.points.findIndex(point => point.value === 24) + 1]!.value
  await expect(look.getByRole('img', { name: `The frame: quality ${next}` })).toBeVisible()
  await look.getByRole('button', { name: 'Close' }).click()
  await expect(quality).toHaveValue(String(next))
  const picture = (value: string | number) => request.get(`/api/jobs/${id}/curve/pictures/${value}`)
  expect((await (await picture('treated')).body()).subarray(1, 4).toString()).toBe('PNG')
  expect((await picture(1)).status()).toBe(404)
  // A size between those of two points that were measured.
  const [fine, coarse] = [curve.points[2]!.bytes.expected, curve.points[3]!.bytes.expected]
  const wanted = Math.round(((fine + coarse) / 2) * 1e-4) / 100
  await panel.getByLabel('Best quality under, in MB').fill(String(wanted))
  const value = Number(await quality.inputValue())
  expect(value).toBeGreaterThan(curve.points[2]!.value)
  expect(value).toBeLessThanOrEqual(curve.points[3]!.value)
  await expectAccessible(page)
  await panel.getByRole('button', { name: `Use ${value} for this draft` }).click()
  await expect(page.getByText(`The draft has the spec Small MP4 at quality ${value} now.`)).toBeVisible()
  await expect(page.locator('.panel')).toContainText(`Small MP4 at quality ${value}`)
  const drafts = (await (await request.get('/api/jobs?orderId=1&limit=500&states=draft')).json()) as {
    jobs: { id: number; specName: string }[]
  }
  const chosen = drafts.jobs.find(job => job.specName === `Small MP4 at quality ${value}`)!
  expect(drafts.jobs.map(job => job.id)).not.toContain(id)
  await request.post('/api/jobs/actions', { data: { ids: [chosen.id], action: 'release' } })
  await untilState(request, chosen.id, 'done')
  const { outputBytes } = (await (await request.get(`/api/jobs/${chosen.id}`)).json()) as { outputBytes: number }
  // How sure a size is depends on how many stretches the machine had time for: what was promised is a range.
  expect(outputBytes).toBeGreaterThan(curve.points[3]!.bytes.low)
  expect(outputBytes).toBeLessThan(curve.points[2]!.bytes.high)
})

test('a lot is given a cap for all of it: every draft gets the best level that keeps it', async ({ page, request }) => {
  const ids = [
    await draftJob(request, 'Fog-signal interview 2.avi', 'small-mp4'),
    await draftJob(request, 'Fog-signal interview 3.avi', 'small-mp4'),
  ]
  // Curves are of what a forecast was measured of.
  for (const id of ids)
    await expect.poll(async () => (await (await request.get(`/api/jobs/${id}`)).json()).sampleState).toBe('ready')
  await page.goto(`/balance?job=${ids[0]}`)
  const panel = page.getByRole('region', { name: 'The lot under a cap' })
  await panel.getByRole('button', { name: 'Measure curves that stand for it' }).click()
  await expect(panel.getByRole('radio').first()).toBeVisible()
  await expect(panel).toContainText('All were measured.')
  const { levels } = (await (await request.get(`/api/jobs/${ids[0]}/lot-curve`)).json()) as {
    levels: { xpsnr: number; bytes: { high: number } }[]
  }
  const wanted = levels[Math.floor(levels.length / 2)]!
  // A little more than one level may come to, and less than the next.
  await panel.getByLabel('All of it under, in MB').fill(String(Math.ceil(wanted.bytes.high / 1000 + 0.5) / 1000))
  await expect(panel.getByRole('radio', { checked: true })).toHaveAccessibleName(`${wanted.xpsnr.toFixed(1)} dB`)
  await expectAccessible(page)
  await panel.getByRole('button', { name: `Hold ${wanted.xpsnr.toFixed(1)} dB for all 2` }).click()
  await expect(page.getByText(`2 drafts have the spec Small MP4 at ${wanted.xpsnr} dB now.`)).toBeVisible()
  const drafts = (await (await request.get('/api/jobs?orderId=1&limit=500&states=draft')).json()) as {
    jobs: { id: number; specName: string }[]
  }
  const held = drafts.jobs.filter(job => job.specName === `Small MP4 at ${wanted.xpsnr} dB`)
  expect(held).toHaveLength(2)
  expect(drafts.jobs.filter(job => ids.includes(job.id))).toEqual([])
  await request.post('/api/jobs/actions', { data: { ids: held.map(job => job.id), action: 'remove' } })
})

test('a purpose drafts the specs that serve it, which stand side by side until one is kept', async ({
  page,
  request,
}) => {
  // Rows below the fold are not there to be chosen.
  await page.setViewportSize({ width: 1280, height: 2400 })
  await page.goto('/intake')
  await page.getByRole('checkbox', { name: 'Choose Fog-signal interview 1.avi', exact: true }).check()
  const bar = page.getByRole('group', { name: 'Draft jobs' })
  await bar.locator('.v-select').filter({ hasText: 'For' }).locator('.v-field').click()
  await page.getByRole('option', { name: 'editing', exact: true }).click()
  await expect(bar).toContainText('Editing master MOV and 1 more')
  await bar.locator('.v-select').filter({ hasText: 'For' }).locator('.v-field').click()
  await page.getByRole('option', { name: 'a playback box' }).click()
  await bar.getByRole('button', { name: 'Draft 2 jobs' }).click()
  await expect(page).toHaveURL(/balance/)
  await page.getByRole('row', { name: /Fog-signal interview 1.*Playback box MP4/ }).click()
  const panel = page.getByRole('region', { name: 'Specs side by side' })
  await expect(panel.getByRole('listitem').filter({ hasText: 'Small MP4' }).first()).toBeVisible()
  await expect(panel.getByRole('listitem').filter({ hasText: 'Playback box MP4' })).toContainText(
    'browsers, phones, televisions and editing programs',
  )
  await expectAccessible(page)
  await panel.getByRole('button', { name: 'Keep only Playback box MP4' }).click()
  await expect(panel).toHaveCount(0)
  const { jobs } = (await (await request.get('/api/jobs?orderId=1&limit=500&states=draft')).json()) as {
    jobs: { id: number; sourceName: string; specName: string }[]
  }
  const left = jobs.filter(job => job.sourceName === 'Fog-signal interview 1.avi')
  expect(left.map(job => job.specName)).toEqual(['Playback box MP4'])
  await request.post('/api/jobs/actions', { data: { ids: left.map(job => job.id), action: 'remove' } })
})

test('of the ways in which lots are drafted, those are chosen that keep most likeness within the room, and kept', async ({
  page,
  request,
}) => {
  const names = ['Fog-signal interview 1.avi', 'Harbour log (cut short).mp4']
  const ids: number[] = []
  for (const name of names)
    for (const specKey of ['archive-master', 'web-mp4']) ids.push(await draftJob(request, name, specKey))
  await expect(async () => {
    const { jobs } = await (await request.get('/api/jobs?orderId=1&limit=500&states=draft')).json()
    const mine = (jobs as { id: number; forecast: unknown; sampleState: string }[]).filter(job => ids.includes(job.id))
    expect(mine.map(job => job.sampleState === 'ready' && job.forecast !== null)).toEqual(ids.map(() => true))
  }).toPass()

  await page.goto('/balance')
  await page.getByRole('link', { name: 'Ways', exact: true }).click()
  const table = page.getByRole('table', { name: 'Lots and their ways' })
  const sums = page.getByRole('region', { name: 'What is chosen' })
  const lossless = table.getByRole('button', { name: /Archive master.* for/ })
  const lossy = table.getByRole('button', { name: /^Web MP4 for/ })
  const chosen = async (ways: typeof lossless) =>
    (await ways.evaluateAll(buttons => buttons.map(button => button.getAttribute('aria-pressed')))).filter(
      pressed => pressed === 'true',
    ).length
  // With room for all, what is identical, once the lots are there.
  await expect(lossless).toHaveCount(names.length)
  await expect.poll(() => chosen(lossless)).toBe(names.length)
  await expect(sums).toContainText('No choice within the limits is more alike')
  await expectAccessible(page)

  // With next to none, what is small, and how much more would do.
  const room = page.getByLabel('room (GB)')
  await room.fill('0.0001')
  await room.blur()
  await expect(page.getByText('No choice keeps the limits.')).toBeVisible()
  await expect.poll(() => chosen(lossless)).toBe(0)
  await expectAccessible(page)

  // Without a limit, one is wanted small all the same.
  await room.fill('')
  await room.blur()
  await expect.poll(() => chosen(lossless)).toBe(await lossless.count())
  await lossy.first().focus()
  await page.keyboard.press('Enter')
  await expect(lossy.first()).toContainText('chosen by hand')
  expect(await chosen(lossless)).toBe((await lossless.count()) - 1)

  // Nothing was changed so far; now the others go.
  const left = async () => {
    const { jobs } = await (await request.get('/api/jobs?orderId=1&limit=500&states=draft')).json()
    return (jobs as { id: number }[]).filter(({ id }) => ids.includes(id)).length
  }
  expect(await left()).toBe(4)
  await page.getByRole('button', { name: 'Keep what is chosen' }).click()
  await expectAccessible(page)
  await page
    .getByRole('dialog')
    .getByRole('button', { name: /^Remove \d+ drafts?$/ })
    .click()
  await expect.poll(left).toBe(2)
  await expect(page.getByText('No lot has a choice')).toBeVisible()
  await request.post('/api/jobs/actions', { data: { ids, action: 'remove' } })
})

test('a source is cut in pieces by a spec: each is a job of its own, with a name of its own', async ({
  page,
  request,
}) => {
  await page.goto('/library?spec=small-mkv')
  await page.getByRole('button', { name: 'Copy', exact: true }).click()
  await dialog(page).getByLabel('Name', { exact: true }).fill('By the moment')
  await choose(page, 'Results of a source', /every so many minutes/)
  await dialog(page).getByLabel('Minutes of each').fill('0.05')
  await dialog(page).getByLabel('Minutes of each').blur()
  await choose(page, 'Effort', /the quickest/)
  await dialog(page).getByLabel('Fits a width of').fill('160')
  await expectAccessible(page)
  await dialog(page).getByRole('button', { name: 'Keep' }).click()
  await expect(page.getByRole('row', { name: 'pieces one result for every 3.0 s' })).toBeVisible()
  await expect(page.getByRole('row', { name: 'file name source name-small-01.mkv' })).toBeVisible()

  const film = await measuredSource(request, "Keeper's rounds (film transfer).mp4")
  const deliveryVolumeId = await volumeOf(request, 'delivery')
  const { jobs } = await (
    await request.post('/api/jobs', {
      data: { deliveryVolumeId, wishes: [{ sourceId: film.id, specKey: 'by-the-moment' }] },
    })
  ).json()
  const ids = jobs.map((job: { id: number }) => job.id)
  expect(jobs.map((job: { sourceName: string }) => job.sourceName)).toEqual(
    [1, 2, 3].map(piece => `${film.name}, piece ${piece} of 3`),
  )
  await page.goto('/balance')
  await expect(page.getByText(`${film.name}, piece 2 of 3`).first()).toBeVisible()
  await request.post('/api/jobs/actions', { data: { ids, action: 'release' } })
  const details = []
  for (const id of ids) {
    await untilState(request, id, 'done')
    details.push(await (await request.get(`/api/jobs/${id}`)).json())
  }
  expect(details.map(detail => detail.outputPath)).toEqual(
    [1, 2, 3].map(piece => `Keeper's rounds (film transfer)-small-0${piece}.mkv`),
  )
  // 240 frames at 29.97 a second: 3 s are 89.9 of them.
  expect(details.map(detail => detail.check.measurement.video.framesDecoded)).toEqual([90, 90, 60])
})

test('a source is cut where its picture cuts: it is looked through for that when it is drafted first', async ({
  page,
  request,
}) => {
  await page.goto('/library?spec=small-mkv')
  await page.getByRole('button', { name: 'Copy', exact: true }).click()
  await dialog(page).getByLabel('Name', { exact: true }).fill('Shot by shot')
  await choose(page, 'Results of a source', /each shot/)
  await dialog(page).getByLabel('Seconds of each at least').fill('2')
  await dialog(page).getByLabel('Seconds of each at least').blur()
  await dialog(page).getByRole('button', { name: 'Keep' }).click()
  await expect(
    page.getByRole('row', {
      name: 'pieces one result for each shot of 2 s or more; shorter ones go with the one before',
    }),
  ).toBeVisible()

  // Its 350 frames are more than its samples cover. It is drawn with cuts at 5 and 10 s.
  const disc = await measuredSource(request, 'Lamp-room training disc 3.mpg')
  const deliveryVolumeId = await volumeOf(request, 'delivery')
  const draft = async () => {
    const data = { deliveryVolumeId, wishes: [{ sourceId: disc.id, specKey: 'shot-by-shot' }] }
    return (await request.post('/api/jobs', { data })).json()
  }
  const first = await draft()
  expect(first.jobs).toEqual([])
  expect(first.refused[0].reason).toBe(
    `Where ${disc.name} cuts is not known yet. It is being measured: draft it once more when that is done.`,
  )
  await expect
    .poll(async () => (await (await request.get(`/api/sources/${disc.id}`)).json()).measureState, { timeout: 90_000 })
    .toBe('ready')
  const { jobs } = await draft()
  // 50 fields a second, of each a frame.
  expect(jobs.map((job: { sourceName: string; frames: number }) => [job.sourceName, job.frames])).toEqual([
    [`${disc.name}, piece 1 of 3`, 250],
    [`${disc.name}, piece 2 of 3`, 250],
    [`${disc.name}, piece 3 of 3`, 200],
  ])
  await page.goto(`/intake?source=${disc.id}`)
  await page.getByText(disc.name).first().click()
  await expect(page.getByText('2 cuts.', { exact: true })).toBeVisible()
  await expect(page.getByText(/and looked through for cuts/)).toBeVisible()
  await request.post('/api/jobs/actions', {
    data: { ids: jobs.map((job: { id: number }) => job.id), action: 'remove' },
  })
})
