import { copyFile, cp, mkdir, readdir } from 'node:fs/promises'
import path from 'node:path'
import { expect, test, type Page } from '@playwright/test'
import {
  dataDirectory,
  expectAccessible,
  expectNoPageScroll,
  releaseJob,
  sourceCalled,
  sources,
  untilState,
  volumeOf,
} from './support.ts'

/** Material of every kind by hand-like steps: discs, the stand-in drive, an inventory, playing, sequences. */
const inVolume = (...parts: string[]) => path.join(dataDirectory, 'volumes', 'sources', ...parts)
const row = (page: Page, name: string) => page.locator('[data-row]').filter({ hasText: name })
/** Chooses from a select by its label. */
async function choose(page: Page, label: string, option: string | RegExp): Promise<void> {
  await page.locator('.v-select').filter({ hasText: label }).click()
  await page.getByRole('option', { name: option }).click()
}

test('titles of a disc are chosen one by one', async ({ page, request }) => {
  await mkdir(inVolume('Box 2'), { recursive: true })
  await cp(inVolume('Lamp-room training disc 4'), inVolume('Box 2', 'Training copy'), { recursive: true })
  await page.goto('/intake')
  await page.getByRole('button', { name: 'Bring in from a volume' }).click()
  await page.getByRole('button', { name: 'Box 2' }).click()
  await page.getByRole('button', { name: /^Training copy/ }).click()
  const titles = page.getByRole('group', { name: 'Titles of the disc' })
  await expect(
    titles.getByText('Training copy: 2 titles. The main one is 1: the longest, 0:11.0; the next is 0:03.0.'),
  ).toBeVisible()
  await expect(titles.getByRole('checkbox', { name: /Title 1, main.*3 chapters.*AC-3 en, AC-3 nl/ })).toBeChecked()
  await expect(titles.getByRole('checkbox', { name: /Title 2/ })).not.toBeChecked()
  await expectAccessible(page)
  await titles.getByRole('checkbox', { name: /Title 1/ }).uncheck()
  await titles.getByRole('checkbox', { name: /Title 2/ }).check()
  await page.getByRole('button', { name: 'Bring in 1 title' }).click()
  const source = await sourceCalled(request, 'Training copy title 2')
  await page.goto(`/intake?source=${source.id}`)
  await expect(page.getByText('2 of Training copy, 1 chapter')).toBeVisible()
  await expect(page.getByText('AC-3, stereo, 48 kHz, 192 kbit/s, en')).toBeVisible()
  // The other title can still be chosen, this one not again.
  await page.getByRole('button', { name: 'Bring in from a volume' }).click()
  await page.getByRole('button', { name: 'Box 2' }).click()
  await page.getByRole('button', { name: /^Training copy/ }).click()
  await expect(titles.getByRole('checkbox', { name: /Title 2.*in the order/ })).toBeDisabled()
})

test('a disc is read in from the drive, and what could not be read is shown', async ({ page, request }) => {
  await page.goto('/intake')
  await page.getByRole('button', { name: 'Disc drive' }).click()
  await expect(page.getByText('This drive is a stand-in that ships with Hematine')).toBeVisible()
  await expect(page.getByRole('button', { name: 'Read the disc in' })).toBeDisabled()
  await choose(page, 'Disc in', 'Fog horn maintenance.iso')
  await choose(page, 'Reads at', /^1x/)
  const bad = page.getByLabel('Fails at sectors')
  await bad.fill('40-4x')
  await expect(
    page.getByText('"40-4x" is no sector or range of sectors. Write them like 1200-1215, 3000.'),
  ).toBeVisible()
  await bad.fill('300-306, 900')
  await bad.blur()
  await expectAccessible(page)
  const discs = page.getByRole('group', { name: 'Folders and discs' })
  // Looked for from before it begins: on a slow page the disc is read between two looks otherwise.
  const isTold = expect(discs.getByText(/MB of .* MB/)).toBeVisible()
  await page.getByRole('button', { name: 'Read the disc in' }).click()
  await isTold
  await expect(discs.getByText(/1 title brought in, 8 sectors unreadable/)).toBeVisible()
  const source = await sourceCalled(request, 'Fog horn maintenance.iso title 1')
  await expect
    .poll(async () => (await sources(request)).find(entry => entry.id === source.id)!.faults)
    .toContain('unreadable sectors')
  await page.goto(`/intake?source=${source.id}`)
  await expect(page.getByText(/^8 sectors of the disc could not be read, about 0:0/)).toBeVisible()
  await page.getByRole('button', { name: 'Disc drive' }).click()
  await page.getByRole('button', { name: 'Eject' }).click()
  await expect(page.getByRole('button', { name: 'Read the disc in' })).toBeDisabled()
})

