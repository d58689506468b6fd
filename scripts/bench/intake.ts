import { copyFileSync, mkdirSync, readFileSync, renameSync, rmSync } from 'node:fs'
import { cpus } from 'node:os'
import path from 'node:path'
import { chromium } from '@playwright/test'
import { describeBytes, readSettings, type ScanRecord } from '@hematine/core'
import { connect } from '@hematine/database'
import { ownVolumes } from '@hematine/demo'
import { writeClip } from '@hematine/demo/write-clip'
import { setUpLibraries } from '@hematine/media'
import browserSettings from '../../playwright.config.ts'
import { childrenOf } from '../../tests/support/processes.ts'
import { openLots, scrollThrough } from './scrolling.ts'
import { askerOf } from '../lib/asker.ts'
import { temporaryDirectory } from '../lib/bootstrap.mjs'
import { build } from '../lib/build.ts'
import { freePort } from '../lib/cluster.ts'
import { run, type Running } from '../lib/run.ts'

const fileCount = 1000
const rowCount = 10_000
const pause = (milliseconds: number) => new Promise(resolve => setTimeout(resolve, milliseconds))

/** A thousand small files in forty folders: copies of eight different clips. */
async function makeFiles(directory: string): Promise<void> {
  const kinds = Array.from({ length: 8 }, (_, kind) => ({ kind, file: path.join(directory, `kind-${kind}.mkv`) }))
  for (const { kind, file } of kinds) {
    await writeClip({
      path: file,
      format: 'matroska',
      video: {
        encoder: kind % 2 ? 'mpeg4' : 'libx264',
        ...(kind % 2 ? { bitRate: 300_000 } : { options: { preset: 'ultrafast' } }),
        filters: `testsrc2=s=${320 + 32 * kind}x240:r=25:d=2,format=yuv420p,setsar=1`,
      },
      audio: [
        {
          encoder: 'aac',
          bitRate: 64_000,
          filters: 'sine=frequency=440:sample_rate=48000:duration=2,aformat=sample_fmts=fltp:channel_layouts=stereo',
        },
      ],
    })
  }
  for (let index = 0; index < fileCount; index++) {
    const folder = path.join(directory, 'sources', `box ${String(index % 40).padStart(2, '0')}`)
    mkdirSync(folder, { recursive: true })
    copyFileSync(kinds[index % kinds.length]!.file, path.join(folder, `reel ${String(index).padStart(4, '0')}.mkv`))
  }
}

function residentBytes(pid: number): number {
  try {
    return Number(/VmRSS:\s+(\d+) kB/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? 0) * 1024
  } catch {
    return 0
  }
}

const workerBytes = (running: Running) =>
  [running.workers[0]!.pid!, ...childrenOf(running.workers[0]!.pid!, 'child.mjs')].reduce(
    (sum, pid) => sum + residentBytes(pid),
    0,
  )

