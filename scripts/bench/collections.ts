import { rmSync } from 'node:fs'
import path from 'node:path'
import { constants, PerformanceObserver, type NodeGCPerformanceDetail, type PerformanceEntry } from 'node:perf_hooks'
import { setFlagsFromString } from 'node:v8'
import { deriveTreatment, judge, pictureSpecs } from '@hematine/core'
import { writeClip } from '@hematine/demo/write-clip'
import { deliver, readFacts, setUpLibraries } from '@hematine/media'
import { temporaryDirectory } from '../lib/bootstrap.mjs'

/** Jobs in a row done one way; the first is not counted, as it begins with what the other way left. */
const jobs = 3
const rounds = 3

/** The engine's own growth of the heap, and that of processes that work with the libraries. */
const ways = {
  'by itself': () => setFlagsFromString('--heap-growing-percent=0'),
  'as it is done': setUpLibraries,
}

const median = (values: number[]) => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)]!

/** `npm run bench:collections`. Ends with an error when a job does not pass its check. */
export async function benchCollections(): Promise<void> {
  setUpLibraries()
  const directory = temporaryDirectory('hematine-bench-collections-')
  let collections = 0
  const observer = new PerformanceObserver(list => {
    for (const entry of list.getEntries() as (PerformanceEntry & { detail?: NodeGCPerformanceDetail })[])
      if (entry.detail?.kind === constants.NODE_PERFORMANCE_GC_MAJOR) collections++
  })
  observer.observe({ entryTypes: ['gc'] })
  try {
    const spec = pictureSpecs.find(({ key }) => key === 'small-mp4')!
    const quick = { ...spec, video: { ...spec.video, effort: 'ultrafast' } }
    console.log(
      `Jobs from reading to the check, median of ${rounds * (jobs - 1)}: processor seconds, collections of the whole heap`,
    )
    console.log(['', 'frames', ...Object.keys(ways)].map(text => text.padEnd(20)).join(''))
    for (const [size, seconds] of [
      ['720x576', 8],
      ['1920x1080', 3],
    ] as const) {
      const file = path.join(directory, `${size}.mkv`)
      await writeClip({
        path: file,
        format: 'matroska',
        video: { encoder: 'ffvhuff', filters: `testsrc2=s=${size}:r=25:d=${seconds},format=yuv420p,setsar=1` },
        audio: [],
      })
      const input = { kind: 'file', path: file } as const
      const facts = await readFacts(input)
      const own = {
        ...quick,
        video: { ...quick.video, frame: { ...quick.video.frame, maxWidth: 4096, maxHeight: 4096 } },
      }
      const treatment = deriveTreatment(facts, own, [])
      const taken: Record<string, { seconds: number; collections: number }[]> = {}
      for (let round = 0; round < rounds; round++)
        for (const [way, set] of Object.entries(ways)) {
          set()
          for (let job = 0; job < jobs; job++) {
            const outputPath = path.join(directory, `${size}-${way}-${round}-${job}.mp4`)
            const [before, begun] = [collections, process.cpuUsage()]
            const plan = { input, facts, treatment, spec: own, outputPath }
            const measured = await deliver(plan, { turn: async () => undefined }, () => undefined)
            const { user, system } = process.cpuUsage(begun)
            const { verdict } = judge(measured, own, treatment, { facts, findings: [] })
            if (verdict === 'fail') throw new Error(`${outputPath} does not pass its check.`)
            rmSync(outputPath)
            // What was collected is told a moment later.
            await new Promise(resolve => setTimeout(resolve, 50))
            if (job > 0) (taken[way] ??= []).push({ seconds: (user + system) / 1e6, collections: collections - before })
          }
        }
      const row = Object.keys(ways).map(way => {
        const all = taken[way]!
        return `${median(all.map(job => job.seconds)).toFixed(2)} s, ${median(all.map(job => job.collections))}`
      })
      console.log([`H.264 ${size}`, String(seconds * 25), ...row].map(text => text.padEnd(20)).join(''))
    }
  } finally {
    observer.disconnect()
    rmSync(directory, { recursive: true, force: true })
  }
}