test('an inventory announces material, and what comes is matched to it', async ({ page, request }) => {
  await page.goto('/intake')
  await page.getByRole('button', { name: /^Inventory, \d to come/ }).click()
  const list = page.getByRole('group', { name: 'Inventory' })
  await expect(list.getByText('Harbour inspection tape 14')).toBeVisible()
  await expect(list.getByText('frame 1280x720 instead of 3840x2160')).toBeVisible()
  await expectAccessible(page)
  const table =
    'Item,Runtime,Raster,Comment\nBuoy log 1,0:14,720x576,"one, two"\nBuoy log 2,long,720x576,\nBuoy log 1,0:10,,again\n'
  await page
    .getByLabel('Table to read')
    .setInputFiles({ name: 'buoys.csv', mimeType: 'text/csv', buffer: Buffer.from(table) })
  await expect(page.getByText('1 of 3 lines can be added; the others are left out for these reasons:')).toBeVisible()
  await expect(page.getByText('"Buoy log 1" stands in line 2 already.')).toBeVisible()
  await expectAccessible(page)
  // Without the column of lengths the second line is good too.
  await choose(page, 'Length', 'not in the table')
  await page.getByRole('button', { name: 'Add 2 items' }).click()
  await expect(list.getByText('Buoy log 2')).toBeVisible()
  await page.getByRole('button', { name: 'Close' }).click()
  await copyFile(inVolume('Lamp-room training disc 3.mpg'), inVolume('buoy_log_1.mpg'))
  const volumeId = await volumeOf(request, 'source')
  await request.post('/api/sources', {
    data: { orderId: 1, arrivals: [{ kind: 'file', volumeId, path: 'buoy_log_1.mpg' }] },
  })
  await page.getByRole('button', { name: /^Inventory/ }).click()
  await expect(list.locator('.entry').filter({ hasText: 'Buoy log 1' }).getByText('here')).toBeVisible()
  // What is not here yet can be planned, and then counted ahead.
  await page.getByRole('group', { name: 'Plan what is to come' }).locator('.v-field').click()
  await page.getByRole('option', { name: 'Small MP4' }).click()
  await page.getByLabel('name or carrier contains').fill('buoy log 2')
  await page.getByLabel('choose 1 shown').press('Space')
  await page.getByRole('button', { name: 'Plan with it: 1 chosen' }).click()
  await expect(list.locator('.entry').filter({ hasText: 'Buoy log 2' }).getByText('Small MP4')).toBeVisible()
  // The others are planned by one press; what is planned stays as it is.
  await page.getByLabel('name or carrier contains').fill('')
  await page.getByRole('group', { name: 'Plan what is to come' }).locator('.v-field').click()
  await page.getByRole('option', { name: 'Playback box MP4' }).click()
  await page.getByRole('button', { name: 'Plan with it: 4 not planned yet' }).click()
  await expect(list.locator('.entry').filter({ hasText: 'Harbour inspection tape 14' })).toContainText('Playback box')
  await expect(list.locator('.entry').filter({ hasText: 'Buoy log 2' })).toContainText('Small MP4')
  await expect(page.getByRole('button', { name: /^Plan with it: 0/ })).toBeDisabled()
  // One of them is expected in some years.
  await list.getByRole('checkbox', { name: /Harbour inspection tape 14/ }).press('Space')
  await page.getByLabel('expected', { exact: true }).fill('2099-01-05T08:00')
  await page.getByRole('button', { name: 'Expected then: 1 chosen' }).press('Enter')
  await expect(list.locator('.entry').filter({ hasText: 'Harbour inspection tape 14' })).toContainText(
    'Mon 5 Jan 08:00',
  )
  await expectAccessible(page)
  await list.locator('.entry').filter({ hasText: 'Buoy log 1' }).getByRole('button', { name: 'Open' }).click()
  await expect(page.getByRole('heading', { name: 'buoy_log_1.mpg' })).toBeVisible()
  await page.goto('/balance/orders')
  await page.getByLabel(/count \d+ announced/).press('Space')
  const orders = page.getByRole('table', { name: 'Orders' })
  // Of one no length is announced.
  await expect(orders.getByRole('row', { name: /SL-014/ })).toContainText('not known')
  await expect(
    page.getByText('is begun when it is expected, the last Mon 5 Jan 08:00; 164 of 405 have no time'),
  ).toBeVisible()
  await expectAccessible(page)
})

