import { mkdir, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { demoNames, makeDemoMaterial, type DemoPart } from '../../packages/demo/src/index.ts'
import { writeClip, writeSound, writeTracks, type Clip } from '../../packages/demo/src/write-clip.ts'

/** What lossless sources of tests are encoded by: FFV1 takes five times as long, which was a quarter of a whole run. */
export const losslessEncoder = 'ffvhuff'

/** Where a test run keeps the demo material that its files share; the test command names one and removes it at the end. */
const directory = process.env.TEST_MATERIAL ?? path.join(tmpdir(), 'hematine-test-material')

/** Path of a demo source, drawn when this run has not drawn it yet. */
export async function demoSource(part: DemoPart): Promise<string> {
  await mkdir(directory, { recursive: true })
  // Files of tests run side by side, and only one may draw at a time. A lock that nobody gives back is one of a run that was killed.
  const lock = `${directory}.lock`
  const begun = Date.now()
  while (
    !(await mkdir(lock).then(
      () => true,
      () => false,
    ))
  ) {
    if (Date.now() - begun > 90_000) await rm(lock, { recursive: true, force: true })
    await new Promise(resolve => setTimeout(resolve, 100))
  }
  try {
    await makeDemoMaterial(directory, [part])
  } finally {
    await rm(lock, { recursive: true, force: true })
  }
  return path.join(directory, demoNames[part])
}

/**
 * Writes a lossless clip whose frame number n is a flat grey of luma 20 + 2 n, so that every frame can be told apart.
 * @param frames at most 100
 */
export async function writeCountingClip(
  file: string,
  frames: number,
  options: { rate?: string; size?: string; interlaced?: boolean; tone?: boolean } = {},
): Promise<void> {
  const { rate = '25', size = '320x240', tone = false } = options
  const seconds = frames / framesPerSecond(rate)
  await writeClip({
    path: file,
    format: 'matroska',
    video: {
      encoder: losslessEncoder,
      filters: `nullsrc=s=${size}:r=${rate},format=yuv420p,geq=lum='20+2*N':cb=128:cr=128,trim=end_frame=${frames},setsar=1`,
    },
    audio: tone
      ? [
          {
            encoder: 'pcm_s16le',
            filters: `sine=frequency=440:sample_rate=48000:duration=${seconds},aformat=sample_fmts=s16:channel_layouts=stereo`,
          },
        ]
      : [],
  })
}

/** Writes a lossless clip of a test picture, 160x120 at 10 frames a second, with a tone in English, for what is not about its picture. */
export async function writePlainClip(file: string, seconds: number): Promise<void> {
  await writeClip({
    path: file,
    format: 'matroska',
    video: {
      encoder: losslessEncoder,
      filters: `testsrc2=s=160x120:r=10:d=${seconds},format=yuv420p,setsar=1`,
    },
    audio: [
      {
        encoder: 'pcm_s16le',
        filters: `sine=frequency=440:sample_rate=48000:duration=${seconds},aformat=sample_fmts=s16:channel_layouts=stereo`,
        language: 'eng',
      },
    ],
  })
}

function framesPerSecond(rate: string): number {
  const [num, den = '1'] = rate.split('/')
  return Number(num) / Number(den)
}

export { writeClip, writeSound, writeTracks, type Clip }
