import { existsSync } from 'node:fs'
import { mkdir, mkdtemp, open, readdir, rename, rm, stat, truncate, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { setUpLibraries } from '@hematine/media'
import sharp from 'sharp'
import { writeDiscFolder, writeDiscImage, type CellClip, type TitleSetClip } from './disc/write-disc.ts'
import { paintLayers, seeded } from './paint.ts'
import { fogSignal, storyFilters, type Scene } from './scenes.ts'
import { writeClip, writeSound } from './write-clip.ts'

/** Changes when the drawn material does, so that an older cached set is made anew. */
export const materialVersion = 6

/** Names of the demo sources, as they stand in the source volume. */
export const demoNames = {
  disc: 'Lamp-room training disc 3.mpg',
  interview: 'Fog-signal interview 1.avi',
  interview2: 'Fog-signal interview 2.avi',
  interview3: 'Fog-signal interview 3.avi',
  tape: 'Harbour inspection tape 12.dv',
  tape2: 'Harbour inspection tape 13.dv',
  film: "Keeper's rounds (film transfer).mp4",
  sequence: 'Approach render',
  /** A test of the same at a reduced cost, which is not brought in: see Balance, Render or treat. */
  reduced: 'Approach render, half size',
  watch: 'Weather watch.mp4',
  plate: 'Glass plate 7.png',
  signal: 'Fog signal, north horn.wav',
  discFolder: 'Lamp-room training disc 4',
  discImage: 'Relief boat disc.iso',
  landing: 'Landing by hand.mov',
  worn: 'Storm on the reef (worn print).mov',
  cutShort: 'Harbour log (cut short).mp4',
  notMedia: "Keeper's notes.mov",
} as const

export type DemoPart = keyof typeof demoNames

type Layer = (name: string) => string
type Step = (directory: string, layer: Layer) => Promise<void>

const wide: Scene[] = [
  { name: 'dusk', seconds: 5, title: 'SKERRY LIGHTS   LAMP-ROOM TRAINING   DISC 3' },
  { name: 'lens', seconds: 5 },
  { name: 'night', seconds: 4 },
]

/** 576i in wide screen: drawn as fifty frames a second, woven into fields, top first. */
const disc: Step = (directory, layer) =>
  writeClip({
    path: path.join(directory, demoNames.disc),
    format: 'vob',
    formatOptions: { muxrate: '10080000' },
    video: {
      encoder: 'mpeg2video',
      bitRate: 5_000_000,
      interlaced: true,
      keyframeDistance: 12,
      options: {
        maxrate: '8000000',
        bufsize: '1835008',
        color_primaries: 'bt470bg',
        color_trc: 'smpte170m',
        colorspace: 'bt470bg',
      },
      filters: storyFilters(
        wide,
        layer,
        { lines: 1080, rate: '50' },
        'scale=720:576:flags=area,tinterlace=mode=interleave_top:flags=vlpf,setfield=tff,setsar=64/45,format=yuv420p',
      ),
    },
    audio: [
      { encoder: 'ac3', bitRate: 192_000, filters: `${fogSignal(14, 110)},aformat=sample_fmts=fltp` },
      { encoder: 'ac3', bitRate: 192_000, filters: `${fogSignal(14, 165)},aformat=sample_fmts=fltp` },
    ],
  })

/** A part of a disc title: 576i in wide or narrow screen, with a sound track for each language. */
function discCell(scene: Scene, layer: Layer, wideScreen: boolean, pitches: number[]): CellClip {
  const shape = wideScreen ? 'scale=720:576:flags=area' : 'crop=ih*4/3:ih,scale=720:576:flags=area'
  return {
    frames: scene.seconds * 25,
    video: storyFilters(
      [scene],
      layer,
      { lines: 1080, rate: '50' },
      `${shape},tinterlace=mode=interleave_top:flags=vlpf,setfield=tff,setsar=${wideScreen ? '64/45' : '16/15'},format=yuv420p`,
    ),
    audio: pitches.map(pitch => `${fogSignal(scene.seconds, pitch)},aformat=sample_fmts=fltp`),
  }
}

/** A training disc as a folder: the parts of its long title lie on it in another order than they are played in, and it has a short title besides. */
const discFolder: Step = (directory, layer) =>
  writeDiscFolder(path.join(directory, demoNames.discFolder), [
    {
      standard: 'PAL',
      aspect: '16:9',
      interlaced: true,
      languages: ['en', 'nl'],
      cells: [
        discCell({ name: 'night', seconds: 4 }, layer, true, [110, 165]),
        discCell({ name: 'lens', seconds: 4, title: 'TRAINING DISC 4   THE LENS' }, layer, true, [120, 180]),
        discCell({ name: 'dusk', seconds: 3 }, layer, true, [130, 195]),
      ],
      titles: [[1, 2, 0]],
    },
    {
      standard: 'PAL',
      aspect: '4:3',
      interlaced: true,
      languages: ['en'],
      cells: [discCell({ name: 'chart', seconds: 3, title: 'CHART OF THE HARBOUR' }, layer, false, [140])],
      titles: [[0]],
    },
  ])

/** A disc as an image. @param label name of the disc, in capitals */
const imageOf =
  (name: string, label: string, sets: (layer: Layer) => TitleSetClip[]): Step =>
  async (directory, layer) => {
    const folder = path.join(directory, label)
    await writeDiscFolder(folder, sets(layer))
    await writeDiscImage(path.join(directory, name), folder, label)
    await rm(folder, { recursive: true })
  }

const discImage = imageOf(demoNames.discImage, 'RELIEF_BOAT', layer => [
  {
    standard: 'PAL',
    aspect: '4:3',
    interlaced: true,
    languages: ['en'],
    cells: [
      discCell({ name: 'noon', seconds: 4, title: 'RELIEF BOAT   LANDING' }, layer, false, [100]),
      discCell({ name: 'keeper', seconds: 4 }, layer, false, [105]),
    ],
    titles: [[0, 1]],
  },
])

/** A small old file: few pixels, few frames, few bits, so that its blocks show. */
const interviewNumber =
  (part: DemoPart, number: number, scenes: Scene[]): Step =>
  (directory, layer) =>
    writeClip({
      path: path.join(directory, demoNames[part]),
      format: 'avi',
      video: {
        encoder: 'mpeg4',
        bitRate: 110_000,
        keyframeDistance: 75,
        options: { qmin: '6', qmax: '31' },
        filters: storyFilters(
          scenes,
          layer,
          { lines: 1080, rate: '15' },
          `crop=ih*4/3:ih,scale=320:240:flags=area,setsar=1,noise=alls=6:allf=t:all_seed=${4 + number},format=yuv420p`,
        ),
      },
      // AVI knows no time before 0, and the encoder starts most of two frames of 1152 samples early.
      audio: [
        {
          encoder: 'libmp3lame',
          bitRate: 64_000,
          filters: `${fogSignal(
            scenes.reduce((sum, scene) => sum + scene.seconds, 0),
            120 + 10 * number,
            44_100,
          )},aformat=sample_fmts=s16p:channel_layouts=mono,asetpts=PTS+2304`,
        },
      ],
    })

const interview = interviewNumber('interview', 1, [
  { name: 'keeper', seconds: 12, title: 'INTERVIEW 1   FOG SIGNALS' },
  { name: 'chart', seconds: 8 },
])
const interview2 = interviewNumber('interview2', 2, [
  { name: 'chart', seconds: 6 },
  { name: 'keeper', seconds: 6, title: 'INTERVIEW 2   THE HORN' },
])
const interview3 = interviewNumber('interview3', 3, [
  { name: 'keeper', seconds: 5, title: 'INTERVIEW 3   WINTER' },
  { name: 'lens', seconds: 5 },
])

/** 480i from a DV deck, bottom field first, 4:1:1. */
const tapeNumber =
  (part: DemoPart, scenes: Scene[], pitch: number): Step =>
  (directory, layer) =>
    writeClip({
      path: path.join(directory, demoNames[part]),
      format: 'dv',
      video: {
        encoder: 'dvvideo',
        filters: storyFilters(
          scenes,
          layer,
          { lines: 1080, rate: '60000/1001' },
          'crop=ih*4/3:ih,scale=720:480:flags=area,tinterlace=mode=interleave_bottom:flags=vlpf,setfield=bff,setsar=8/9,format=yuv411p',
        ),
      },
      audio: [
        {
          encoder: 'pcm_s16le',
          filters: `${fogSignal(
            scenes.reduce((sum, scene) => sum + scene.seconds, 0),
            pitch,
          )},aformat=sample_fmts=s16`,
        },
      ],
    })

const tape = tapeNumber(
  'tape',
  [
    { name: 'noon', seconds: 4, title: 'HARBOUR INSPECTION   TAPE 12' },
    { name: 'dusk', seconds: 3 },
  ],
  98,
)
const tape2 = tapeNumber(
  'tape2',
  [
    { name: 'chart', seconds: 2, title: 'HARBOUR INSPECTION   TAPE 13' },
    { name: 'noon', seconds: 3 },
  ],
  104,
)

/** Film at 24 frames a second in video at 30, with black all round, in black and white, and sound on one side only. */
const film: Step = (directory, layer) =>
  writeClip({
    path: path.join(directory, demoNames.film),
    format: 'mp4',
    formatOptions: { movflags: '+faststart' },
    video: {
      encoder: 'libx264',
      keyframeDistance: 60,
      options: { preset: 'veryfast', crf: '18' },
      filters: storyFilters(
        [
          { name: 'keeper', seconds: 4 },
          { name: 'lens', seconds: 4 },
        ],
        layer,
        { lines: 1080, rate: '24000/1001' },
        'crop=ih*4/3:ih,scale=672:448:flags=area,pad=720:480:24:16:black,lutyuv=u=128:v=128,telecine=pattern=23,setfield=prog,setsar=8/9,format=yuv420p',
      ),
    },
    audio: [
      {
        encoder: 'aac',
        bitRate: 96_000,
        filters: `${fogSignal(8, 140)},pan=stereo|c0=c0|c1=0*c0,aformat=sample_fmts=fltp`,
      },
    ],
    subtitles: [
      {
        language: 'eng',
        texts: [
          [0.5, 2.5, 'Every evening he goes up,\nwhatever the weather.'],
          [4.5, 2.5, 'The lens is turned by hand.'],
        ],
      },
      {
        language: 'nld',
        texts: [
          [0.5, 2.5, 'Elke avond gaat hij naar boven,\nwat voor weer het ook is.'],
          [4.5, 2.5, 'De lens wordt met de hand gedraaid.'],
        ],
      },
    ],
  })

/** A still, as from a plate camera. */
const plate: Step = async (directory, layer) => {
  await sharp(layer('dusk'))
    .extract({ left: 900, top: 120, width: 1200, height: 900 })
    .grayscale()
    .png()
    .toFile(path.join(directory, demoNames.plate))
}

/** Sound alone, with the hum of the mains under it. */
const signal: Step = directory =>
  writeSound(
    path.join(directory, demoNames.signal),
    `${fogSignal(24, 90)},aeval='val(0)+0.01*sin(2*PI*50*t)+0.006*sin(2*PI*100*t)|val(1)+0.01*sin(2*PI*50*t)+0.006*sin(2*PI*100*t)',aformat=sample_fmts=s16`,
  )

/** Rendered frames of the approach, numbered, with the grain of too few rays. @param size of them */
const sequenceOf =
  (part: 'sequence' | 'reduced', size: string): Step =>
  async (directory, layer) => {
    const frames = path.join(directory, demoNames[part])
    await mkdir(frames)
    await writeClip({
      path: path.join(frames, 'approach-%04d.png'),
      format: 'image2',
      formatOptions: { start_number: '1' },
      video: {
        encoder: 'png',
        options: { compression_level: '1', pred: 'sub' },
        filters: storyFilters(
          [{ name: 'night', seconds: 2 }],
          layer,
          { lines: 1080, rate: '24' },
          `scale=${size},noise=c0s=14:c0f=t:all_seed=9,format=rgb24`,
        ),
      },
      audio: [],
    })
  }

const watchScenes: Scene[] = Array.from({ length: 12 }, (_, index) => ({
  name: (['noon', 'chart', 'dusk', 'keeper', 'night', 'lens'] as const)[index % 6]!,
  seconds: [9, 12, 8, 11, 10, 10][index % 6]!,
  ...(index % 3 === 0 ? { title: `WEATHER WATCH   PART ${index / 3 + 1}` } : {}),
}))

/** Two minutes of high definition with eleven cuts. */
const watch: Step = (directory, layer) =>
  writeClip({
    path: path.join(directory, demoNames.watch),
    format: 'mp4',
    formatOptions: { movflags: '+faststart' },
    video: {
      encoder: 'libx264',
      options: {
        preset: 'ultrafast',
        crf: '24',
        color_primaries: 'bt709',
        color_trc: 'bt709',
        colorspace: 'bt709',
        color_range: 'tv',
      },
      filters: storyFilters(
        watchScenes,
        layer,
        { lines: 720, rate: '25', matrix: 'bt709' },
        'setparams=color_primaries=bt709:color_trc=bt709:colorspace=bt709:range=tv,setsar=1',
      ),
    },
    audio: [
      { encoder: 'aac', bitRate: 128_000, language: 'eng', filters: `${fogSignal(120, 120)},aformat=sample_fmts=fltp` },
    ],
  })

/** Filmed from a boat by hand with a lamp that flickers: shaken, and brighter and darker from frame to frame. */
const landing: Step = (directory, layer) =>
  writeClip({
    path: path.join(directory, demoNames.landing),
    format: 'mov',
    video: {
      encoder: 'libx264',
      options: { preset: 'veryfast', crf: '18' },
      filters: storyFilters(
        [{ name: 'dusk', seconds: 6 }],
        layer,
        { lines: 1080, rate: '25' },
        `scale=1024:576:flags=area,crop=w=960:h=540:x='32+9*sin(n*1.9)+6*sin(n*3.1)':y='18+7*sin(n*2.3)+5*sin(n*4.1)',eq=brightness='0.035*sin(n*2.6)':eval=frame,setsar=1,format=yuv420p`,
      ),
    },
    audio: [
      {
        encoder: 'pcm_s16le',
        filters: `aevalsrc='0.1*sin(2*PI*50*t)+0.05*sin(2*PI*150*t)+0.12*sin(2*PI*310*t)*lt(mod(t,3),1)':s=48000:d=6,aformat=sample_fmts=s16:channel_layouts=mono`,
      },
    ],
  })

/** Specks on the worn print: a frame, a place, a size and whether it is bright. */
function specks(frames: number): string {
  const random = seeded(31)
  return Array.from({ length: frames * 2 }, () => {
    const [frame, x, y, size] = [
      Math.floor(random() * frames),
      Math.floor(random() * 690),
      Math.floor(random() * 520),
      3 + Math.floor(random() * 6),
    ]
    return `drawbox=x=${x}:y=${y}:w=${size}:h=${Math.max(2, size - 1)}:color=${random() < 0.6 ? 'white' : 'black'}@0.9:t=fill:enable='eq(n,${frame})'`
  }).join(',')
}

/** A print that ran often: soft, then sharpened until its edges have halos, with a bright and a dark scratch and dust on single frames. */
const worn: Step = (directory, layer) =>
  writeClip({
    path: path.join(directory, demoNames.worn),
    format: 'mov',
    video: {
      encoder: 'libx264',
      options: { preset: 'veryfast', crf: '17' },
      filters: storyFilters(
        [
          { name: 'dusk', seconds: 3 },
          { name: 'noon', seconds: 2 },
        ],
        layer,
        { lines: 1080, rate: '24' },
        `scale=720:540:flags=area,gblur=sigma=1,unsharp=5:5:1.6:3:3:0,format=yuv420p,drawbox=x=210:y=0:w=2:h=ih:color=white@0.8:t=fill,drawbox=x=505:y=0:w=1:h=ih:color=black@0.9:t=fill,${specks(120)},setsar=1`,
      ),
    },
    audio: [{ encoder: 'pcm_s16le', filters: `${fogSignal(5, 130)},aformat=sample_fmts=s16:channel_layouts=mono` }],
  })

/** A copy that stopped half-way: its head promises more than its body holds. */
const cutShort: Step = async (directory, layer) => {
  const file = path.join(directory, demoNames.cutShort)
  await writeClip({
    path: file,
    format: 'mp4',
    formatOptions: { movflags: '+faststart' },
    video: {
      encoder: 'libx264',
      options: { preset: 'veryfast', crf: '26' },
      filters: storyFilters(
        [
          { name: 'noon', seconds: 5 },
          { name: 'chart', seconds: 5 },
        ],
        layer,
        { lines: 1080, rate: '25' },
        'scale=640:360:flags=area,setsar=1',
      ),
    },
    audio: [{ encoder: 'aac', bitRate: 96_000, filters: `${fogSignal(10, 140)},aformat=sample_fmts=fltp` }],
  })
  await truncate(file, Math.round((await stat(file)).size * 0.6))
}

const notMedia: Step = directory =>
  writeFile(
    path.join(directory, demoNames.notMedia),
    'Lamp trimmed at dusk. Fog from the west, signal sounded from 21:40 until 03:15.\n'.repeat(40),
  )

const steps: Record<DemoPart, Step> = {
  disc,
  interview,
  interview2,
  interview3,
  tape,
  tape2,
  film,
  sequence: sequenceOf('sequence', '1920:1080'),
  reduced: sequenceOf('reduced', '960:540'),
  watch,
  plate,
  signal,
  discFolder,
  discImage,
  landing,
  worn,
  cutShort,
  notMedia,
}

/** Discs for the stand-in drive. */
const shelfDiscs: [name: string, step: Step][] = (
  [
    [
      'Beacon survey.iso',
      'BEACON_SURVEY',
      layer => [
        {
          standard: 'PAL',
          aspect: '4:3',
          interlaced: true,
          languages: ['en'],
          cells: [
            discCell({ name: 'noon', seconds: 6, title: 'BEACON SURVEY   NORTH REACH' }, layer, false, [90]),
            discCell({ name: 'dusk', seconds: 6 }, layer, false, [95]),
          ],
          titles: [[0, 1]],
        },
      ],
    ],
    [
      'Fog horn maintenance.iso',
      'FOG_HORN',
      layer => [
        {
          standard: 'PAL',
          aspect: '16:9',
          interlaced: true,
          languages: ['en', 'nl'],
          cells: [discCell({ name: 'lens', seconds: 5, title: 'FOG HORN   MAINTENANCE' }, layer, true, [115, 172])],
          titles: [[0]],
        },
      ],
    ],
  ] satisfies [string, string, (layer: Layer) => TitleSetClip[]][]
).map(([name, label, sets]) => [name, imageOf(name, label, sets)])

/** Makes the discs of the stand-in drive in a directory unless they are there already. */
export async function makeShelf(directory: string): Promise<void> {
  const missing = shelfDiscs.filter(([name]) => !existsSync(path.join(directory, name)))
  if (missing.length > 0) await drawInto(directory, missing)
}

/**
 * Makes the demo material in a directory unless it is there already. It is made beside its place and moved in whole.
 * @param parts which sources; all unless said
 * @returns whether anything was made
 */
export async function makeDemoMaterial(
  directory: string,
  parts: readonly DemoPart[] = Object.keys(demoNames) as DemoPart[],
  say: (line: string) => void = () => undefined,
): Promise<boolean> {
  await mkdir(directory, { recursive: true })
  const marker = path.join(directory, `.demo-material-${materialVersion}`)
  // Parts of an older drawing are drawn anew, parts that are gone are drawn again.
  const missing = parts.filter(part => !existsSync(marker) || !existsSync(path.join(directory, demoNames[part])))
  if (missing.length === 0) return false
  // The longest first, so that the two that run side by side end together.
  const waiting = [...missing].sort((a, b) => Number(b === 'watch') - Number(a === 'watch'))
  await drawInto(
    directory,
    waiting.map(part => [demoNames[part], steps[part]]),
    say,
  )
  const handle = await open(marker, 'w')
  await handle.close()
  return true
}

/** Draws sources beside their place and moves them in whole. */
async function drawInto(
  directory: string,
  waiting: [name: string, step: Step][],
  say: (line: string) => void = () => undefined,
): Promise<void> {
  setUpLibraries()
  await mkdir(directory, { recursive: true })
  const work = await mkdtemp(path.join(path.dirname(directory), '.demo-'))
  try {
    const layers = path.join(work, 'layers')
    const made = path.join(work, 'made')
    await mkdir(layers)
    await mkdir(made)
    const layer = await paintLayers(layers)
    // Each step keeps about one core busy with drawing, so two run side by side.
    await Promise.all(
      [0, 1].map(async () => {
        for (let next = waiting.shift(); next; next = waiting.shift()) {
          say(`  drawing ${next[0]}`)
          await next[1](made, layer)
        }
      }),
    )
    for (const name of await readdir(made)) {
      await rm(path.join(directory, name), { recursive: true, force: true })
      await rename(path.join(made, name), path.join(directory, name))
    }
  } finally {
    await rm(work, { recursive: true, force: true })
  }
}
