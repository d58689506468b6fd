import { readdirSync, rmSync, statSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import {
  containers,
  deriveTreatment,
  measuredEfforts,
  measuredFine,
  pictureCodec,
  pictureCodecs,
  pictureSpecs,
  spannedFrames,
  withContainer,
  withPictureCodec,
  type Container,
  type FineSettings,
  type PictureCodec,
  type PictureSpec,
  type RateChoice,
  type SourceFacts,
} from '@hematine/core'
import { writeClip } from '@hematine/demo/write-clip'
import { qualityOf, readFacts, setUpLibraries, transcode } from '@hematine/media'
import { quoteOption } from '@hematine/media/treating/font'
import { sizeOfResult } from '@hematine/media/volumes/result-files'
import { TreatedPicture } from '@hematine/media/treating/picture-treatment'
import { Frame } from 'node-av/lib'
import { projectDirectory, temporaryDirectory } from '../lib/bootstrap.mjs'

const gate = { turn: async () => undefined }

/** Where the figures stand that ship. */
const figuresFile = path.join(projectDirectory, 'packages/core/src/codecs/measured-settings.ts')
/** Clips are reduced to fit, so that a run ends within an hour. */
const box = { maxWidth: 640, maxHeight: 360 }
const mostFrames = 40
/** Seconds between keyframes where closed groups are measured. */
const shortGroup = 0.5
/** A single picture is made so often: one alone is too short to be timed. */
const repeats = 4
/** Encodes are timed so often, and the shortest counts: other work on a shared core makes each take longer, never shorter. */
const rounds = 3
/** A size at a quality is read between results at these steps from the usual value. */
const stepsOff = [-6, 0, 6]

/** Pictures of different kinds, for whoever has none at hand. */
const drawn: [name: string, filters: string][] = [
  ['bars', 'testsrc2=s=640x360:r=25:d=2,noise=alls=10:allf=t:all_seed=61'],
  ['gradients', 'gradients=s=640x360:r=25:d=2:seed=62:speed=0.03'],
  ['zoom', 'mandelbrot=s=640x360:r=25,trim=end=2'],
  ['cells', 'life=s=640x360:r=25:seed=63:mold=10:life_color=white:death_color=gray,trim=end=2,gblur=sigma=1.5'],
]

interface Clip {
  path: string
  facts: SourceFacts
}
/** What one clip took with one setting. */
interface Taken {
  seconds: number
  /** Of each value: how like it is, in dB XPSNR, and its bytes; the likeness is null where nothing is lost. */
  points: { xpsnr: number | null; bytes: number }[]
}
/** Time and size against another setting: 2 is twice as much. */
interface Against {
  time: number
  bytes: number
}

type Figures = Record<string, Record<string, Against>>

/** `npm run bench:efforts [-- [--keep] [--codec=KEY [--setting=NAME]] FOLDER]`; with `--keep` the figures become those that ship: of all, of a codec, or of one of its fine settings. */
export async function benchEfforts(words: string[]): Promise<void> {
  setUpLibraries()
  const keeps = words.includes('--keep')
  const named = (option: string) => words.find(word => word.startsWith(`--${option}=`))?.slice(option.length + 3)
  const [only, setting] = [named('codec'), named('setting')]
  const [folder] = words.filter(word => !word.startsWith('--'))
  const directory = temporaryDirectory('hematine-bench-efforts-')
  try {
    const clips = await clipsOf(folder, directory)
    if (clips.length === 0) throw new Error(`No file there is a picture of ${mostFrames} frames or more.`)
    console.log(`${clips.length} clips, at most ${box.maxWidth}x${box.maxHeight} and ${mostFrames} frames each\n`)
    console.log('| codec | setting | time | bytes at the same likeness | against |\n|---|---|---|---|---|')
    const efforts: Figures = only ? { ...measuredEfforts } : {}
    const fine: Figures = only ? { ...measuredFine } : {}
    for (const codec of pictureCodecs.filter(({ key }) => only === undefined || key === only)) {
      const spec = specFor(codec)
      if (!spec) continue
      const measure = (video: Partial<PictureSpec['video']>) =>
        measureClips(clips, { ...spec, video: { ...spec.video, ...video } }, directory)
      let before: { value: string; taken: Taken[] } | null = null
      for (const { value } of setting ? [] : codec.efforts) {
        const taken = await measure({ effort: value })
        if (before) {
          const against = compare(taken, before.taken)
          efforts[codec.key] = { ...efforts[codec.key], [value]: against }
          tell(codec, value, against, before.value)
        }
        before = { value, taken }
      }
      const plain = codec.fine ? await measure({}) : []
      for (const [name, choice] of fineChoices(codec)) {
        if (setting && !name.startsWith(setting)) continue
        // Groups that are closed differ only where one follows another.
        const short = choice.closedGroups ? { keyframeSeconds: shortGroup } : {}
        const unset = choice.closedGroups ? await measure(short) : plain
        const against = compare(await measure({ ...short, fine: choice }), unset)
        fine[codec.key] = { ...fine[codec.key], [name]: against }
        tell(codec, name, against, spec.video.effort ?? 'as it is')
      }
    }
    if (keeps) writeFigures(clips.length, efforts, fine)
  } finally {
    rmSync(directory, { recursive: true, force: true })
  }
}

/** Every clip is brought to one size, rate and layout first, so that little but the encoder's own time is measured. */
async function clipsOf(folder: string | undefined, directory: string): Promise<Clip[]> {
  const sources: [name: string, filters: string][] = folder
    ? readdirSync(folder)
        .filter(name => statSync(path.join(folder, name)).isFile())
        .map(name => [name, `movie=${quoteOption(path.join(folder, name))}`])
    : drawn
  const clips: Clip[] = []
  for (const [name, filters] of sources) {
    const file = path.join(directory, `${name}.mkv`)
    const { maxWidth: width, maxHeight: height } = box
    const fitted = `scale=w=${width}:h=${height}:force_original_aspect_ratio=decrease:force_divisible_by=2`
    try {
      await writeClip({
        path: file,
        format: 'matroska',
        video: {
          encoder: 'ffvhuff',
          filters: `${filters},${fitted},setsar=1,fps=25,trim=end_frame=${mostFrames},format=yuv420p`,
        },
        audio: [],
      })
      const facts = await readFacts({ kind: 'file', path: file })
      if (facts.video && spannedFrames(facts.video) === mostFrames) clips.push({ path: file, facts })
    } catch (error) {
      console.log(`${name} is left out: ${error instanceof Error ? error.message : String(error)}`)
    }
  }
  return clips
}

/** A spec that is made in a codec with efforts or fine settings; null for those without, and for what is no delivery of pictures alone. */
function specFor(codec: PictureCodec): PictureSpec | null {
  if (codec.efforts.length < 2 && !codec.fine) return null
  const keys = Object.keys(containers) as Container[]
  const holds = keys.filter(key => (containers[key].picture as readonly string[]).includes(codec.key))
  // Codecs of stills alone are not measured: a single picture takes no time worth a choice.
  const container = holds.find(key => key !== 'avi' && containers[key].makes !== 'still')
  if (!container) return null
  const plain = withContainer(
    pictureSpecs.find(spec => spec.key === 'small-mkv')!,
    container,
  ) as PictureSpec
  const video = withPictureCodec(plain.video, codec.key)
  const isFilm = containers[container].makes === 'moving picture'
  return {
    ...plain,
    audio: null,
    video: {
      ...video,
      frame: { ...box, enlarge: false, squarePixels: true },
      // One rate that all of them can have.
      maxFrameRate: isFilm ? { num: 25, den: 1 } : null,
      ...(isFilm ? { holdsFrameRate: true as const } : {}),
    },
  }
}

/** Every fine setting that is offered, by the name that its figures stand under. */
function fineChoices({ fine }: PictureCodec): [name: string, setting: FineSettings][] {
  if (!fine) return []
  return [
    ...(fine.betweenFrames ?? []).map(
      count => [`betweenFrames ${count}`, { betweenFrames: count }] as [string, FineSettings],
    ),
    ...(fine.references ?? []).map(count => [`references ${count}`, { references: count }] as [string, FineSettings]),
    ...(fine.closedGroups ? [['closedGroups', { closedGroups: true }] as [string, FineSettings]] : []),
    ...(fine.suits ?? []).map(suits => [`suits ${suits}`, { suits }] as [string, FineSettings]),
  ]
}

async function measureClips(clips: readonly Clip[], spec: PictureSpec, directory: string): Promise<Taken[]> {
  const taken: Taken[] = []
  for (const clip of clips) taken.push(await measureClip(clip, spec, directory))
  return taken
}

/** Processor seconds of the encodes alone: what reading and scaling the clip takes is measured and taken off. */
async function measureClip({ path: file, facts }: Clip, spec: PictureSpec, directory: string): Promise<Taken> {
  const { quality } = pictureCodec(spec.video.codec)
  // Of a sequence every picture costs alike.
  const isFilm = containers[spec.container].makes === 'moving picture'
  const [frames, times] = isFilm ? [mostFrames, 1] : [1, repeats]
  const input = { kind: 'file' as const, path: file }
  const outputPath = path.join(directory, `result.${spec.container}`)
  const isHeld = spec.video.rateControl.kind === 'constant quality' && quality
  const rates: RateChoice[] = isHeld
    ? stepsOff.map(off => ({
        kind: 'constant quality',
        value: Math.max(quality.best, quality.usual + off * quality.step * (quality.worst > 45 ? 1.5 : 1)),
      }))
    : [spec.video.rateControl as RateChoice]
  const treatment = deriveTreatment(facts, spec)
  const plan = {
    input,
    facts: { ...facts, audio: [], subtitles: [] },
    treatment,
    spec,
    outputPath,
    stretch: { firstFrame: 0, frames },
  }
  const points: Taken['points'] = []
  const timed: number[] = []
  for (const rate of rates) {
    const isTimed = rate === rates[Math.floor(rates.length / 2)]
    const make = (isProved: boolean) => {
      rmSync(outputPath, { recursive: true, force: true })
      return transcode({ ...plan, rate, isProved }, gate, () => undefined)
    }
    for (let round = 0; isTimed && round < rounds; round++) {
      const before = process.cpuUsage()
      for (let time = 0; time < times; time++) await make(false)
      const { user, system } = process.cpuUsage(before)
      timed.push((user + system) / 1e6 / times)
    }
    const { proved } = await make(true)
    const bytes = await sizeOfResult(outputPath)
    const measured = proved && qualityOf(proved.picture)
    points.push({ xpsnr: isHeld ? (measured?.xpsnr ?? null) : null, bytes })
  }
  rmSync(outputPath, { recursive: true, force: true })
  return { seconds: Math.min(...timed) - (await readingSeconds(plan, frames)), points }
}

const known = new Map<string, number>()
/** Processor seconds of a clip's frames as far as an encoder. */
async function readingSeconds(plan: Parameters<typeof transcode>[0], frames: number): Promise<number> {
  const { input, facts, treatment } = plan
  const key = JSON.stringify([input, treatment.result, frames])
  const found = known.get(key)
  if (found !== undefined) return found
  const before = process.cpuUsage()
  const picture = await TreatedPicture.open(input, facts.video!, treatment)
  const frame = new Frame()
  frame.alloc()
  try {
    for (let count = 0; count < frames && (await picture.next(frame)); count++) frame.unref()
  } finally {
    frame.free()
    await picture.close()
  }
  const { user, system } = process.cpuUsage(before)
  const seconds = (user + system) / 1e6
  known.set(key, seconds)
  return seconds
}

/** Geometric means over the clips that can be compared. */
function compare(taken: readonly Taken[], plain: readonly Taken[]): Against {
  const mean = (ratios: (number | null)[]) => {
    const logs = ratios.flatMap(ratio => (ratio && ratio > 0 ? [Math.log(ratio)] : []))
    return Math.exp(logs.reduce((sum, log) => sum + log, 0) / logs.length)
  }
  return {
    time: mean(taken.map((own, index) => own.seconds / plain[index]!.seconds)),
    bytes: mean(taken.map((own, index) => bytesRatio(own.points, plain[index]!.points))),
  }
}

/**
 * Bytes of one line of points against another's at the same likeness: the mean difference of their logarithms over the likenesses that both have, with straight
 * lines between points (G. Bjontegaard, ITU-T VCEG-M33, with lines for its polynomial). Null where they have none in common.
 */
function bytesRatio(own: Taken['points'], plain: Taken['points']): number | null {
  const line = (points: Taken['points']) =>
    points
      .flatMap(({ xpsnr, bytes }) => (xpsnr === null ? [] : [{ at: xpsnr, log: Math.log(bytes) }]))
      .sort((a, b) => a.at - b.at)
  const [a, b] = [line(own), line(plain)]
  if (a.length < 2 || b.length < 2) return own.at(-1)!.bytes / plain.at(-1)!.bytes
  const [from, to] = [Math.max(a[0]!.at, b[0]!.at), Math.min(a.at(-1)!.at, b.at(-1)!.at)]
  if (to <= from) return null
  const logAt = (points: typeof a, at: number) => {
    // Rounding may put the last place a little behind the last point.
    const found = points.findIndex(point => point.at >= at)
    const next = found < 0 ? points.length - 1 : Math.max(1, found)
    const [left, right] = [points[next - 1]!, points[next]!]
    return left.log + ((right.log - left.log) * (at - left.at)) / Math.max(1e-9, right.at - left.at)
  }
  const places = Array.from({ length: 21 }, (_, index) => from + ((to - from) * index) / 20)
  return Math.exp(places.reduce((sum, at) => sum + logAt(a, at) - logAt(b, at), 0) / places.length)
}

function tell({ name }: PictureCodec, setting: string, { time, bytes }: Against, against: string): void {
  console.log(`| ${name} | ${setting} | ${time.toFixed(2)} | ${bytes.toFixed(3)} | ${against} |`)
}

function writeFigures(clips: number, efforts: object, fine: object): void {
  const rounded = (figures: object) =>
    JSON.stringify(figures, (_, value: unknown) => (typeof value === 'number' ? Number(value.toFixed(3)) : value))
  writeFileSync(
    figuresFile,
    `/** Time and size of a setting against another: 2 is twice as much; sizes are at the same XPSNR, or of what is lossless. */
export interface SettingFigures {
  time: number
  bytes: number
}

/** Written by \`npm run bench:efforts -- --keep FOLDER\`: processor time and size of ${clips} clips of at most ${box.maxWidth}x${box.maxHeight} and ${mostFrames} frames each. */
export const measuredOn = '${clips} clips of at most ${box.maxWidth}x${box.maxHeight}'

/** Efforts by codec, each against the next quicker one. */
export const measuredEfforts: Record<string, Record<string, SettingFigures>> = ${rounded(efforts)}

/** Fine settings by codec, each against what the effort "balanced" sets. */
export const measuredFine: Record<string, Record<string, SettingFigures>> = ${rounded(fine)}
`,
  )
}
