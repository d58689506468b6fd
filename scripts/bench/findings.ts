import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import {
  findingNames,
  findingsOf,
  FindingKey,
  middle,
  type Finding,
  type Measurement,
  type SourceFacts,
} from '@hematine/core'
import { measureSource, readFacts, setUpLibraries } from '@hematine/media'
import { lookFaults, makeFaultyClip, soundFaults, structureFaults, type FaultyClip } from '@hematine/demo/faulty-clips'
import type { BackdropKind } from '@hematine/demo/backdrops'
import { lookedAtFiles } from './looked-at.ts'
import { projectDirectory, SetUpProblem, temporaryDirectory } from '../lib/bootstrap.mjs'

/** The sets are apart by seed, and the judging set draws on kinds of picture that the rules never saw while they were set. */
const sets: Record<string, { firstSeed: number; kinds: BackdropKind[] }> = {
  tuning: { firstSeed: 1000, kinds: ['sea', 'shapes', 'stone'] },
  judging: { firstSeed: 12_000, kinds: ['sea', 'shapes', 'stone', 'harbour', 'page'] },
  clean: { firstSeed: 40_000, kinds: ['sea', 'shapes', 'stone', 'harbour', 'page'] },
}
const clipCount = 66
const cleanCount = 30
const stands: Record<string, string[]> = {
  structure: Object.keys(structureFaults),
  look: Object.keys(lookFaults),
  sound: Object.keys(soundFaults),
}
/** Looks that bring a coding of their own, and flicker, which fields would average out, go with structures that need none. */
const plainStructures = ['none', 'borders', 'black start', 'every second frame repeated']

/** Findings that no clip is made for: what is merely told, and what follows from the files of a disc or a sequence. */
const notJudged: FindingKey[] = ['loudness', 'aspect', 'unreadable', 'missing-frames', 'kind', 'jumps', 'size-change']

type Judged = Pick<FaultyClip, 'name' | 'has' | 'open' | 'cuts'>
interface Tally {
  hits: number
  misses: string[]
  falseAlarms: string[]
  silent: number
}

function wishFor(index: number): Parameters<typeof makeFaultyClip>[3] {
  const look = stands.look![index % stands.look!.length]!
  const coded = lookFaults[look]!.video !== undefined || lookFaults[look]!.harm !== undefined || look === 'flicker'
  const structures = coded ? plainStructures : stands.structure!
  const round = Math.floor(index / stands.look!.length)
  return {
    structure: structures[(index + round * 3) % structures.length]!,
    look,
    sound: stands.sound![(index * 3 + round) % stands.sound!.length]!,
    seconds: index % 2 === 0 ? 9.6 : 14.4,
  }
}

/** Cuts are judged by their places: each that lies in what was measured must be found, and nothing else. */
function judgeCuts(
  clip: Judged,
  measurement: Measurement,
  found: readonly Finding[],
): { expected: boolean; right: boolean } {
  const windows = measurement.picture!.windows
  const frame = 1 / measurement.picture!.framesPerSecond
  const inside = clip.cuts.filter(seconds =>
    windows.some(({ seconds: times }) => seconds > times[0]! + frame && seconds < times.at(-1)! - frame),
  )
  const places = found.find(entry => entry.key === 'cuts')?.places ?? []
  const near = (a: number, b: number) => Math.abs(a - b) < frame * 2.5
  return {
    expected: inside.length > 0,
    right:
      inside.every(cut => places.some(place => near(place.seconds, cut))) &&
      places.every(place => clip.cuts.some(cut => near(place.seconds, cut))),
  }
}

function judge(
  clip: Judged,
  measurement: Measurement,
  found: readonly Finding[],
  tallies: Map<FindingKey, Tally>,
): void {
  for (const key of FindingKey.options) {
    // Progressive material has a scan as well; only what is said of faults and of combing is judged here.
    const present = found.some(entry => entry.key === key && (key !== 'scan' || entry.data?.scan !== 'progressive'))
    if (clip.open.includes(key) || notJudged.includes(key)) continue
    const tally = tallies.get(key) ?? { hits: 0, misses: [], falseAlarms: [], silent: 0 }
    tallies.set(key, tally)
    const cut = key === 'cuts' ? judgeCuts(clip, measurement, found) : null
    const expected = cut ? cut.expected : clip.has.includes(key)
    const right = cut ? cut.right : present === expected
    const says = found.find(entry => entry.key === key)?.says
    if (right && expected) tally.hits++
    else if (right) tally.silent++
    else if (expected) tally.misses.push(clip.name)
    else tally.falseAlarms.push(`${clip.name}: ${says}`)
  }
}

