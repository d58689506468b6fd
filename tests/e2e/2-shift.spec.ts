import { execFileSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { readdir, readFile } from 'node:fs/promises'
import path from 'node:path'
import { expect, test, type Page } from '@playwright/test'
import { childrenOf } from '../support/processes.ts'
import { clearLanes, dataDirectory, jobs, measuredSource, releaseJob, untilState } from './support.ts'

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
  await expect(one.getByRole('article', { name: /Lamp-room/ })).toContainText(/frame \d+ of 350.*fps/, {
    timeout: 540_000,
  })

  await two.getByRole('button', { name: `Cancel ${disc}` }).click()
  await expect(one.getByRole('article', { name: /Lamp-room/ })).toHaveCount(0)
  await request.post('/api/jobs/actions', { data: { ids: [tape, interview], action: 'cancel' } })
  await one.close()
  await two.close()
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
  await expect(page.getByRole('article', { name: /Lamp-room/ })).toContainText(/frame \d+ of 350/, { timeout: 540_000 })
  const [web] = webServers()
  process.kill(web!, 'SIGKILL')
  await expect(page.getByText('Connection lost, trying again')).toBeVisible()
  await expect(page.getByText('Connection lost, trying again')).toBeHidden({ timeout: 540_000 })
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
