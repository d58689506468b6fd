import { randomUUID } from 'node:crypto'
import { rmSync } from 'node:fs'
import { cpus } from 'node:os'
import path from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import { chromium } from '@playwright/test'
import { readSettings, type WorkSummary } from '@hematine/core'
import { bringIn, connect, keepFacts, registerWorker, TaskQueue } from '@hematine/database'
import browserSettings from '../../playwright.config.ts'
import { facts } from '../../packages/core/tests/examples.ts'
import { temporaryDirectory } from '../lib/bootstrap.mjs'
import { openLots, scrollThrough } from './scrolling.ts'
import { build } from '../lib/build.ts'
import { freePort } from '../lib/cluster.ts'
import { run } from '../lib/run.ts'
import { patience } from '../../tests/support/patience.ts'

const lotCount = 60

/** Sources in sixty lots and a worker with lanes, as rows: what is benched is what the server and the pages do with many, not how files are read. */
async function makeSources(url: string, count: number): Promise<number[]> {
  const database = await connect(url)
  const queue = await TaskQueue.open(url, false, () => undefined)
  try {
    const em = () => database.em.fork()
    // Without lanes nothing would have a place in the plan.
    const standIn = { name: 'stand-in', machine: 'stand-in', cores: null, host: 'stand-in', pid: 0 }
    await registerWorker(em(), { id: randomUUID(), lanes: 2, ...standIn })
    const { brought } = await bringIn(
      em(),
      queue,
      1,
      Array.from({ length: lotCount }, (_, lot) => ({ kind: 'file' as const, volumeId: 1, path: `lot ${lot}/0.mkv` })),
    )
    for (const [lot, { id }] of brought.entries())
      await keepFacts(em(), queue, id, facts({ width: 320 + 16 * lot, height: 240 }), `identity ${lot}`)
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

/**
 * Runs jobs by a stand-in for a worker and its encoder: they are handed out, begun, tell how far they are, and are done, each at once.
 * @returns what a browser that listens meanwhile is told
 */
async function run200(
  url: string,
  address: string,
  ids: readonly number[],
): Promise<{ messages: number; largest: number }> {
  const stop = new AbortController()
  const heard = { messages: 0, largest: 0 }
  const stream = await fetch(`${address}/api/events?orderId=1`, { signal: stop.signal })
  const listening = (async () => {
    let text = ''
    for await (const piece of stream.body!.pipeThrough(new TextDecoderStream())) {
      const parts = (text + piece).split('\n\n')
      text = parts.pop()!
      for (const part of parts) {
        heard.messages++
        heard.largest = Math.max(heard.largest, part.length)
      }
    }
  })().catch(() => undefined)
  const database = await connect(url)
  try {
    const connection = database.em.getConnection()
    for (const id of ids) {
      await connection.execute(`update job set state = 'running', attempt = 1, started_at = now() where id = ?`, [id])
      for (let part = 1; part <= 3; part++)
        await connection.execute(`update job set progress = ?::jsonb where id = ?`, [
          JSON.stringify({
            stage: 'encode',
            framesDone: part,
            framesTotal: 3,
            framesPerSecond: 1,
            timesRealTime: 1,
            bytesWritten: part,
            secondsLeft: 3 - part,
            part: part / 3,
          }),
          id,
        ])
      await pause(30)
      await connection.execute(
        `update job set state = 'done', progress = null, output_path = 'stand-in-' || id || '.mp4', work_seconds = 1, finished_at = now() where id = ?`,
        [id],
      )
    }
    await pause(1500)
  } finally {
    await database.close()
    stop.abort()
    await listening
  }
  return heard
}

/**
 * Drafting, releasing and the rest of a batch of thousands through the application's own routes, and its pages in a browser.
 * @returns what took longer than its aim
 */
export async function benchBatch(count: number): Promise<string[]> {
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
    return (response.status === 204 ? undefined : await response.json()) as Answer
  }
  try {
    console.log(`Machine: ${cpus()[0]!.model.trim()}, ${cpus().length} cores, Node.js ${process.versions.node}`)
    const sources = await makeSources(running.databaseUrl, count)
    const volume = (await ask<{ id: number; role: string }[]>('/api/volumes')).find(entry => entry.role === 'delivery')!
    console.log(`\n${sources.length} sources in ${lotCount} lots\n\n| what | seconds | aim |\n|---|---|---|`)
    const missed: string[] = []
    const timed = async <Result>(what: string, aim: number, work: () => Promise<Result>): Promise<Result> => {
      const begun = performance.now()
      const result = await work()
      const seconds = (performance.now() - begun) / 1000
      if (seconds > aim) missed.push(what)
      console.log(`| ${what} | ${seconds.toFixed(2)} | ${aim} |`)
      return result
    }
    const delay = async () =>
      (await ask<{ eventLoopDelayMilliseconds: { p99: number; max: number } }>('/api/health'))
        .eventLoopDelayMilliseconds
    const wishes = sources.map(sourceId => ({ sourceId, specKey: 'playback-box' }))
    const { drafted } = await timed('draft', 10, () =>
      ask<{ drafted: number }>('/api/jobs', { deliveryVolumeId: volume.id, wishes }),
    )
    if (drafted !== sources.length) throw new Error(`${drafted} of ${sources.length} were drafted.`)
    const drafting = await delay()
    const asked = await timed('work in figures, read for the first time', 1, () =>
      ask<WorkSummary>('/api/work?orderId=1'),
    )
    if (asked.counts.draft !== sources.length) throw new Error('The figures do not count the drafts.')
    await timed('work in figures, once more', 1, () => ask('/api/work?orderId=1'))
    await timed('a page of a hundred from the middle', 1, () =>
      ask(`/api/jobs?orderId=1&states=draft&sort=name&offset=${Math.floor(count / 2)}`),
    )
    const ids = await timed('numbers of all', 1, () => ask<number[]>('/api/job-ids?orderId=1&states=draft'))
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
    page.setDefaultTimeout(patience.timeout)
    await timed('load the application into an empty browser', 5, async () => {
      await page.goto(`${running.address}/equipment`)
      await page.locator('h1').waitFor()
    })
    const openPage = async (station: string, table: string) => {
      const isThere = () => page.getByRole('treegrid', { name: table }).getByRole('row').nth(2).waitFor()

      await timed(`go to ${station}, until its rows are there`, 1, async () => {
        await page.getByRole('link', { name: station }).click()
        await isThere()
      })
      await timed(`load ${station} anew, until its rows are there`, 1, async () => {
        await page.reload()
        await isThere()
      })
    }
    await openPage('Balance', 'Drafts')
    await openLots(page)
    const frames = await scrollThrough(page)
    for (const action of ['release', 'hold', 'resume'])
      await timed(action, 3, () => ask('/api/jobs/actions', { ids, action }))
    await timed('move one to the front', 3, () => ask('/api/jobs/moves', { ids: [ids.at(-1)!], beforeId: ids[0]! }))
    // The lists of thousands that just changed are told of first.
    await pause(3000)
    await openPage('Shift', 'Waiting jobs')
    await timed('go to All orders, until its rows are there', 1, async () => {
      await page.getByRole('link', { name: 'Balance' }).click()
      await page.getByRole('link', { name: 'All orders' }).click()
      await page.getByRole('table', { name: 'Orders' }).getByRole('row').nth(1).waitFor()
    })
    await timed('what if there were a lane more', 1, async () => {
      const lanes = page.getByRole('group', { name: 'What if' }).getByLabel('lanes')
      await lanes.fill(String(Number(await lanes.inputValue()) + 1))
      const answer = page.getByRole('table', { name: 'Orders' }).getByText('if so:').first()
      await answer.waitFor({ state: 'attached' })
    })
    const heard = await run200(running.databaseUrl, running.address, ids.slice(0, 200))
    await openPage('Handover', 'Results')
    await timed('cancel the rest', 3, () => ask('/api/jobs/actions', { ids: ids.slice(200), action: 'cancel' }))
    const now = await delay()
    console.log(
      `\nBalance with its lots open: ${frames}.` +
        `\n200 jobs run by a stand-in for the encoder: ${heard.messages} messages to a browser, the largest ${(heard.largest / 1000).toFixed(1)} kB.` +
        `\nWeb server's event loop while drafting: p99 ${drafting.p99.toFixed(0)} ms, longest ${drafting.max.toFixed(0)} ms; over the last two minutes: p99 ${now.p99.toFixed(0)} ms, longest ${now.max.toFixed(0)} ms (aim: p99 at most 50 ms).`,
    )
    if (missed.length > 0) console.log(`\nOver their aims: ${missed.join(', ')}.`)
    return missed
  } finally {
    await browser.close()
    await running.stop()
    rmSync(directory, { recursive: true, force: true })
  }
}
