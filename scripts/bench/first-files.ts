import { copyFileSync, mkdirSync, readdirSync, rmSync, statSync } from 'node:fs'
import { cpus } from 'node:os'
import path from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import { describeBytes, readSettings } from '@hematine/core'
import { ownVolumes } from '@hematine/demo'
import { writeClip } from '@hematine/demo/write-clip'
import { setUpLibraries } from '@hematine/media'
import { temporaryDirectory } from '../lib/bootstrap.mjs'
import { build } from '../lib/build.ts'
import { freePort } from '../lib/cluster.ts'
import type { SourceCounts } from '../../apps/web/shared/api.ts'
import { run, type Running } from '../lib/run.ts'

const fileCount = 50

/** How quickly the first fifty files of a folder are there with their facts, a large one among them, in an application that is up. */
export async function benchFirstFiles(folder: string): Promise<void> {
  await build()
  setUpLibraries()
  const directory = temporaryDirectory('hematine-first-files-')
  const dataDirectory = path.join(directory, 'data')
  let running: Running | null = null
  try {
    const place = path.join(ownVolumes(dataDirectory).source, 'folder')
    mkdirSync(place, { recursive: true })
    const files = readdirSync(folder).filter(name => statSync(path.join(folder, name)).isFile())
    if (files.length === 0) throw new Error(`${folder} holds no file.`)
    // A folder of fewer files gives some of them again, under another name.
    for (let index = 0; index < fileCount - 1; index++)
      copyFileSync(
        path.join(folder, files[index % files.length]!),
        path.join(place, `${Math.floor(index / files.length)} ${files[index % files.length]!}`),
      )
    // Two hundred uncompressed frames: 622 MB.
    const large = path.join(place, '0 large.mkv')
    await writeClip({
      path: large,
      format: 'matroska',
      video: { encoder: 'rawvideo', filters: 'testsrc2=s=1920x1080:r=25:d=8,format=yuv420p,setsar=1' },
      audio: [],
    })
    running = await run({
      empty: true,
      dataDirectory,
      settings: readSettings({ HEMATINE_PORT: String(await freePort()), HEMATINE_LOG_LEVEL: 'warn' }),
      lasting: true,
      say: () => undefined,
    })
    const { address } = running
    console.log(`Machine: ${cpus()[0]!.model.trim()}, ${cpus().length} cores, Node.js ${process.versions.node}`)
    // An application that somebody works with, not one that is still beginning.
    while (((await (await fetch(`${address}/api/workers`)).json()) as unknown[]).length === 0) await pause(100)
    await pause(2000)
    const begun = performance.now()
    const since = () => (performance.now() - begun) / 1000
    await fetch(`${address}/api/scans`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ orderId: 1, volumeId: 1, path: 'folder' }),
    })
    let first = 0
    let small = 0
    for (;;) {
      // Asked by numbers alone, so that the asking costs little of what is measured.
      const counts = (await (await fetch(`${address}/api/source-counts?orderId=1`)).json()) as SourceCounts
      const read = counts.all - counts.reading
      if (first === 0 && read > 0) first = since()
      if (small === 0 && read >= fileCount - 1) small = since()
      if (read === fileCount) break
      if (since() > 300) throw new Error(`After five minutes ${read} of ${fileCount} are there.`)
      await pause(50)
    }
    const seconds = since()
    console.log(
      `${fileCount} files, one of ${describeBytes(statSync(large).size)}: the first is there after ${first.toFixed(2)} s, 49 after ${small.toFixed(2)} s, all after ${seconds.toFixed(2)} s: ${(fileCount / seconds).toFixed(1)} files a second, ${((fileCount - 1) / (seconds - first)).toFixed(1)} from the first on (aim: 25)`,
    )
  } finally {
    await running?.stop()
    rmSync(directory, { recursive: true, force: true })
  }
}
