import { stat } from 'node:fs/promises'
import { constants, setPriority } from 'node:os'
import { pictureSpecs, deriveTreatment } from '@hematine/core'
import { measureResult, readFacts, silenceLibraries, transcode, type MediaInput } from '@hematine/media'

/** The bare script: the same libraries, settings and file as a job, in a plain process without database, queue, progress or supervision. */
const [source, specKey, outputPath] = process.argv.slice(2) as [string, string, string]
setPriority(constants.priority.PRIORITY_BELOW_NORMAL)
silenceLibraries()
const input: MediaInput = { kind: 'file', path: source }
const spec = pictureSpecs.find(entry => entry.key === specKey)!
const facts = await readFacts(input)
const plan = { input, facts, treatment: deriveTreatment(facts, spec), spec, outputPath }
const gate = { turn: async () => undefined }
await transcode(plan, gate, () => undefined)
await measureResult(plan, gate, () => undefined)
console.log((await stat(outputPath)).size)
process.exit(0)
