import { copyFileSync, existsSync, mkdirSync, readdirSync, rmSync, statSync } from 'node:fs'
import path from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import { readSettings, type JobRecord, type SourceRow } from '@hematine/core'
import { ownVolumes } from '@hematine/demo'
import { askerOf } from '../lib/asker.ts'
import { SetUpProblem, temporaryDirectory } from '../lib/bootstrap.mjs'
import { build } from '../lib/build.ts'
import { freePort } from '../lib/cluster.ts'
import { run } from '../lib/run.ts'

/** An installation in which every source is drafted with some specs, and each draft was measured. */
export interface MeasuredClips {
  ask: ReturnType<typeof askerOf>
  jobs(): Promise<JobRecord[]>
  databaseUrl: string
}

/**
 * Runs an installation of its own with the clips of a folder, or the demo's, for as long as something is done with it.
 * @param directory with clips; the demo's without one
 * @param specs with which each source is drafted
 * @throws SetUpProblem when there is no such directory
 */
export async function withMeasuredClips(
  directory: string | undefined,
  { specs, lanes = '1' }: { specs: readonly string[]; lanes?: string },
  work: (clips: MeasuredClips) => Promise<void>,
): Promise<void> {
  if (directory !== undefined && !existsSync(directory)) throw new SetUpProblem(`There is no directory ${directory}.`)
  await build()
  const temporary = temporaryDirectory('hematine-bench-clips-')
  const dataDirectory = path.join(temporary, 'data')
  if (directory !== undefined) {
    const { source } = ownVolumes(dataDirectory)
    mkdirSync(source, { recursive: true })
    for (const name of readdirSync(directory).filter(entry => statSync(path.join(directory, entry)).isFile()))
      copyFileSync(path.join(directory, name), path.join(source, name))
  }
  const running = await run({
    empty: directory !== undefined,
    dataDirectory,
    settings: readSettings({
      HEMATINE_PORT: String(await freePort()),
      HEMATINE_LOG_LEVEL: 'error',
      HEMATINE_LANES: lanes,
    }),
    lasting: false,
    say: () => undefined,
  })
  const ask = askerOf(running)
  const jobs = async () => (await ask<{ jobs: JobRecord[] }>('/api/jobs?orderId=1&limit=500')).jobs
  try {
    if (directory !== undefined) {
      await ask('/api/scans', { orderId: 1, volumeId: 1, path: '' })
      while ((await ask<{ state: string }[]>('/api/scans?orderId=1')).some(({ state }) => state !== 'done'))
        await pause(500)
    }
    let sources: SourceRow[] = []
    do {
      await pause(500)
      sources = (await ask<{ rows: SourceRow[] }>('/api/sources?orderId=1&limit=500')).rows
    } while (
      sources.some(entry => entry.state === 'reading' || ['waiting', 'measuring'].includes(entry.measureState ?? ''))
    )
    const delivery = (await ask<{ id: number; role: string }[]>('/api/volumes')).find(
      volume => volume.role === 'delivery',
    )!
    for (const { id } of sources.filter(({ state }) => state === 'ready'))
      for (const specKey of specs)
        // What a spec is not for is refused, and is not of this batch.
        await ask('/api/jobs', { deliveryVolumeId: delivery.id, wishes: [{ sourceId: id, specKey }] }).catch(
          () => undefined,
        )
    while ((await jobs()).some(job => job.sampleState !== 'ready' && job.sampleState !== 'failed')) await pause(1000)
    await work({ ask, jobs, databaseUrl: running.databaseUrl })
  } finally {
    await running.stop()
    rmSync(temporary, { recursive: true, force: true })
  }
}
