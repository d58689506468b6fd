import { spawn, type ChildProcess } from 'node:child_process'
import { once } from 'node:events'
import { expect, test, type APIRequestContext } from '@playwright/test'
import { clearLanes, dataDirectory, draftJob, expectAccessible, untilState } from './support.ts'

/** Work for a graphics device: what is there, what is not, and a stand-in that plays one. */
test.describe.configure({ mode: 'serial' })
let standIn: ChildProcess | null = null
let job: number
test.beforeAll(({ request }) => clearLanes(request))
test.afterAll(async () => {
  if (standIn?.exitCode !== null) return
  standIn.kill('SIGTERM')
  await once(standIn, 'exit')
})

function startStandIn(): void {
  standIn = spawn(process.execPath, [process.env.E2E_WORKER!], {
    stdio: 'ignore',
    env: {
      ...{ PATH: process.env.PATH, NODE_ENV: 'production', HEMATINE_LOG_LEVEL: 'error' },
      ...{ HEMATINE_DATABASE_URL: process.env.E2E_DATABASE_URL, HEMATINE_DATA_DIR: dataDirectory },
      HEMATINE_DEVICE: 'stand-in-a',
    },
  })
}
const workers = async (request: APIRequestContext) =>
  (await (await request.get('/api/workers')).json()) as { name: string; troubles: Record<string, string> }[]

test('a spec asks for one where there is none: editor and Balance say so, and the job waits', async ({
  page,
  request,
}) => {
  await page.goto('/library?spec=web-mp4')
  await page.getByRole('button', { name: 'Copy', exact: true }).click()
  const dialog = page.getByRole('dialog')
  await dialog.getByLabel('Name', { exact: true }).fill('Device copy')
  await dialog
    .locator('.v-select')
    .filter({ hasText: /^Picture codec/ })
    .locator('.v-field')
    .click()
  await page.getByRole('option', { name: 'H.264' }).click()
  await dialog
    .locator('.v-select')
    .filter({ hasText: /^Encoder/ })
    .locator('.v-field')
    .click()
  await page.getByRole('option', { name: 'of a graphics device' }).click()
  await expect(dialog.getByText('No worker has a graphics device that encodes H.264.')).toBeVisible()
  await expect(dialog.getByText('Fine settings')).toHaveCount(0)
  await expectAccessible(page)
  await dialog.getByRole('button', { name: 'Keep' }).click()
  await expect(page).toHaveURL(/spec=device-copy/)
  job = await draftJob(request, 'Fog-signal interview 2.avi', 'device-copy')
  await page.goto('/balance')
  await expect(page.getByText('1 job needs an encoder of a graphics device')).toBeVisible()
})

test('Equipment says what was looked for, and shows a stand-in as one that can be made to fail', async ({
  page,
  request,
}) => {
  await page.goto('/equipment')
  await page.getByText('What was looked for and is not there').click()
  await expect(page.getByText('NVENC')).toBeVisible()
  startStandIn()
  const row = page.getByRole('row', { name: /^Stand-in GPU A its own/ })
  await expect(row).toContainText('H.264, HEVC, AV1')
  await expectAccessible(page)
  await page.getByLabel('Fault of Stand-in GPU A').selectOption('lost')
  // What it is asked for next comes back, and it says why it takes nothing.
  const trouble = async () => (await workers(request)).find(({ name }) => name === 'Stand-in GPU A')?.troubles
  await request.post(`/api/jobs/${job}/measure-again`)
  await expect.poll(trouble).toMatchObject({ 'stand-in-a': expect.stringMatching(/Stand-in GPU A/) })
  await expect(row).toContainText(/does not answer|was lost/)
  await page.getByLabel('Fault of Stand-in GPU A').selectOption('none')
  await expect(row).toContainText('works')
})

test('the job is made by it, the plan has its lanes, and the check says who encoded', async ({ page, request }) => {
  await request.post('/api/jobs/actions', { data: { ids: [job], action: 'release' } })
  await untilState(request, job, 'done')
  await page.goto(`/handover/${job}`)
  await expect(page.getByRole('row', { name: /^encoder/ })).toContainText('Stand-in GPU A')
  await page.goto('/shift')
  await expect(page.getByText('of Stand-in GPU A are free for jobs that a graphics device encodes')).toBeVisible()
  await expectAccessible(page)
})