test('a folder is dropped onto the page, with all below it', async ({ page, request }) => {
  const folder = path.join(dataDirectory, 'dropped', 'Drift logs')
  await mkdir(path.join(folder, 'north'), { recursive: true })
  await copyFile(inVolume('Fog-signal interview 1.avi'), path.join(folder, 'south 1.avi'))
  await copyFile(inVolume('Fog-signal interview 1.avi'), path.join(folder, 'north', 'north 1.avi'))
  await page.goto('/intake')
  await expect(page.getByRole('heading', { name: 'Intake' })).toBeVisible()
  const browser = await page.context().newCDPSession(page)
  const data = { items: [], files: [folder], dragOperationsMask: 1 }
  const drag = (type: 'dragEnter' | 'dragOver' | 'drop') =>
    browser.send('Input.dispatchDragEvent', { type, x: 500, y: 400, data })
  await page.evaluate(() =>
    window.addEventListener(
      'drop',
      () => {
        document.body.dataset.dropped = 'yes'
      },
      { once: true },
    ),
  )
  // The browser drops only where its page has accepted the drag, of which nobody is told: the gesture is made until it lands.
  await expect(async () => {
    await drag('dragEnter')
    await drag('dragOver')
    await expect(page.getByText('Drop to upload into the source volume')).toBeVisible({ timeout: 2000 })
    await drag('drop')
    await expect(page.locator('body[data-dropped]')).toBeAttached({ timeout: 2000 })
  }).toPass()
  for (const name of ['south 1.avi', 'north 1.avi']) expect((await sourceCalled(request, name)).state).toBe('ready')
  await page.getByLabel('Name contains').fill('north 1')
  await row(page, 'north 1.avi').click()
  await expect(page.getByText('Sources: Drift logs/north/north 1.avi')).toBeVisible()
})

test('a source is played: its own file where the browser can, a proxy elsewhere', async ({ page, request }) => {
  const position = () =>
    page.locator('video').evaluate((video: HTMLVideoElement) => ({
      seconds: video.currentTime,
      paused: video.paused,
      width: video.videoWidth,
    }))
  const disc = await sourceCalled(request, 'Relief boat disc.iso title 1')
  await page.goto(`/intake?source=${disc.id}`)
  await page.getByRole('button', { name: 'Play', exact: true }).click()
  await expect(page.getByText('a small proxy, to see what it is')).toBeVisible()
  await expect.poll(async () => (await position()).seconds).toBeGreaterThan(0.5)
  expect((await position()).width).toBe(768)
  // A tall picture stays within its stage, above the buttons.
  const [video, buttons] = [
    await page.locator('video').boundingBox(),
    await page.getByRole('slider', { name: 'Place in the source' }).boundingBox(),
  ]
  expect(video!.y + video!.height).toBeLessThanOrEqual(buttons!.y)
  await page.keyboard.press('k')
  await expect.poll(async () => (await position()).paused).toBe(true)
  await expectAccessible(page)
  await page.keyboard.press('l')
  await expect.poll(async () => (await position()).paused).toBe(false)
  await page.keyboard.press('Escape')
  const folder = await sourceCalled(request, 'Lamp-room training disc 4 title 1')
  await page.goto(`/intake?source=${folder.id}`)
  await page.getByRole('button', { name: 'Hear: Sound 2 falls silent' }).click()
  await expect(page.getByRole('group', { name: 'Sound track' }).getByRole('button', { name: 'nl' })).toHaveAttribute(
    'aria-pressed',
    'true',
  )
  await expect.poll(async () => (await position()).seconds).toBeGreaterThan(0.3)
  await page.keyboard.press('Escape')
  const clip = await sourceCalled(request, 'Weather watch.mp4')
  await page.goto(`/intake?source=${clip.id}`)
  await page.getByRole('button', { name: 'Play', exact: true }).click()
  await expect(page.getByText('the file itself')).toBeVisible()
  await expect.poll(async () => (await position()).seconds).toBeGreaterThan(0.5)
  expect((await position()).width).toBe(1280)
})

