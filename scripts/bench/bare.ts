import { rm } from 'node:fs/promises'
import { constants, setPriority } from 'node:os'
import { deriveTreatment, hasSoundUnit, pictureSpecs, type Step } from '@hematine/core'
import { deliver, makeSegment, makeSound, readFacts, setUpLibraries, transcode, type MediaInput } from '@hematine/media'

/**
 * The bare script: the same libraries, settings and file as a job, in a plain process without database, queue, progress or supervision. It says what it took in
 * seconds of the clock and of the processor: "encode" is treating and encoding alone, "whole" has all that a job is checked by, "segment 2 of 5" makes one,
 * "sound" all of it, and "join 5" a result of all these, which it is checked by as well; what it says of itself is how long joining took.
 */
const [source, specKey, outputPath, what, steps] = process.argv.slice(2) as [string, string, string, string, string]
setPriority(constants.priority.PRIORITY_BELOW_NORMAL)
setUpLibraries()
const input: MediaInput = { kind: 'file', path: source }
const facts = await readFacts(input)
const spec = pictureSpecs.find(entry => entry.key === specKey)!
const treatment = deriveTreatment(facts, spec, JSON.parse(steps) as Step[])
const plan = { input, facts, treatment, spec, outputPath }
const gate = { turn: async () => undefined }
const [begun, before] = [performance.now(), process.cpuUsage()]
const [kind, first, , count] = what.split(' ')
const { frameCount } = treatment.result
const segmentsIn = (parts: number) =>
  Array.from({ length: parts }, (_, index) => {
    const begin = (place: number) => Math.round((place * frameCount) / parts)
    const frames = index + 1 < parts ? begin(index + 1) - begin(index) : null
    return { firstFrame: begin(index), frames, path: `${outputPath}.${index}` }
  })
const sound = hasSoundUnit({ spec, treatment }, facts) ? `${outputPath}.sound` : null
let kept: unknown = null
if (kind === 'encode') await transcode({ ...plan, isProved: false }, gate, () => undefined)
else if (kind === 'segment') {
  const segment = segmentsIn(Number(count))[Number(first)]!
  await makeSegment({ ...plan, segment, path: segment.path }, gate, () => undefined)
} else if (kind === 'sound') {
  if (sound) await makeSound({ ...plan, path: sound }, gate, () => undefined)
} else {
  const made = kind === 'join' ? { made: { segments: segmentsIn(Number(first)), sound } } : {}
  let encoded = 0
  const { bytes, xpsnr } = await deliver({ ...plan, ...made }, gate, ({ stage }) => {
    if (stage === 'encode') encoded = performance.now()
  })
  kept = { bytes, xpsnr: xpsnr?.mean ?? null, encodeSeconds: (encoded - begun) / 1000 }
}
const { user, system } = process.cpuUsage(before)
console.log(
  JSON.stringify({ seconds: (performance.now() - begun) / 1000, processorSeconds: (user + system) / 1e6, kept }),
)
await rm(outputPath, { force: true })
process.exit(0)
