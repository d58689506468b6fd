import { rm } from 'node:fs/promises'
import { constants, setPriority } from 'node:os'
import { pictureSpecs, deriveTreatment, type Step } from '@hematine/core'
import { deliver, readFacts, silenceLibraries, transcode, type MediaInput } from '@hematine/media'

/**
 * The bare script: the same libraries, settings and file as a job, in a plain process without database, queue, progress or supervision. It says what it took in
 * seconds of the clock and of the processor, in "encode" of treating and encoding alone, in "whole" with all that a job is checked by.
 */
const [source, specKey, outputPath, what, steps] = process.argv.slice(2) as [string, string, string, string, string]
setPriority(constants.priority.PRIORITY_BELOW_NORMAL)
silenceLibraries()
const input: MediaInput = { kind: 'file', path: source }
const facts = await readFacts(input)
const spec = pictureSpecs.find(entry => entry.key === specKey)!
const treatment = deriveTreatment(facts, spec, JSON.parse(steps) as Step[])
const plan = { input, facts, treatment, spec, outputPath }
const gate = { turn: async () => undefined }
const [begun, before] = [performance.now(), process.cpuUsage()]
await (what === 'encode'
  ? transcode({ ...plan, isProved: false }, gate, () => undefined)
  : deliver(plan, gate, () => undefined))
const { user, system } = process.cpuUsage(before)
console.log(JSON.stringify({ seconds: (performance.now() - begun) / 1000, processorSeconds: (user + system) / 1e6 }))
await rm(outputPath)
process.exit(0)
