import { rmSync } from 'node:fs'
import { mkdir } from 'node:fs/promises'
import path from 'node:path'
import { readSettings, type SourceRow, type Step, type TrialRecord } from '@hematine/core'
import { writeClip } from '@hematine/demo/write-clip'
import { setUpLibraries } from '@hematine/media'
import { chromium } from '@playwright/test'
import { temporaryDirectory } from '../lib/bootstrap.mjs'
import { build } from '../lib/build.ts'
import { freePort } from '../lib/cluster.ts'
import { run } from '../lib/run.ts'
import browserSettings from '../../playwright.config.ts'

const pause = (milliseconds: number) => new Promise(resolve => setTimeout(resolve, milliseconds))
const watchedSeconds = 6

/** Plays two streams of 1280x720 at 25 frames a second in headless Chromium and counts what is painted; then asks for a trial of SD with the fast network and waits for its first picture. */
export async function benchViewer(): Promise<void> {
  await build()
  setUpLibraries()
  const directory = temporaryDirectory('hematine-viewer-')
  const running = await run({
    empty: true,
    dataDirectory: directory,
    settings: readSettings({ HEMATINE_PORT: String(await freePort()), HEMATINE_WORKERS: '1' }),
    lasting: false,
    say: () => undefined,
  })
  const browser = await chromium.launch(browserSettings.use!.launchOptions)
  try {
    const ask = async <T>(address: string, body?: unknown, method = 'POST'): Promise<T> =>
      (
        await fetch(
          running.address + address,
          body === undefined
            ? {}
            : { method, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) },
        )
      ).json() as Promise<T>
    const volumes = await ask<{ id: number; role: string; path: string }[]>('/api/volumes')
    const source = volumes.find(volume => volume.role === 'source')!
    await mkdir(source.path, { recursive: true })
    for (const [name, size] of [
      ['hd', '1280x720'],
      ['sd', '720x576'],
    ] as const)
      await writeClip({
        path: path.join(source.path, `${name}.mp4`),
        format: 'mp4',
        audio: [],
        video: {
          encoder: 'libx264',
          options: { preset: 'veryfast', crf: '16' },
          filters: `testsrc2=s=${size}:r=25:d=8,noise=alls=8:allf=t,format=yuv420p`,
        },
      })
    const [order] = await ask<{ id: number }[]>('/api/orders')
    await ask('/api/sources', {
      orderId: order!.id,
      arrivals: ['hd', 'sd'].map(name => ({ kind: 'file', volumeId: source.id, path: `${name}.mp4` })),
    })
    const read = async () => (await ask<{ rows: SourceRow[] }>(`/api/sources?orderId=${order!.id}`)).rows
    while (
      (await read()).length < 2 ||
      (await read()).some(row => row.state === 'reading' || ['waiting', 'measuring'].includes(row.measureState))
    )
      await pause(300)
    const rows = await read()
    const [hd, sd] = ['hd', 'sd'].map(name => rows.find(row => row.name.startsWith(name))!) as [SourceRow, SourceRow]
    for (const row of [hd, sd])
      await ask(`/api/sources/${row.id}/moments`, { moments: [{ reason: 'by hand', from: 2, to: 4 }] }, 'PUT')
    const trial = async (row: SourceRow, steps: Step[]) =>
      (
        await ask<{ trials: TrialRecord[] }>('/api/trials', {
          sourceId: row.id,
          specKey: 'small-mp4',
          wishes: [{ label: 'bench', steps }],
        })
      ).trials[0]!
    const state = async (id: number) =>
      (await ask<TrialRecord[]>(`/api/trials?orderId=${order!.id}`)).find(entry => entry.id === id)!

    const played = await trial(hd, [{ kind: 'sharpen', strength: 'light' }])
    while ((await state(played.id)).state !== 'ready') await pause(200)
    const page = await browser.newPage({ baseURL: running.address, viewport: { width: 1280, height: 800 } })
    await page.goto(`/bench?lot=${hd.lotId}&source=${hd.id}`)
    const painted = async () => Number(await page.locator('.stage').getAttribute('data-painted'))
    await page.getByRole('button', { name: 'Play', exact: true }).click()
    await page.waitForTimeout(1500)
    const [before, begun] = [await painted(), performance.now()]
    await page.waitForTimeout(watchedSeconds * 1000)
    const [after, ended] = [await painted(), performance.now()]
    console.log(
      `Two streams of 1280x720 at 25 frames a second: ${((after - before) / ((ended - begun) / 1000)).toFixed(1)} frames a second painted with both pictures there, over ${watchedSeconds} s.`,
    )
    await page.close()

    const asked = performance.now()
    const tried = await trial(sd, [{ kind: 'learned', network: 'compressed', size: 'fast', times: 2, strength: 100 }])
    while ((await state(tried.id)).looks === 0) await pause(50)
    const look = (performance.now() - asked) / 1000
    while ((await state(tried.id)).state !== 'ready') await pause(100)
    const {
      results: [result],
    } = await state(tried.id)
    console.log(
      `A two-second trial of 720x576 with the fast network, 2x: first picture after ${look.toFixed(1)} s, the moment whole after ${((performance.now() - asked) / 1000).toFixed(1)} s (${(result!.frames / result!.seconds).toFixed(1)} frames a second treated and encoded).`,
    )
  } finally {
    await browser.close()
    await running.stop()
    rmSync(directory, { recursive: true, force: true })
  }
}
