import { rmSync } from 'node:fs'
import { cpus } from 'node:os'
import path from 'node:path'
import { chromium } from '@playwright/test'
import { readSettings, type JobRecord } from '@hematine/core'
import { bringIn, connect, keepFacts, TaskQueue } from '@hematine/database'
import browserSettings from '../../playwright.config.ts'
import { facts } from '../../packages/core/tests/examples.ts'
import { temporaryDirectory } from '../lib/bootstrap.mjs'
import { build } from '../lib/build.ts'
import { freePort } from '../lib/cluster.ts'
import { run } from '../lib/run.ts'

const lotCount = 60

/** Sources in sixty lots, as rows: what is benched is what the server and the pages do with many, not how files are read. */
async function makeSources(url: string, count: number): Promise<number[]> {
  const database = await connect(url)
  const queue = await TaskQueue.open(url, false, () => undefined)
  try {
    const em = () => database.em.fork()
    const { brought } = await bringIn(
      em(),
      queue,
      1,
      Array.from({ length: lotCount }, (_, lot) => ({ kind: 'file' as const, volumeId: 1, path: `lot ${lot}/0.mkv` })),
    )
    for (const [lot, { id }] of brought.entries())
      await keepFacts(em(), queue, id, facts({ width: 320 + 16 * lot, height: 240 }), `identity ${lot}`, null)
    const connection = database.em.getConnection()
    const columns = (
      await connection.execute<{ name: string }[]>(
        `select column_name as name from information_schema.columns where table_name = 'source' and column_name not in ('id', 'relative_path', 'name')`,
      )
    )
      .map(column => `"${column.name}"`)
      .join(', ')
    const each = Math.ceil(count / lotCount) - 1
    await connection.execute(
      `insert into source (relative_path, name, ${columns}) select replace(relative_path, '0.mkv', number || '.mkv'), number || '.mkv', ${columns} from source, generate_series(1, ${each}) as number`,
    )
    return (await connection.execute<{ id: number }[]>('select id from source order by id')).map(row => row.id)
  } finally {
    await queue.close()
    await database.close()
  }
}

/** Drafting, releasing and the rest of a batch of thousands through the application's own routes, and its pages in a browser. */
export async function benchBatch(count: number): Promise<void> {
  await build()
  const directory = temporaryDirectory('hematine-batch-')
  const settings = readSettings({
    HEMATINE_PORT: String(await freePort()),
    HEMATINE_WORKERS: '0',
    HEMATINE_LOG_LEVEL: 'error',
  })
  const running = await run({
    empty: true,
    dataDirectory: path.join(directory, 'data'),
    settings,
    lasting: false,
    say: () => undefined,
  })
  const browser = await chromium.launch(browserSettings.use!.launchOptions)
  const ask = async <Answer>(route: string, body?: unknown): Promise<Answer> => {
    const response = await fetch(
      running.address + route,
      body === undefined
        ? {}
        : { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) },
    )
    if (!response.ok) throw new Error(`${route}: ${await response.text()}`)
    return (await response.json()) as Answer
  }
  try {
    console.log(`Machine: ${cpus()[0]!.model.trim()}, ${cpus().length} cores, Node.js ${process.versions.node}`)
    const sources = await makeSources(running.databaseUrl, count)
    const volume = (await ask<{ id: number; role: string }[]>('/api/volumes')).find(entry => entry.role === 'delivery')!
    console.log(`\n${sources.length} sources in ${lotCount} lots\n\n| what | seconds | aim |\n|---|---|---|`)
    const timed = async <Result>(what: string, aim: string, work: () => Promise<Result>): Promise<Result> => {
      const begun = performance.now()
      const result = await work()
      console.log(`| ${what} | ${((performance.now() - begun) / 1000).toFixed(2)} | ${aim} |`)
      return result
    }
    const delay = async () =>
      (await ask<{ eventLoopDelayMilliseconds: { p99: number; max: number } }>('/api/health'))
        .eventLoopDelayMilliseconds
    const wishes = sources.map(sourceId => ({ sourceId, specKey: 'playback-box' }))
    const { drafted } = await timed('draft', '10', () =>
      ask<{ drafted: number }>('/api/jobs', { deliveryVolumeId: volume.id, wishes }),
    )
    if (drafted !== sources.length) throw new Error(`${drafted} of ${sources.length} were drafted.`)
    const jobs = await timed('list all jobs', '-', () => ask<JobRecord[]>('/api/jobs?orderId=1'))
    const ids = jobs.map(job => job.id)
    for (const action of ['release', 'hold', 'resume'])
      await timed(action, '3', () => ask('/api/jobs/actions', { ids, action }))
    await timed('move one to the front', '3', () => ask('/api/jobs/moves', { ids: [ids.at(-1)!], beforeId: ids[0]! }))
    const now = await delay()
    for (const station of ['balance', 'shift', 'handover']) {
      const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
      await timed(`open ${station}`, '1', async () => {
        await page.goto(`${running.address}/${station}`)
        await page.locator('h1').waitFor({ timeout: 120_000 })
      })
      await page.close()
    }
    await timed('cancel', '3', () => ask('/api/jobs/actions', { ids, action: 'cancel' }))
    console.log(
      `\nWeb server's event loop over the last two minutes, before the pages: p99 ${now.p99.toFixed(0)} ms, longest ${now.max.toFixed(0)} ms (aim: p99 at most 50 ms).`,
    )
  } finally {
    await browser.close()
    await running.stop()
    rmSync(directory, { recursive: true, force: true })
  }
}
