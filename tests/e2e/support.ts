import AxeBuilder from '@axe-core/playwright'
import { expect, type APIRequestContext, type Page } from '@playwright/test'

export const emptyAddress = process.env.E2E_EMPTY_ADDRESS!
export const dataDirectory = process.env.E2E_DATA!

/**
 * No violation of WCAG 2.2 A and AA that a program can find, once the page is at rest: half faded in, every text has too little contrast. What comes in while
 * it is being looked at (an answer that makes a button ready) is looked at once more.
 */
export async function expectAccessible(page: Page): Promise<void> {
  let found: string[] = []
  for (let look = 0; look < 3; look++) {
    await page.waitForFunction(() =>
      document
        .getAnimations()
        .every(
          animation =>
            animation.playState !== 'running' || animation.effect?.getComputedTiming().iterations === Infinity,
        ),
    )
    // In this page alone, which holds no frames: otherwise axe opens a second one in front of it, and what plays in the hidden one is paused.
    const { violations } = await new AxeBuilder({ page })
      // What passes is not written up: that takes longer than finding it.
      .options({ resultTypes: ['violations'] })
      .setLegacyMode()
      .withTags(['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'])
      .analyze()
    found = violations.map(
      violation => `${violation.id}: ${violation.nodes.map(node => node.target.join(' ')).join(' | ')}`,
    )
    if (found.length === 0) return
  }
  expect(found).toEqual([])
}

/** Nothing may scroll the page itself. */
export async function expectNoPageScroll(page: Page): Promise<void> {
  expect(
    await page.evaluate(() => [
      document.documentElement.scrollHeight > window.innerHeight,
      document.documentElement.scrollWidth > window.innerWidth,
    ]),
  ).toEqual([false, false])
}

interface Source {
  id: number
  name: string
  state: string
  measureState: string
  faults: string[]
  lotId: number | null
}
interface Job {
  id: number
  state: string
  sourceName: string
  specKey: string
  verdict: string | null
  outputPath: string | null
  progress: { framesDone: number; stage: string } | null
}

export async function sources(request: APIRequestContext): Promise<Source[]> {
  return ((await (await request.get('/api/sources?orderId=1&limit=500')).json()) as { rows: Source[] }).rows
}

export async function jobs(request: APIRequestContext): Promise<Job[]> {
  return ((await (await request.get('/api/jobs?orderId=1&limit=500')).json()) as { jobs: Job[] }).jobs
}

export async function sourceCalled(request: APIRequestContext, name: string): Promise<Source> {
  let found: Source | undefined
  await expect
    .poll(async () => (found = (await sources(request)).find(source => source.name === name))?.state)
    .toMatch(/ready|refused/)
  return found!
}

/** The same, once it has been measured: what is drafted before knows nothing of its findings. */
export async function measuredSource(request: APIRequestContext, name: string): Promise<Source> {
  const source = await sourceCalled(request, name)
  await expect.poll(async () => (await sources(request)).find(({ id }) => id === source.id)?.measureState).toBe('ready')
  return source
}

/** Number of the first volume of a role. */
export async function volumeOf(request: APIRequestContext, role: 'source' | 'delivery'): Promise<number> {
  return ((await (await request.get('/api/volumes')).json()) as { id: number; role: string }[]).find(
    volume => volume.role === role,
  )!.id
}

/** Drafts a job by the routes, for tests of what follows. */
export async function draftJob(request: APIRequestContext, sourceName: string, specKey: string): Promise<number> {
  const source = await sourceCalled(request, sourceName)
  const drafted = await (
    await request.post('/api/jobs', {
      data: { deliveryVolumeId: await volumeOf(request, 'delivery'), wishes: [{ sourceId: source.id, specKey }] },
    })
  ).json()
  return drafted.jobs[0].id as number
}

/** The same, and releases it. */
export async function releaseJob(request: APIRequestContext, sourceName: string, specKey: string): Promise<number> {
  const id = await draftJob(request, sourceName, specKey)
  await request.post('/api/jobs/actions', { data: { ids: [id], action: 'release' } })
  return id
}

export async function untilState(request: APIRequestContext, id: number, state: string): Promise<void> {
  await expect.poll(async () => (await jobs(request)).find(job => job.id === id)?.state).toBe(state)
}

/** Cancels what earlier tests left unfinished, lets jobs be worked on at any time and gives each worker its lane, so that each test begins with idle lanes, also after one that failed half-way. */
export async function clearLanes(request: APIRequestContext): Promise<void> {
  await request.patch('/api/working-hours', { data: { hours: null, workOnUntil: null } })
  const open = (await jobs(request)).filter(job => !['done', 'failed', 'cancelled'].includes(job.state))
  if (open.length > 0)
    await request.post('/api/jobs/actions', { data: { ids: open.map(job => job.id), action: 'cancel' } })
  await expect
    .poll(async () => (await jobs(request)).filter(job => ['running', 'placing', 'queued'].includes(job.state)).length)
    .toBe(0)
  for (const { id, lanes } of (await (await request.get('/api/workers')).json()) as { id: string; lanes: number }[])
    if (lanes === 0) await request.patch(`/api/workers/${id}`, { data: { lanes: 1 } })
}
