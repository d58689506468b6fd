import { mkdirSync, readdirSync, rmSync } from 'node:fs'
import { cpus } from 'node:os'
import path from 'node:path'
import { readSettings, type JobRecord, type SourceRow, type VolumeRecord } from '@hematine/core'
import { ownVolumes } from '@hematine/demo'
import sharp from 'sharp'
import { askerOf } from '../lib/asker.ts'
import { temporaryDirectory } from '../lib/bootstrap.mjs'
import { build } from '../lib/build.ts'
import { freePort } from '../lib/cluster.ts'
import { run, type Running } from '../lib/run.ts'

const [width, height] = [1600, 1200]
const spec = 'still-web'
const pause = (milliseconds: number) => new Promise(resolve => setTimeout(resolve, milliseconds))

/** Drawn stills, no two alike: a sky, a hill, and grain that a coder has to work for. Names that end in numbers would make them a sequence. */
async function drawStills(directory: string, count: number): Promise<void> {
  mkdirSync(directory, { recursive: true })
  const grain = Uint8Array.from({ length: width * height }, (_, index) => ((index * 2_654_435_761) >>> 26) + 96)
  for (let index = 0; index < count; index++) {
    const hill = Buffer.from(
      `<svg width="${width}" height="${height}"><rect width="100%" height="100%" fill="hsl(${(index * 37) % 360},40%,60%)"/><path d="M0 900 Q ${400 + (index % 50) * 16} 300 1600 800 V 1200 H 0 Z" fill="hsl(${(index * 91) % 360},30%,30%)"/></svg>`,
    )
    await sharp(grain, { raw: { width, height, channels: 1 } })
      .toColourspace('srgb')
      .composite([{ input: hill, blend: 'overlay' }])
      .removeAlpha()
      .png({ compressionLevel: 1 })
      .toFile(path.join(directory, `plate ${String(index).padStart(5, '0')} recto.png`))
  }
}

/** Seconds that the library takes by itself, as many at a time as there are cores. */
async function alone(directory: string, output: string): Promise<number> {
  mkdirSync(output)
  const left = readdirSync(directory)
  const begun = performance.now()
  const take = async () => {
    for (let name = left.pop(); name; name = left.pop())
      await sharp(path.join(directory, name))
        .jpeg({ quality: 85 })
        .toFile(path.join(output, `${name}.jpg`))
  }
  await Promise.all(cpus().map(take))
  return (performance.now() - begun) / 1000
}

/** `npm run bench:stills [-- HOW MANY]`. Ends with an error unless every still is delivered and passes. */
export async function benchStills(count: number): Promise<void> {
  await build()
  const directory = temporaryDirectory('hematine-bench-stills-')
  const dataDirectory = path.join(directory, 'data')
  let running: Running | null = null
  try {
    const { source } = ownVolumes(dataDirectory)
    await drawStills(path.join(source, 'plates'), count)
    const library = await alone(path.join(source, 'plates'), path.join(directory, 'alone'))
    running = await run({
      empty: true,
      dataDirectory,
      settings: readSettings({ HEMATINE_PORT: String(await freePort()), HEMATINE_LOG_LEVEL: 'warn' }),
      lasting: true,
      say: () => undefined,
    })
    const ask = askerOf(running)
    console.log(
      `Machine: ${cpus()[0]!.model.trim()}, ${cpus().length} cores, Node.js ${process.versions.node}; ${count} stills of ${width}x${height}, PNG to JPEG`,
    )
    const begun = performance.now()
    await ask('/api/scans', { orderId: 1, volumeId: 1, path: 'plates' })
    for (;;) {
      const counts = await ask<{ all: number; reading: number }>('/api/source-counts?orderId=1')
      if (counts.all === count && counts.reading === 0) break
      await pause(200)
    }
    const read = performance.now()
    const { rows } = await ask<{ rows: SourceRow[] }>('/api/sources?orderId=1&limit=500')
    const delivery = (await ask<VolumeRecord[]>('/api/volumes')).find(volume => volume.role === 'delivery')!
    await ask('/api/jobs', {
      deliveryVolumeId: delivery.id,
      wishes: rows.map(({ id }) => ({ sourceId: id, specKey: spec })),
    })
    const list = () => ask<{ total: number; jobs: JobRecord[] }>('/api/jobs?orderId=1&limit=500')
    const drafts = await ask<number[]>('/api/job-ids?orderId=1')
    await ask('/api/jobs/actions', { ids: drafts, action: 'release' })
    const released = performance.now()
    let jobs = (await list()).jobs
    const isOver = (job: JobRecord) => ['done', 'failed', 'cancelled'].includes(job.state)
    while (!jobs.every(isOver)) {
      await pause(1000)
      jobs = (await list()).jobs
    }
    const end = performance.now()
    const passed = jobs.filter(job => job.verdict === 'pass').length
    const [reading, doing] = [(read - begun) / 1000, (end - released) / 1000]
    console.log(
      `Brought in and read: ${reading.toFixed(1)} s. Treated, encoded, checked and placed: ${doing.toFixed(1)} s, ${(doing / count).toFixed(2)} s each; ${passed} of ${count} pass.`,
    )
    console.log(
      `The still-image library alone, without a check or a place: ${library.toFixed(1)} s, ${(library / count).toFixed(3)} s each; ${(doing / library).toFixed(1)} times that.`,
    )
    if (passed !== count) process.exitCode = 1
  } finally {
    await running?.stop()
    rmSync(directory, { recursive: true, force: true })
  }
}