/** Brings in a thousand files through the application's own routes, and scrolls a table of ten thousand rows in a real browser. */
export async function benchIntake(): Promise<void> {
  await build()
  setUpLibraries()
  const directory = temporaryDirectory('hematine-intake-')
  const dataDirectory = path.join(directory, 'data')
  let running: Running | null = null
  const browser = await chromium.launch(browserSettings.use!.launchOptions)
  try {
    await makeFiles(directory)
    const { source } = ownVolumes(dataDirectory)
    mkdirSync(source, { recursive: true })
    running = await run({
      empty: true,
      dataDirectory,
      settings: readSettings({ HEMATINE_PORT: String(await freePort()), HEMATINE_LOG_LEVEL: 'warn' }),
      lasting: true,
      say: () => undefined,
    })
    const { address } = running
    const ask = askerOf(running)
    console.log(`Machine: ${cpus()[0]!.model.trim()}, ${cpus().length} cores, Node.js ${process.versions.node}`)
    renameSync(path.join(directory, 'sources'), path.join(source, 'boxes'))

    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
    await page.goto(`${address}/intake`)
    const memory: number[] = []
    const begun = performance.now()
    await ask('/api/scans', { orderId: 1, volumeId: 1, path: 'boxes' })
    let scannedAfter = 0
    let clickSeconds = 0
    for (;;) {
      const counts = await ask<{ all: number; reading: number }>('/api/source-counts?orderId=1')
      const [scan] = await ask<ScanRecord[]>('/api/scans?orderId=1')
      if (scannedAfter === 0 && scan?.state === 'done') scannedAfter = (performance.now() - begun) / 1000
      memory.push(workerBytes(running))
      // The page in use meanwhile: another lot is opened and closed.
      const lot = page.locator('[data-line="0"]')
      if ((await lot.count()) > 0) {
        const clicked = performance.now()
        await lot.click()
        clickSeconds = Math.max(clickSeconds, (performance.now() - clicked) / 1000)
      }
      if (scannedAfter > 0 && counts.all === fileCount && counts.reading === 0) break
      await pause(500)
    }
    const seconds = (performance.now() - begun) / 1000
    const { eventLoopDelayMilliseconds: delay } = await ask<{
      eventLoopDelayMilliseconds: { p99: number; max: number }
    }>('/api/health')
    console.log('\n## A thousand small files')
    console.log(
      `gone through in ${scannedAfter.toFixed(1)} s, all listed with facts and picture in ${seconds.toFixed(1)} s: ${(fileCount / seconds).toFixed(1)} files a second (${fileCount / seconds >= 25 ? 'at least' : 'below'} 25); web server's event loop p99 ${delay.p99.toFixed(1)} ms; slowest click in the page meanwhile ${(clickSeconds * 1000).toFixed(0)} ms`,
    )
    const [first, last] = [
      Math.max(...memory.slice(2, Math.max(3, Math.floor(memory.length / 4)))),
      Math.max(...memory.slice(-Math.ceil(memory.length / 4))),
    ]
    console.log(
      `memory of the worker and its processes: ${describeBytes(first)} at most in the first quarter, ${describeBytes(last)} in the last, ratio ${(last / first).toFixed(2)}`,
    )

    console.log('\n## Sampling for findings')
    await pause(20_000)
    const { rows } = await ask<{ rows: { id: number; measureState: string; seconds: number }[] }>(
      '/api/sources?orderId=1&limit=500',
    )
    const done = rows.filter(row => row.measureState === 'ready').slice(0, 40)
    const costs = await Promise.all(
      done.map(async row => ({
        took: (await ask<{ measured: { tookSeconds: number } }>(`/api/sources/${row.id}`)).measured.tookSeconds,
        seconds: row.seconds,
      })),
    )
    const sum = (pick: (cost: { took: number; seconds: number }) => number) =>
      costs.reduce((total, cost) => total + pick(cost), 0)
    console.log(
      `${costs.length} clips of 2 s, whole: ${(sum(cost => cost.took) / Math.max(1, costs.length)).toFixed(2)} s of processor time each (${(sum(cost => cost.took) / Math.max(0.01, sum(cost => cost.seconds) / 60)).toFixed(0)} s a minute of source); longer sources cost no more than 250 frames do`,
    )

    console.log(`\n## A table of ${rowCount} rows`)
    const database = await connect(running.databaseUrl)
    await database.em.getConnection()
      .execute(`insert into source (order_id, volume_id, relative_path, kind, state, facts, name, material, codec, width, height, rate, seconds, bytes, scan, lot_id, measure_state, findings, finding_keys)
      select order_id, volume_id, 'copy ' || n || '/' || relative_path, kind, state, facts, n || ' ' || name, material, codec, width, height, rate, seconds, bytes, scan, lot_id, 'ready', findings, finding_keys
      from source, generate_series(1, ${rowCount / fileCount - 1}) as n`)
    // The scrolling is measured by itself: what is still to be measured is called off.
    await database.em
      .getConnection()
      .execute("update source set measure_state = 'none' where measure_state in ('waiting', 'measuring')")
    await database.close()
    await page.evaluate('localStorage.setItem("hematine-sort", "name")')
    await page.reload()
    await page.getByText(`${rowCount} sources in`).or(page.getByText('sources in')).first().waitFor()
    await pause(15_000)
    await openLots(page)
    console.log(await scrollThrough(page))
    const asked = performance.now()
    await ask(
      `/api/sources?orderId=1&sort=bytes&descending=true&offset=9000&limit=100&filter=${encodeURIComponent(JSON.stringify([{ field: 'width', how: 'at least', value: 300 }]))}`,
    )
    console.log(`a page of 100 at place 9000, narrowed and sorted: ${(performance.now() - asked).toFixed(0)} ms`)
  } finally {
    await browser.close()
    await running?.stop()
    rmSync(directory, { recursive: true, force: true })
  }
}
