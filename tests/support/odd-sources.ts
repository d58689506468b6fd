import path from 'node:path'
import { open, stat, truncate } from 'node:fs/promises'
import { writeClip, writeTracks } from './material.ts'

/** Small sources of the kinds that nobody makes on purpose, drawn and encoded when they are wanted. */

/** A picture that moves, of so many frames. */
const moving = (size: string, frames: number, format: string, more = '') =>
  `testsrc2=s=${size}:r=25,trim=end_frame=${frames},${more}format=${format},setsar=1`
const tone = (layout: string, rate = 48_000, seconds = 0.8) =>
  `sine=frequency=330:sample_rate=${rate}:duration=${seconds},aformat=sample_fmts=s16:channel_layouts=${layout}`

const lossless = (filters: string) => ({ encoder: 'ffv1', options: { level: '3' }, filters })
const pcm = (filters: string) => ({ encoder: 'pcm_s16le', filters })

type Maker = (file: string) => Promise<void>

/** Each writes a file under the name that it is given, which has the ending that it needs. */
export const oddSources: Record<string, { ending: string; make: Maker }> = {
  plain: {
    ending: 'mkv',
    make: file =>
      writeClip({
        path: file,
        format: 'matroska',
        video: lossless(moving('128x96', 20, 'yuv420p')),
        audio: [pcm(tone('stereo'))],
      }),
  },
  'odd size': {
    ending: 'avi',
    make: file =>
      writeClip({
        path: file,
        format: 'avi',
        video: { encoder: 'mpeg4', bitRate: 400_000, filters: moving('130x96', 20, 'yuv420p', 'scale=129:95,') },
        audio: [pcm(tone('stereo'))],
      }),
  },
  'one frame': {
    ending: 'mkv',
    make: file =>
      writeClip({ path: file, format: 'matroska', video: lossless(moving('128x96', 1, 'yuv420p')), audio: [] }),
  },
  'two frames': {
    ending: 'mkv',
    make: file =>
      writeClip({ path: file, format: 'matroska', video: lossless(moving('128x96', 2, 'yuv420p')), audio: [] }),
  },
  'ten bits': {
    ending: 'mkv',
    make: file =>
      writeClip({
        path: file,
        format: 'matroska',
        video: lossless(moving('128x96', 20, 'yuv422p10le')),
        audio: [pcm(tone('stereo'))],
      }),
  },
  'red, green and blue': {
    ending: 'mkv',
    make: file =>
      writeClip({
        path: file,
        format: 'matroska',
        video: lossless(moving('128x96', 20, 'bgr0')),
        audio: [pcm(tone('stereo'))],
      }),
  },
  transparent: {
    ending: 'mov',
    make: file =>
      writeClip({
        path: file,
        format: 'mov',
        video: { encoder: 'png', filters: moving('128x96', 20, 'rgba') },
        audio: [],
      }),
  },
  'five bits': {
    ending: 'avi',
    make: file =>
      writeClip({
        path: file,
        format: 'avi',
        video: { encoder: 'rawvideo', filters: moving('128x96', 20, 'rgb555le') },
        audio: [],
      }),
  },
  grey: {
    ending: 'mkv',
    make: file =>
      writeClip({ path: file, format: 'matroska', video: lossless(moving('128x96', 20, 'gray')), audio: [] }),
  },
  'full range': {
    ending: 'mkv',
    make: file =>
      writeClip({
        path: file,
        format: 'matroska',
        video: lossless(moving('128x96', 20, 'yuv420p', 'scale=out_range=full,setparams=range=full,')),
        audio: [],
      }),
  },
  interlaced: {
    ending: 'mkv',
    make: file =>
      writeClip({
        path: file,
        format: 'matroska',
        video: {
          ...lossless(
            `testsrc2=s=128x96:r=50,trim=end_frame=40,tinterlace=mode=interleave_top,setfield=tff,format=yuv420p,setsar=1`,
          ),
          interlaced: true,
        },
        audio: [],
      }),
  },
  mono: {
    ending: 'mkv',
    make: file =>
      writeClip({
        path: file,
        format: 'matroska',
        video: lossless(moving('128x96', 20, 'yuv420p')),
        audio: [pcm(tone('mono'))],
      }),
  },
  surround: {
    ending: 'mkv',
    make: file =>
      writeClip({
        path: file,
        format: 'matroska',
        video: lossless(moving('128x96', 20, 'yuv420p')),
        audio: [pcm(tone('5.1'))],
      }),
  },
  'eight kilohertz': {
    ending: 'avi',
    make: file =>
      writeClip({
        path: file,
        format: 'avi',
        video: { encoder: 'mpeg4', bitRate: 400_000, filters: moving('128x96', 20, 'yuv420p') },
        audio: [pcm(tone('mono', 8000))],
      }),
  },
  'no sound': {
    ending: 'mkv',
    make: file =>
      writeClip({ path: file, format: 'matroska', video: lossless(moving('128x96', 20, 'yuv420p')), audio: [] }),
  },
  'no picture': { ending: 'wav', make: file => writeTracks(file, 'wav', [pcm(tone('stereo', 48_000, 2))]) },
  'cut short': {
    ending: 'avi',
    make: async file => {
      await writeClip({
        path: file,
        format: 'avi',
        video: { encoder: 'mpeg4', bitRate: 600_000, filters: moving('128x96', 60, 'yuv420p') },
        audio: [],
      })
      await truncate(file, Math.round((await stat(file)).size * 0.5))
    },
  },
  'size changes': {
    ending: 'm2v',
    make: async file => {
      const other = `${file}.2`
      await writeClip({
        path: file,
        format: 'mpeg2video',
        video: { encoder: 'mpeg2video', bitRate: 600_000, filters: moving('128x96', 12, 'yuv420p') },
        audio: [],
      })
      await writeClip({
        path: other,
        format: 'mpeg2video',
        video: { encoder: 'mpeg2video', bitRate: 600_000, filters: moving('160x96', 12, 'yuv420p') },
        audio: [],
      })
      const [first, second] = [await open(file, 'a'), await open(other, 'r')]
      await first.write(await second.readFile())
      await first.close()
      await second.close()
    },
  },
}

/** Writes an odd source into a directory. @returns its path */
export async function writeOddSource(directory: string, kind: string): Promise<string> {
  const { ending, make } = oddSources[kind]!
  const file = path.join(directory, `${kind.replaceAll(/[ ,]+/g, '-')}.${ending}`)
  await make(file)
  return file
}
