import path from 'node:path'
import {
  readSettings,
  type CurveRecord,
  type LotCurveRecord,
  type JobRecord,
  type OrderRecord,
  type SourceRow,
  type Step,
  type TrialRecord,
} from '@hematine/core'
import { demoNames } from '@hematine/demo'
import { chromium } from '@playwright/test'
import { askerOf } from './asker.ts'
import { projectDirectory } from './bootstrap.mjs'
import { build } from './build.ts'
import { freePort } from './cluster.ts'
import { run } from './run.ts'
import browserSettings from '../../playwright.config.ts'

const pause = (milliseconds: number) => new Promise(resolve => setTimeout(resolve, milliseconds))

/** Starts the demo, walks through the main job and takes one picture of each view at 1280x800. */
export async function takeScreenshots(directory: string): Promise<void> {
  await build()
  process.env.HEMATINE_WORKER_NAME = 'lamp room'
  const running = await run({
    standIns: 1,
    empty: false,
    dataDirectory: directory,
    settings: readSettings({ HEMATINE_PORT: String(await freePort()), HEMATINE_WORKERS: '1' }),
    lasting: false,
    say: () => undefined,
  })
  const browser = await chromium.launch(browserSettings.use!.launchOptions)
  try {
    const page = await browser.newPage({ baseURL: running.address, viewport: { width: 1280, height: 800 } })
    const ask = askerOf(running)
    const until = async (met: (jobs: JobRecord[]) => boolean, orderId = 1) => {
      while (!met((await ask<{ jobs: JobRecord[] }>(`/api/jobs?orderId=${orderId}&limit=500`)).jobs)) await pause(300)
    }
    const shoot = async (name: string, address: string | null = null) => {
      if (address) await page.goto(address)
      // Until fonts, posters, rows and the first changes are there.
      await page.waitForTimeout(1500)
      // Not by waiting in the page: its content policy lets no text be run there.
      while (
        !(await page.evaluate(
          '[...document.images].every(image => image.complete) && !/^loading$/m.test(document.body.innerText)',
        ))
      )
        await pause(100)
      await page.screenshot({ path: path.join(projectDirectory, 'docs/screenshots', `${name}.png`) })
      console.log(`docs/screenshots/${name}.png`)
    }
    const readSources = async (orderId = 1) =>
      (await ask<{ rows: SourceRow[] }>(`/api/sources?orderId=${orderId}&limit=500`)).rows
    while (
      (await readSources()).some(
        source =>
          source.state === 'reading' || source.measureState === 'waiting' || source.measureState === 'measuring',
      )
    )
      await pause(300)
    const sources = await readSources()
    const draft = (wishes: [name: string, specKey: string][], among = sources) =>
      ask<{ jobs: JobRecord[] }>('/api/jobs', {
        deliveryVolumeId: 3,
        wishes: wishes.map(([name, specKey]) => ({
          sourceId: among.find(source => source.name.startsWith(name))!.id,
          specKey,
        })),
      })
    const release = (jobs: readonly JobRecord[]) =>
      ask('/api/jobs/actions', { ids: jobs.map(job => job.id), action: 'release' })

    const { jobs: first } = await draft([
      ['Lamp-room', 'playback-box'],
      ['Fog-signal', 'small-mkv'],
      ['Harbour log', 'open-web-mp4'],
      ['approach', 'archive-master'],
    ])
    await until(jobs => jobs.every(job => job.forecast))
    await release(first)
    await until(jobs => jobs.every(job => job.state === 'done'))
    await shoot('intake', `/intake?source=${sources[0]!.id}`)
    await page.getByRole('button', { name: 'Bring in from a volume' }).click()
    await shoot('bring-in')
    await page.getByRole('button', { name: /^Lamp-room training disc 4/ }).click()
    await shoot('disc')
    await page.goto('/intake')
    await page.locator('.strip .v-select .v-field').click()
    await page.getByRole('option', { name: /^SL-020/ }).click()
    await page.getByRole('button', { name: /^Inventory/ }).click()
    await page.getByLabel('name or carrier contains').fill('tape')
    await shoot('inventory')
    await page.getByRole('button', { name: 'Close' }).click()
    await page.locator('.strip .v-select .v-field').click()
    await page.getByRole('option', { name: /^SL-014/ }).click()
    const interview = sources.find(source => source.name.startsWith('Fog-signal interview 1'))!
    const learned: Step = { kind: 'learned', network: 'compressed', size: 'fast', times: 2, strength: 100 }
    const tried = await ask<{ trials: TrialRecord[] }>('/api/trials', {
      sourceId: interview.id,
      specKey: 'playback-box',
      wishes: [
        { label: 'Enlarge, learned: none', steps: [] },
        { label: 'Enlarge, learned: fast', steps: [learned] },
        { label: 'Enlarge, learned: careful', steps: [{ ...learned, size: 'careful' }] },
      ],
    })
    while (
      (await ask<TrialRecord[]>('/api/trials?orderId=1')).some(
        trial => trial.state === 'waiting' || trial.state === 'running',
      )
    )
      await pause(500)
    await page.goto(`/bench?lot=${interview.lotId}&source=${interview.id}`)
    await page.waitForTimeout(2500)
    await page.getByRole('button', { name: /^B Enlarge, learned: fast/ }).click()
    await shoot('bench')
    await ask('/api/trials/removals', { ids: tried.trials.map(trial => trial.id) })
    const signal = sources.find(source => source.name.startsWith('Fog signal'))!
    const heard = await ask<{ trials: TrialRecord[] }>('/api/trials', {
      sourceId: signal.id,
      specKey: 'sound-m4a',
      wishes: [
        { label: 'Take out hum, 50 Hz and its multiples', steps: [{ kind: 'sound-hum', hertz: 50 }] },
        {
          label: 'Take out hum; denoise the sound, medium',
          steps: [
            { kind: 'sound-hum', hertz: 50 },
            { kind: 'sound-denoise', strength: 'medium' },
          ],
        },
      ],
    })
    while (
      (await ask<TrialRecord[]>('/api/trials?orderId=1')).some(
        trial => trial.state === 'waiting' || trial.state === 'running',
      )
    )
      await pause(500)
    await page.goto(`/bench?lot=${signal.lotId}&source=${signal.id}`)
    await page.waitForTimeout(2500)
    await shoot('bench-sound')
    await ask('/api/trials/removals', { ids: heard.trials.map(trial => trial.id) })
    const cut = first.find(job => job.specKey === 'open-web-mp4')!
    await shoot('handover', `/handover?job=${cut.id}`)
    await page.goto(`/handover/${first[0]!.id}`)
    await page.getByText('source, treated', { exact: true }).waitFor()
    await page.waitForTimeout(5000)
    await page.keyboard.press('w')
    await shoot('compare')

    const { jobs: second } = await draft([
      ['Weather watch', 'playback-box'],
      ['Harbour inspection', 'editing-master'],
      ['Lamp-room', 'archive-master'],
      ['Weather watch', 'open-web-webm'],
      ['Harbour inspection', 'small-mp4'],
      ['approach', 'small-mp4'],
    ])
    await until(jobs => jobs.every(job => job.forecast || job.state === 'done'))
    const curved = [second[0]!, second[3]!]
    for (const job of curved) await ask(`/api/jobs/${job.id}/curve`, {})
    for (const job of curved)
      while ((await ask<CurveRecord>(`/api/jobs/${job.id}/curve`)).state !== 'ready') await pause(500)
    await page.goto(`/balance?job=${second[3]!.id}`)
    await page.getByRole('slider').scrollIntoViewIfNeeded()
    await shoot('curve')
    const { jobs: interviews } = await draft(
      ['web-mp4', 'open-web-mp4'].flatMap(key => [
        ['Fog-signal interview 2', key] as [string, string],
        ['Fog-signal interview 3', key] as [string, string],
      ]),
    )
    await until(jobs => jobs.every(job => job.forecast || job.state === 'done'))
    // Lots that can be done in several ways, for less room than the best of all takes.
    const { jobs: ways } = await draft([
      ...['Weather watch', 'Harbour inspection', 'approach'].flatMap(name =>
        ['web-mp4', 'open-web-mp4', 'archive-master'].map(key => [name, key] as [string, string]),
      ),
      ['Fog-signal interview 2', 'archive-master'],
      ['Fog-signal interview 3', 'archive-master'],
    ])
    await until(jobs => jobs.every(job => job.forecast || job.state === 'done'))
    await page.goto('/balance/ways')
    for (const name of ['Playback box MP4', 'Editing master MOV', 'Open web WebM', 'Small MP4'])
      await page.getByRole('checkbox', { name }).uncheck()
    await page.getByLabel('room (GB)').fill('0.12')
    await page.getByLabel('room (GB)').blur()
    await page.waitForTimeout(4000)
    await shoot('ways')
    await page.goto(`/balance?job=${interviews[0]!.id}`)
    const lotCurve = `/api/jobs/${interviews[0]!.id}/lot-curve`
    await ask(lotCurve, {})
    while ((await ask<LotCurveRecord>(lotCurve)).measured === 0) await pause(500)
    await page.getByLabel('All of it under, in MB').fill('0.9')
    await page.getByText('XPSNR against the treated picture').scrollIntoViewIfNeeded()
    await shoot('lot')
    await ask('/api/jobs/actions', { ids: [...interviews, ...ways].map(job => job.id), action: 'remove' })
    await release(second.slice(0, 3))
    await until(jobs => jobs.some(job => (job.progress?.part ?? 0) > 0.2))
    await shoot('balance', `/balance?job=${second[3]!.id}`)
    await release(second.slice(3, 5))
    await shoot('shift', '/shift')
    // Hours as a station has them; what runs for these pictures goes on.
    const nights = [
      { days: [1, 2, 3, 4, 5], from: '19:00', to: '07:00' },
      { days: [6, 7], from: '00:00', to: '00:00' },
    ]
    const { timeZone: zone } = Intl.DateTimeFormat().resolvedOptions()
    const workOnUntil = new Date(Date.now() + 24 * 3600_000).toISOString()
    await ask('/api/working-hours', { hours: { zone, spans: nights }, workOnUntil }, 'PATCH')
    await shoot('equipment', '/equipment')
    await ask('/api/working-hours', { hours: null, workOnUntil: null }, 'PATCH')
    await shoot('library', '/library?spec=archive-master')
    await page.goto('/library?spec=small-mkv')
    await page.getByRole('button', { name: 'Copy', exact: true }).click()
    await page.getByText('Fine settings').click()
    await page.getByText('Times and sizes were measured').scrollIntoViewIfNeeded()
    await shoot('spec')
    // Enough short jobs that they say something of their forecasts.
    const { jobs: short } = await draft(
      ['playback-box', 'web-mp4', 'archive-master', 'editing-master', 'small-mkv', 'mail-mp4'].flatMap(key =>
        ['Fog-signal interview 1', 'Fog-signal interview 2', 'Fog-signal interview 3', 'Harbour log'].map(
          name => [name, key] as [string, string],
        ),
      ),
    )
    const ofShort = (jobs: JobRecord[]) => jobs.filter(job => short.some(({ id }) => id === job.id))
    await until(jobs => ofShort(jobs).every(job => job.forecast))
    await release(short)
    // Frames that are still to be rendered, with a test at half the size.
    await ask('/api/scans', { orderId: 1, volumeId: 1, path: demoNames.reduced, frameRate: { num: 24, den: 1 } })
    const isReduced = ({ relativePath }: SourceRow) => relativePath.startsWith(demoNames.reduced)
    while (!(await readSources()).some(source => isReduced(source) && source.measureState === 'ready')) await pause(500)
    const half = (await readSources()).find(isReduced)!
    const { jobs: reduced } = await ask<{ jobs: JobRecord[] }>('/api/jobs', {
      deliveryVolumeId: 3,
      wishes: [{ sourceId: half.id, specKey: 'playback-box' }],
    })
    const enlarged: Step = { kind: 'learned', network: 'drawn', size: 'fast', times: 2, strength: 100 }
    await ask(`/api/jobs/${reduced[0]!.id}/steps`, { step: enlarged })
    await draft([['approach', 'playback-box']])
    await until(jobs => jobs.filter(job => job.state === 'draft').every(job => job.forecast))
    await page.goto('/balance/renders')
    const renders = page.getByRole('form', { name: 'Frames that are still to be rendered' })
    for (const [label, name] of [
      ['Test as wanted', /^Approach render\/.*Playback box/],
      ['Test of the reduced', /^Approach render, half size.*Playback box/],
    ] as const) {
      await renders.getByLabel(label).press('Enter')
      await page.getByRole('option', { name }).first().press('Enter')
    }
    await page.getByRole('button', { name: 'Compare the treated frames' }).click()
    // Every frame of the test is enlarged again by the network.
    await page.getByText(/^48 treated frames of the reduced test/).waitFor({ timeout: 600_000 })
    await shoot('renders')
    // A second order, which comes late and is due soon.
    const soon = new Date(Date.now() + 4 * 60_000).toISOString()
    const other = await ask<OrderRecord>('/api/orders', {
      ...{ code: 'SL-015', name: 'Fog-signal reels', dueAt: soon, lateWeight: 3 },
    })
    await ask('/api/scans', { orderId: other.id, volumeId: 1, path: '' })
    const names = ['Weather watch', 'Fog-signal interview 1', 'Fog-signal interview 2', 'Harbour inspection']
    let theirs: SourceRow[] = []
    while (!names.every(name => theirs.some(source => source.name.startsWith(name) && source.state === 'ready'))) {
      await pause(500)
      theirs = await readSources(other.id)
    }
    const { jobs: rush } = await draft(
      names.map(name => [name, 'small-mp4']),
      theirs,
    )
    await until(jobs => jobs.every(job => job.forecast), other.id)
    await release(rush)
    await page.goto('/balance/orders')
    // The archive that is announced cannot be done as asked.
    await page.getByLabel(/count \d+ announced/).check()
    await page.waitForTimeout(1000)
    await page.getByText('being worked out').waitFor({ state: 'hidden' })
    await page.waitForTimeout(1000)
    await shoot('orders')
    await until(jobs => ofShort(jobs).every(job => job.state === 'done'))
    await page.evaluate('localStorage.setItem("hematine-theme", "light")')
    await shoot('forecasts', '/equipment/forecasts')
  } finally {
    await browser.close()
    await running.stop()
  }
}