async function measure(file: string) {
  return measureSource({ kind: 'file', path: file }, await readFacts({ kind: 'file', path: file }), 'sampled', {
    turn: async () => undefined,
  })
}

/** Real files, against what a person saw in them. Cuts were not noted down and are not judged. */
async function runReal(directory: string): Promise<{ tallies: Map<FindingKey, Tally>; costs: number[] }> {
  if (!existsSync(directory))
    throw new SetUpProblem(`${directory} is not there. Give the folder of the real files after "real".`)
  const files = await lookedAtFiles(directory)
  if (files.length === 0) throw new SetUpProblem(`None of the files below ${directory} is one of those with labels.`)
  const tallies = new Map<FindingKey, Tally>()
  const costs: number[] = []
  for (const { file, has, open } of files) {
    const { facts, measurement } = await measure(file)
    costs.push(measurement.tookSeconds)
    judge(
      { name: path.basename(file), has, open: [...open, 'cuts'], cuts: [] },
      measurement,
      findingsOf(facts, measurement),
      tallies,
    )
    process.stderr.write('.')
  }
  process.stderr.write('\n')
  return { tallies, costs }
}

async function runSet(
  name: string,
  numbers: readonly number[],
  directory: string,
  keep: string | null,
): Promise<{ tallies: Map<FindingKey, Tally>; costs: number[] }> {
  const { firstSeed, kinds } = sets[name]!
  const tallies = new Map<FindingKey, Tally>()
  const costs: number[] = []
  const kept: unknown[] = []
  const waiting = [...numbers]
  await Promise.all(
    [0, 1].map(async lane => {
      const own = path.join(directory, String(lane))
      for (let index = waiting.shift(); index !== undefined; index = waiting.shift()) {
        mkdirSync(own, { recursive: true })
        const clip = await makeFaultyClip(
          own,
          firstSeed + index,
          kinds,
          name === 'clean'
            ? { structure: 'none', look: 'none', sound: 'none', seconds: index % 2 === 0 ? 9.6 : 14.4 }
            : wishFor(index),
        )
        const { facts, measurement } = await measure(clip.path)
        costs.push(measurement.tookSeconds)
        judge(clip, measurement, findingsOf(facts, measurement), tallies)
        kept.push({ index, clip, facts, measurement })
        rmSync(own, { recursive: true, force: true })
        process.stderr.write('.')
      }
    }),
  )
  process.stderr.write('\n')
  if (keep) writeFileSync(keep, JSON.stringify(kept))
  return { tallies, costs }
}

/** Judges clips whose raw measurements were kept by an earlier run: what the rules of today make of them. */
function judgeKept(file: string): { tallies: Map<FindingKey, Tally>; costs: number[] } {
  const kept = JSON.parse(readFileSync(file, 'utf8')) as {
    clip: FaultyClip
    facts: SourceFacts
    measurement: Measurement
  }[]
  const tallies = new Map<FindingKey, Tally>()
  for (const { clip, facts, measurement } of kept) judge(clip, measurement, findingsOf(facts, measurement), tallies)
  return { tallies, costs: kept.map(({ measurement }) => measurement.tookSeconds) }
}

function table(tallies: Map<FindingKey, Tally>): string {
  const percent = (part: number, of: number) => (of === 0 ? '-' : `${((100 * part) / of).toFixed(0)} %`)
  const rows = [...tallies]
    .sort(([a], [b]) => FindingKey.options.indexOf(a) - FindingKey.options.indexOf(b))
    .map(([key, { hits, misses, falseAlarms, silent }]) => {
      const [withFault, without] = [hits + misses.length, silent + falseAlarms.length]
      return `| ${findingNames[key]} | ${withFault} | ${hits} | ${misses.length} | ${percent(hits, withFault)} | ${without} | ${falseAlarms.length} | ${percent(falseAlarms.length, without)} |`
    })
  return [
    '| finding | clips with it | found | missed | found of those | clips without | false alarms | of those |',
    '|---|---|---|---|---|---|---|---|',
    ...rows,
  ].join('\n')
}

function percentOf(part: number, of: number, digits = 1): string {
  return of === 0 ? 'none to find' : `${((100 * part) / of).toFixed(digits)} %`
}

