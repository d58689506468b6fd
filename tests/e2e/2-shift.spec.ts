import { execFileSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { readdir, readFile } from 'node:fs/promises'
import path from 'node:path'
import { expect, test, type Page } from '@playwright/test'
import { childrenOf } from '../support/processes.ts'
import {
  clearLanes,
  dataDirectory,
  draftJob,
  expectAccessible,
  expectNoPageScroll,
  jobs,
  measuredSource,
  releaseJob,
  untilState,
} from './support.ts'

test.beforeEach(({ request }) => clearLanes(request))
test.afterAll(({ request }) => clearLanes(request))

const waitingNames = (page: Page) =>
  page.getByRole('treegrid', { name: 'Waiting jobs' }).locator('[data-row] .middle').allTextContents()
const disc = 'Lamp-room training disc 3.mpg'

test('two browsers agree: order, hold and progress', async ({ browser, request }) => {
  const [one, two] = await Promise.all([browser.newPage(), browser.newPage()])
  await releaseJob(request, disc, 'playback-box')
  const tape = await releaseJob(request, 'Harbour inspection tape 12.dv', 'editing-master')
  const interview = await releaseJob(request, 'Fog-signal interview 1.avi', 'small-mp4')
  for (const page of [one, two]) await page.goto('/shift')
  for (const page of [one, two])
    await expect.poll(() => waitingNames(page)).toEqual(['Harbour inspection tape 12.dv', 'Fog-signal interview 1.avi'])

  // Measurements of the three come first and pause the job; nothing below waits for them but its own time limit.
  // By keyboard in one, and it shows in both.
  await one.getByRole('row', { name: /Fog-signal interview/ }).focus()
  await one.keyboard.press('Alt+ArrowUp')
  for (const page of [one, two])
    await expect.poll(() => waitingNames(page)).toEqual(['Fog-signal interview 1.avi', 'Harbour inspection tape 12.dv'])
  // By mouse in the other.
  const rows = two.getByRole('treegrid', { name: 'Waiting jobs' }).locator('[data-row]')
  await rows.nth(1).locator('.handle').dragTo(rows.nth(0).locator('.handle'))
  for (const page of [one, two])
    await expect.poll(() => waitingNames(page)).toEqual(['Harbour inspection tape 12.dv', 'Fog-signal interview 1.avi'])

  await one.getByRole('button', { name: 'Hold everything' }).click()
  await expect(two.getByRole('button', { name: 'Resume 3 held' })).toBeVisible()
  await two.getByRole('button', { name: 'Resume 3 held' }).click()
  await expect(one.getByRole('article', { name: /Lamp-room/ })).toContainText(/frame \d+ of 350.*fps/)

  // It may still stand among those that wait, for a moment.
  await two
    .getByRole('article', { name: /Lamp-room/ })
    .getByRole('button', { name: `Cancel ${disc}` })
    .click()
  await expect(one.getByRole('article', { name: /Lamp-room/ })).toHaveCount(0)
  await request.post('/api/jobs/actions', { data: { ids: [tape, interview], action: 'cancel' } })
  await one.close()
  await two.close()
})

test('an order that is late is brought in by another order of the jobs, which can be put back', async ({
  page,
  request,
}) => {
  const workers = (await (await request.get('/api/workers')).json()) as { id: string; lanes: number }[]
  // Nothing is begun meanwhile, so that the jobs wait for as long as it takes to look.
  for (const { id } of workers) await request.patch(`/api/workers/${id}`, { data: { lanes: 0 } })
  const long = await releaseJob(request, disc, 'playback-box')
  const short = await releaseJob(request, 'Fog-signal interview 1.avi', 'small-mp4')
  // What two lanes would make of it is told in the server's place; taking the order is real.
  const range = (expected: number) => ({ expected, low: expected * 0.9, high: expected * 1.1 })
  const ends = (expected: number, lateSeconds: number) => ({ end: range(expected), lateSeconds })
  const ofAll = (expected: number, lateSeconds: number) => ({
    ...ends(expected, lateSeconds),
    countedSeconds: 3 * lateSeconds,
  })
  const inHours = (hours: number) => new Date(Date.now() + hours * 3600_000).toISOString()
  const waits = async () => (await jobs(request)).filter(job => job.state === 'waiting').map(job => job.id)
  await page.route('**/api/order-of-work?*', async route => {
    const isTaken = (await waits())[0] === short
    const rush = isTaken ? ends(1800, 0) : ends(9000, 5400)
    const first = isTaken ? ends(9000, 0) : ends(7200, 0)
    const orders = [
      { ...{ id: 1, code: 'SL-1', name: 'First', lateWeight: 1 }, ...{ dueAt: inHours(30), now: first } },
      { ...{ id: 2, code: 'SL-2', name: 'Rush', lateWeight: 3 }, ...{ dueAt: inHours(1), now: rush } },
    ].map(order => ({ ...order, waiting: 1, suggested: ends(order.id === 1 ? 9000 : 1800, 0) }))
    await route.fulfill({
      json: {
        at: new Date().toISOString(),
        lanes: 2,
        waiting: 2,
        unknown: 0,
        orders,
        now: ofAll(9000, rush.lateSeconds),
        suggested: ofAll(9000, 0),
        bound: { countedSeconds: 0, endSeconds: 9000 },
        lanesMore: 0,
        isBetter: !isTaken,
        before: isTaken ? [short, long] : [long, short],
        after: [short, long],
      },
    })
  })
  await page.goto('/shift')
  const told = page.getByRole('status').filter({ hasText: 'As the jobs wait, SL-2 ends after its due time' })
  await expect(told).toContainText(
    'by about 1 h 30 min (4 h 30 min as orders count). In another order of the jobs nothing is late.',
  )
  await told.getByRole('button', { name: 'Look at that order' }).press('Enter')
  const dialog = page.getByRole('dialog', { name: 'Orders and their due times' })
  await expect(dialog.getByRole('row', { name: /SL-2/ })).toContainText('1 h 30 min')
  await expect(dialog.getByRole('row', { name: /SL-2/ })).toContainText('lateness counts 3 times')
  await expect(dialog.getByRole('row', { name: /SL-2/ })).toContainText('in time')
  await expectAccessible(page)
  await dialog.getByRole('button', { name: 'Begin 2 jobs in that order' }).press('Enter')
  await expect(told).toHaveCount(0)
  expect(await waits()).toEqual([short, long])
  await expect.poll(() => waitingNames(page)).toEqual(['Fog-signal interview 1.avi', disc])
  await page.getByRole('button', { name: 'Put back' }).press('Enter')
  await expect.poll(() => waitingNames(page)).toEqual([disc, 'Fog-signal interview 1.avi'])
  await expect(told).toBeVisible()
  await page.unrouteAll({ behavior: 'wait' })
  // By the server itself: without a lane nothing has an end.
  expect(await (await request.get('/api/order-of-work?orderId=1')).json()).toMatchObject({ lanes: 0, isBetter: false })
  for (const { id, lanes } of workers) await request.patch(`/api/workers/${id}`, { data: { lanes } })
})

test('what would come of all orders is answered at once, by keyboard, and leaves no trace', async ({
  page,
  request,
}) => {
  const workers = (await (await request.get('/api/workers')).json()) as { id: string; lanes: number }[]
  // Nothing moves on while it is looked at.
  for (const { id } of workers) await request.patch(`/api/workers/${id}`, { data: { lanes: 0 } })
  await releaseJob(request, 'Fog-signal interview 1.avi', 'small-mp4')
  const there = async () => [
    (await jobs(request)).map(({ id, state, specKey }) => ({ id, state, specKey })),
    await (await request.get('/api/orders')).json(),
    ((await (await request.get('/api/workers')).json()) as { lanes: number }[]).map(({ lanes }) => lanes),
  ]
  const before = await there()

  await page.goto('/balance')
  await page.getByRole('link', { name: 'All orders' }).press('Enter')
  const row = page.getByRole('table', { name: 'Orders' }).getByRole('row', { name: /SL-014/ })
  await expect(row).toContainText('not known')
  const supposed = page.getByRole('group', { name: 'What if' })
  await supposed.getByLabel('lanes').fill('2')
  await expect(row).toContainText(/if so: \d\d:\d\d/)
  await expect(row).toContainText('over 99 %')
  await expectAccessible(page)

  await supposed.getByRole('button', { name: 'Rush work comes' }).press('Enter')
  await supposed.getByLabel('device hours in all').fill('200')
  await supposed.getByLabel('device hours in all').press('Tab')
  const rush = page.getByRole('table', { name: 'Orders' }).getByRole('row', { name: /Rush/ })
  await expect(rush).toContainText('under 1 %')
  await page.getByRole('button', { name: 'Not at all: SL-014' }).press('Enter')
  await expect(row).toContainText('left out')
  await page.getByLabel(/^What if free on .*, in GB$/).fill('0')
  await page.getByLabel(/^What if free on .*, in GB$/).press('Tab')
  await page.getByRole('button', { name: 'Not at all: SL-014' }).press('Enter')
  await expect(page.getByRole('table', { name: 'Delivery volumes' })).toContainText(/if so: .*\d\d:\d\d/)
  await expectAccessible(page)

  await page.getByRole('button', { name: 'Keep to compare' }).press('Enter')
  const compared = page.getByRole('table', { name: 'Kept to compare' })
  await expect(compared.getByRole('row', { name: /rush work/ })).toContainText(/Rush/)
  await page.getByRole('button', { name: 'Back to as it is' }).press('Enter')
  await expect(rush).toHaveCount(0)
  await expect(row).not.toContainText('if so')
  // What was kept is kept by the browser, and can be supposed again.
  await page.reload()
  await page.getByRole('button', { name: /^What if: .*rush work/ }).press('Enter')
  await expect(rush).toContainText('under 1 %')
  await expectAccessible(page)
  await compared.getByRole('button', { name: /^Forget/ }).press('Enter')
  await expect(compared).toHaveCount(0)
  expect(await there()).toEqual(before)
})

test('out of working hours jobs rest, every end is told with them, and a person can have them worked on', async ({
  page,
  request,
}) => {
  const name = 'Fog-signal interview 1.avi'
  await measuredSource(request, name)
  await page.goto('/equipment')
  const section = page.getByRole('region', { name: 'Working hours' })
  await expect(section).toContainText('At any time')
  await section.getByRole('button', { name: 'Set hours' }).press('Enter')
  const dialog = page.getByRole('dialog', { name: 'Hours in which jobs are worked on' })
  await dialog.getByRole('button', { name: 'Remove hours 2' }).press('Enter')
  const row = dialog.getByRole('group', { name: 'Hours 1' })
  await row.getByLabel('from').fill('7 pm')
  await expect(dialog.getByRole('alert')).toHaveText('Row 1, from, is no time of day; write it like 19:00.')
  await expect(dialog.getByRole('button', { name: 'Work in these hours' })).toBeDisabled()
  await row.getByLabel('from').fill('08:00')
  await row.getByLabel('to').fill('09:00')
  // Only on a day that is neither this one nor near it.
  const open = await page.evaluate(() => (new Date().getDay() + 3) % 7)
  const days = ['Sun', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat']
  for (const day of days) await row.getByLabel(day).setChecked(day === days[open])
  await dialog.getByRole('button', { name: 'Holidays and other dates' }).press('Enter')
  const dates = dialog.getByRole('group', { name: 'Dates 1' })
  await expect(dates.getByLabel('first day')).toBeFocused()
  await page.keyboard.type('24.12.2040')
  await expect(dialog.getByRole('alert')).toHaveText('Dates 1, first day, is no date; write it like 2026-12-24.')
  await dates.getByLabel('first day').fill('2040-12-24')
  await dates.getByLabel('last day').fill('2040-12-26')
  await expectAccessible(page)
  await dialog.getByRole('button', { name: 'Work in these hours' }).press('Enter')
  await expect(section).toContainText(`${days[open]} 08:00 to 09:00`)
  await expect(section).toContainText('On dates: 24 to 26 Dec 2040 no work')
  await expect(section).toContainText(`Jobs rest until ${days[open]}`)
  await expectAccessible(page)

  const id = await releaseJob(request, name, 'small-mp4')
  await page.goto('/shift')
  const told = page.getByRole('status').filter({ hasText: `Jobs rest until ${days[open]}` })
  await expect(told).toBeVisible()
  await expect(page.getByText('This lane rests').first()).toBeVisible()
  await expectAccessible(page)
  const end = async () =>
    ((await (await request.get('/api/work?orderId=1')).json()) as { released: { end: { expected: number } | null } })
      .released.end?.expected ?? 0
  await expect.poll(end).toBeGreaterThan(24 * 3600)
  expect((await jobs(request)).find(job => job.id === id)!.state).toBe('waiting')

  await page.goto('/balance/orders')
  const prospect = page.getByRole('table', { name: 'Orders' }).getByRole('row', { name: /SL-014/ })
  await expect(prospect).toContainText(`${days[open]} `)
  await page.getByRole('group', { name: 'What if' }).getByLabel('at any time').press('Space')
  await expect(prospect).toContainText(/if so: \d\d:\d\d/)
  await expectAccessible(page)

  await page.goto('/shift')
  await told.getByRole('button', { name: 'Work on until then' }).press('Enter')
  await expect(told).toHaveCount(0)
  await untilState(request, id, 'done')
  await page.goto('/equipment')
  await expect(section).toContainText('Jobs are worked on out of hours, until')
  await section.getByRole('button', { name: 'Rest now' }).press('Enter')
  await expect(section).toContainText('Jobs rest until')
  await section.getByRole('button', { name: 'At any time' }).press('Enter')
  await expect(section.getByRole('button', { name: 'Set hours' })).toBeVisible()
})

test('frames that are still to be rendered: which way is done first, what it costs, and the shots are announced', async ({
  page,
  request,
}) => {
  const names = ['Fog-signal interview 1.avi', 'Fog-signal interview 2.avi']
  const ids = [await draftJob(request, names[0]!, 'small-mp4'), await draftJob(request, names[1]!, 'small-mp4')]
  for (const id of ids)
    await expect.poll(async () => (await (await request.get(`/api/jobs/${id}`)).json()).sampleState).toBe('ready')
  await page.goto('/balance/renders')
  const asked = page.getByRole('form', { name: 'Frames that are still to be rendered' })
  for (const [label, name] of [
    ['Test as wanted', names[0]!],
    ['Test of the reduced', names[1]!],
  ] as const) {
    await asked.getByLabel(label).press('Enter')
    await page
      .getByRole('option', { name: new RegExp(`^${name}.*Small MP4`) })
      .first()
      .press('Enter')
  }
  const ways = page.getByRole('table', { name: 'The two ways' })
  const told = page.getByRole('status').filter({ hasText: /done first/ })
  // Ten shots of 240 frames on four machines: two hours each at twelve minutes a frame, half an hour at three.
  await expect(told).toContainText('Reduced and treated is done first, by ')
  await asked.getByLabel('minutes a frame, as wanted').fill('1')
  await expect(told).toContainText('Rendered as wanted is done first, by ')
  await expectNoPageScroll(page)
  await expectAccessible(page)
  await page.getByRole('button', { name: 'Compare the treated frames' }).press('Enter')
  await expect(ways.getByRole('row', { name: /^likeness/ })).toContainText(/\d\.\d dB, SSIM 0\.\d{3}/)
  // The shorter test has so many.
  await expect(page.getByText(/^180 treated frames of the reduced test against those of the other/)).toBeVisible()
  await page.getByLabel('called').fill('Reef approach')
  await page.getByRole('button', { name: 'Announce as reduced' }).press('Enter')
  await expect(page.getByText('10 shots are announced in the inventory.')).toBeVisible()
  // What is asked is there again after a reload, and what was announced is planned like its test.
  await page.reload()
  await expect(told).toContainText('Rendered as wanted is done first, by ')
  await page.goto('/intake')
  await page.getByRole('button', { name: /^Inventory, \d+ to come/ }).click()
  const shot = page.getByRole('group', { name: 'Inventory' }).locator('.entry').filter({ hasText: 'Reef approach 10' })
  await expect(shot).toContainText('like Fog-signal interview 2.avi')
  const planned = (await (await request.get('/api/planned-sources?orderId=1')).json()) as {
    id: number
    likeName: string | null
  }[]
  const own = planned.filter(({ likeName }) => likeName !== null).map(({ id }) => id)
  expect(own).toHaveLength(10)
  await request.post('/api/planned-sources/removals', { data: { ids: own } })
})

test('kill -9 of the web server: the work goes on, the page finds back, and the job is done once', async ({
  page,
  request,
}) => {
  const source = path.join(dataDirectory, 'volumes/sources', disc)
  const before = createHash('sha256')
    .update(await readFile(source))
    .digest('hex')
  const id = await releaseJob(request, disc, 'archive-master')
  await page.goto('/shift')
  await expect(page.getByRole('article', { name: /Lamp-room/ })).toContainText(/frame \d+ of 350/)
  const [web] = webServers()
  process.kill(web!, 'SIGKILL')
  await expect(page.getByText('Connection lost, trying again')).toBeVisible()
  await expect(page.getByText('Connection lost, trying again')).toBeHidden()
  await untilState(request, id, 'done')
  await expect(page.getByText(/done: Lamp-room training disc 3-archive\.mkv/)).toBeVisible()
  const detail = await (await request.get(`/api/jobs/${id}`)).json()
  expect(detail.attempt).toBe(1)
  expect(detail.events.filter((event: { event: string }) => event.event === 'finish')).toHaveLength(1)
  expect(
    (await readdir(path.join(dataDirectory, 'volumes/delivery'))).filter(name => name.includes('-archive')),
  ).toEqual(['Lamp-room training disc 3-archive.mkv'])
  expect(
    createHash('sha256')
      .update(await readFile(source))
      .digest('hex'),
  ).toBe(before)
})

/** The demo application's web server: of the two that the test command started, the one that listens on its port. */
function webServers(): number[] {
  const port = new URL(process.env.E2E_ADDRESS!).port
  return childrenOf(Number(process.env.E2E_SUPERVISOR), '.output/server/index.mjs').filter(pid =>
    execFileSync('cat', [`/proc/${pid}/environ`], { encoding: 'utf8' }).includes(`NITRO_PORT=${port}`),
  )
}

test('a result of damaged material asks for a look and says why', async ({ page, request }) => {
  const source = await measuredSource(request, 'Harbour log (cut short).mp4')
  expect(source.state).toBe('ready')
  const id = await releaseJob(request, 'Harbour log (cut short).mp4', 'archive-master')
  await untilState(request, id, 'done')
  await page.goto(`/handover?job=${id}`)
  await expect(page.getByText(/The file promises 250 frames and holds \d+/).first()).toBeVisible()
  expect((await jobs(request)).find(job => job.id === id)!.verdict).toBe('look')
})