test('a sequence that is still being rendered says how much is here, and grows when it is read again', async ({
  page,
  request,
}) => {
  const frames = (await readdir(inVolume('Approach render'))).sort()
  await mkdir(inVolume('Harbour render'))
  const add = (numbers: number[]) =>
    Promise.all(
      numbers.map(number =>
        copyFile(
          inVolume('Approach render', frames[number]!),
          inVolume('Harbour render', `h.${String(number).padStart(3, '0')}.png`),
        ),
      ),
    )
  await add([1, 2, 3, 4, 7])
  await request.post('/api/sources', {
    data: {
      orderId: 1,
      arrivals: [
        { kind: 'sequence', volumeId: await volumeOf(request, 'source'), path: 'Harbour render/h.[001-007].png' },
      ],
    },
  })
  const source = await sourceCalled(request, 'h.[001-007].png')
  await page.goto(`/intake?source=${source.id}`)
  await expect(page.getByText('5 are here; missing: 5-6.')).toBeVisible()
  await expect(page.getByText('Frames 5-6 are missing; the frame before stands in for them.')).toBeVisible()
  const last = page.getByLabel('Expected last frame')
  await last.fill('5')
  await last.blur()
  await expect(page.getByText('Frame 7 is here already; the last one cannot be 5.')).toBeVisible()
  await last.fill('9')
  await last.blur()
  await expect(page.getByText('5 of 9 are here; missing: 5-6. None came lately.')).toBeVisible()
  await add([5, 6, 8, 9])
  await page.getByRole('button', { name: 'Read at this rate' }).click()
  await expect(page.getByText('9 of 9 are here. It is complete.')).toBeVisible()
  await expect(row(page, 'h.[001-009].png')).toBeVisible()
  await expectNoPageScroll(page)
})

test('sources are joined in the order that is chosen, and delivered as one', async ({ page, request }) => {
  await page.goto('/intake')
  await page.getByLabel('Name contains').fill('Fog-signal interview')
  for (const name of ['Fog-signal interview 2.avi', 'Fog-signal interview 3.avi'])
    await row(page, name).getByRole('checkbox').check()
  await page.getByRole('button', { name: 'Lot, measure' }).click()
  await page.getByText('Join to one source ...').click()
  const dialog = page.getByRole('dialog')
  const parts = dialog.getByRole('list', { name: 'Parts in order' })
  await expect(parts.getByRole('listitem').first()).toContainText('Fog-signal interview 2.avi')
  await expectAccessible(page)
  await parts.getByRole('button', { name: 'Fog-signal interview 2.avi later' }).click()
  await expect(parts.getByRole('listitem').first()).toContainText('Fog-signal interview 3.avi')
  await dialog.getByRole('button', { name: 'Join 2 sources' }).click()
  const name = 'Fog-signal interview 3.avi and 1 more'
  const { id } = await sourceCalled(request, name)
  await expect(row(page, name)).toBeVisible()
  await page.goto(`/intake?source=${id}`)
  await expect(
    page.getByText(/Fog-signal interview 3\.avi \(0:00\.0\), Fog-signal interview 2\.avi \(0:\d\d\.\d\)/),
  ).toBeVisible()
  const job = await releaseJob(request, name, 'small-mp4')
  await untilState(request, job, 'done')
  const frames = async (wanted: string) => {
    const source = (await (await request.get(`/api/sources/${(await sourceCalled(request, wanted)).id}`)).json()) as {
      facts: { video: { frameCount: number } }
    }
    return source.facts.video.frameCount
  }
  const { check } = (await (await request.get(`/api/jobs/${job}`)).json()) as {
    check: { lines: { verdict: string; found: string }[]; measurement: { video: { framesDecoded: number } } }
  }
  // Where the join was measured before it was drafted, the check names what its parts' codec did to the picture, too.
  expect(check.lines.filter(line => line.verdict !== 'pass' && line.found !== 'left in')).toEqual([])
  expect(check.measurement.video.framesDecoded).toBe(
    (await frames('Fog-signal interview 2.avi')) + (await frames('Fog-signal interview 3.avi')),
  )

  // What is not alike is refused with the difference.
  const tape = await sourceCalled(request, 'Harbour inspection tape 12.dv')
  const refused = await request.post('/api/sources/joins', { data: { sourceIds: [id, tape.id] } })
  expect([refused.status(), await refused.text()]).toEqual([
    409,
    expect.stringContaining('is a join itself. Join its parts instead.'),
  ])
  const first = await sourceCalled(request, 'Fog-signal interview 2.avi')
  expect(
    await (await request.post('/api/sources/joins', { data: { sourceIds: [first.id, tape.id] } })).text(),
  ).toContain('Harbour inspection tape 12.dv cannot follow Fog-signal interview 2.avi: its picture is 720x480')
})