/** Takes an option with a value out of the words. */
function optionOf(words: string[], name: string): string | null {
  const at = words.indexOf(name)
  return at < 0 ? null : (words.splice(at, 2)[1] ?? null)
}

/**
 * Makes clips with known faults, measures them and prints what the rules find and miss. Words: "judging" (unless said), "tuning" or "clean" (clips
 * without a fault), and single clip numbers; or "real" and the folder of the labelled files. --keep FILE keeps the raw measurements, --from FILE
 * judges kept ones again. The judging set as a whole is written to docs/findings.md.
 */
export async function benchFindings(given: readonly string[]): Promise<void> {
  const words = [...given]
  const [keep, from] = [optionOf(words, '--keep'), optionOf(words, '--from')]
  const name = words.find(word => !/^\d+$/.test(word)) ?? 'judging'
  const folder = name === 'real' ? (words[words.indexOf('real') + 1] ?? '') : null
  if (folder === null && !sets[name])
    throw new SetUpProblem(`There is no set ${name}. Sets: ${Object.keys(sets).join(', ')}, real FOLDER.`)
  const chosen = words.filter(word => /^\d+$/.test(word)).map(Number)
  setUpLibraries()
  const directory = temporaryDirectory('hematine-findings-')
  try {
    const { tallies, costs } = from
      ? judgeKept(from)
      : folder !== null
        ? await runReal(folder)
        : await runSet(
            name,
            chosen.length > 0
              ? chosen
              : Array.from({ length: name === 'clean' ? cleanCount : clipCount }, (_, index) => index),
            directory,
            keep,
          )
    console.log(`\n${table(tallies)}\n`)
    for (const [key, tally] of tallies) {
      for (const miss of tally.misses) console.log(`missed ${key}: ${miss}`)
      for (const alarm of tally.falseAlarms) console.log(`false alarm ${key}: ${alarm}`)
    }
    const sum = (pick: (tally: Tally) => number) =>
      [...tallies.values()].reduce((total, tally) => total + pick(tally), 0)
    const [hits, misses, alarms, silent] = [
      sum(tally => tally.hits),
      sum(tally => tally.misses.length),
      sum(tally => tally.falseAlarms.length),
      sum(tally => tally.silent),
    ]
    const summary = `${hits} of ${hits + misses} faults found (${percentOf(hits, hits + misses)}), ${alarms} false alarms in ${alarms + silent} chances (${percentOf(alarms, alarms + silent, 2)}); of what was reported ${percentOf(hits, hits + alarms)} was there. Measuring a clip took ${middle(costs).toFixed(1)} s of processor time (median).`
    console.log(`\n${summary}`)
    if (name === 'judging' && chosen.length === 0)
      writeFileSync(path.join(projectDirectory, 'docs/findings.md'), report(table(tallies), summary, tallies))
  } finally {
    rmSync(directory, { recursive: true, force: true })
  }
}

function report(rows: string, summary: string, tallies: Map<FindingKey, Tally>): string {
  const notes = [...tallies].flatMap(([key, { misses, falseAlarms }]) => [
    ...misses.map(name => `- missed: ${findingNames[key]}, in "${name}"`),
    ...falseAlarms.map(name => `- false alarm: ${findingNames[key]}, in "${name}"`),
  ])
  return `# How well findings hold

Made by \`npm run bench:findings\`: ${clipCount} drawn and encoded clips, each with up to one fault of structure, one of look and one of sound in a known amount. The limits of the rules were set on another set of clips (\`npm run bench:findings -- tuning\`), of other seeds and fewer kinds of picture; this table is of clips that the rules had not seen. A finding that a fault brings along or hides by its nature (blocking hides noise, for example) is not judged in that clip.

${rows}

${summary}

${notes.length === 0 ? 'Nothing was missed and nothing wrongly reported.' : notes.join('\n')}

All clips of this table are drawn and 640x480, 10 to 14 s long. \`npm run bench:findings -- clean\` runs ${cleanCount} drawn clips without a fault, and \`npm run bench:findings -- real FOLDER\` real files against what a person saw in them (known by their content, so that their names do not matter; limits were set with them in view, so they are no proof for unseen ones); what both gave is in [measurements.md](measurements.md). Faces, written text and the kind of picture (filmed, drawn, rendered) are not reported, because no measure was found that could be shown to hold. In pictures of fields, whose coding leaves faint steps, blocking is only named where it is about twice as strong; no clip here has both, so how much of it is missed there is not known.
`
}
