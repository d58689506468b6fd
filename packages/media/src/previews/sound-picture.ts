import { Frame } from 'node-av/lib'
import { openFrames } from '../reading/frame-reader.ts'
import { FrameSheet } from '../stills/frame-sheet.ts'
import { audioPadOf, Graph } from '../ground/graph.ts'
import { MediaError } from '../ground/libav.ts'
import { rgbOf, type RgbPicture } from '../stills/still.ts'

/** Size of a sound's picture: its wave above, below it how strong each pitch is. */
const width = 960
const waveHeight = 160
const spectrumHeight = 380
/** The spectrum is drawn so many times as high and then reduced: its height decides how narrow its bands are, and low pitches need narrow ones. */
const fineness = 2
/** Highest pitch shown, in Hz; above it there is little but codec edges. */
const highestHertz = 16_000
/** Range of levels shown, in dB below the strongest. */
const shownDecibels = 100
const framesPerSecond = 12
/** Red, green and blue of the line that tells the place. */
const placeColour = [232, 230, 227] as const

/** Filters that turn a whole sound into one picture: the wave of each channel, and below it the spectrum over time, by octaves, low pitches at the bottom. */
const filters = [
  'asplit[wave][pitch]',
  `[wave]showwavespic=s=${width}x${waveHeight}:colors=0x8FA3AD|0x6B7C85:scale=sqrt,format=gbrp[above]`,
  `[pitch]aformat=channel_layouts=mono,aresample=${2 * highestHertz},showspectrumpic=s=${width}x${fineness * spectrumHeight}:legend=0:mode=combined:color=viridis:scale=log:fscale=log:drange=${shownDecibels},format=gbrp,scale=${width}:${spectrumHeight}:flags=area[below]`,
  '[above][below]vstack,format=rgb24',
].join(';')

/** Draws a sound file whole. @throws MediaError when there is no sound in it */
export async function drawSound(file: string): Promise<RgbPicture> {
  const reader = await openFrames({ kind: 'file', path: file }, 0, 1)
  const frame = new Frame()
  frame.alloc()
  let graph: Graph | null = null
  try {
    while (await reader.next(frame)) {
      graph ??= await Graph.pictureOfSound(filters, audioPadOf(frame, reader.timeBase))
      await graph.push(frame)
      frame.unref()
    }
    await graph?.push(null)
    if ((await graph?.pull(frame)) !== 'frame') throw new MediaError('There is no sound to be drawn.')
    return rgbOf(frame)
  } finally {
    graph?.free()
    frame.free()
    await reader.close()
  }
}

/**
 * Writes pictures of a sound, for playing like those of a moving picture: it is drawn whole, and a line wanders over it.
 * @param seconds length of the sound @param pace seconds between two places for each second of the sound, where it runs at another speed than its source
 * @returns the drawing without the line
 */
export async function writeSoundSheet(file: string, sound: string, seconds: number, pace = 1): Promise<RgbPicture> {
  const drawing = await drawSound(sound)
  const sheet = new FrameSheet()
  const count = Math.max(1, Math.round(seconds * framesPerSecond))
  for (let index = 0; index < count; index++) {
    const data = Buffer.from(drawing.data)
    const column = Math.min(drawing.width - 1, Math.round(((index + 0.5) / count) * drawing.width))
    for (let y = 0; y < drawing.height; y++) data.set(placeColour, (y * drawing.width + column) * 3)
    await sheet.add({ ...drawing, data }, (index / framesPerSecond) * pace)
  }
  await sheet.write(file)
  return drawing
}
