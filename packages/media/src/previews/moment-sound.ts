import { open, rename, rm } from 'node:fs/promises'
import type { SourceFacts } from '@hematine/core'
import { Frame } from 'node-av/lib'
import { audioPadOf, Graph } from '../ground/graph.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { readR128 } from '../sound/loudness.ts'
import { soundZero, TreatedSound } from '../sound/sound-treatment.ts'
import type { WorkGate } from '../ground/gate.ts'

/** Sound for listening beside a moment's pictures. */
const shape = { sampleFormat: 's16', sampleRate: 48_000, layout: 'stereo', frameSize: 0 }
const bytesPerSample = 4

/**
 * Writes the first sound track of a stretch as WAV (16 bit, 48 kHz, stereo), under its name once it is whole.
 * @param from seconds of the source @param seconds at most; to the end unless said
 * @returns its loudness in LUFS (ITU-R BS.1770 with the gates of EBU R 128), null when it is all below the gate; undefined when there is no sound, and no file
 */
export async function writeMomentSound(
  file: string,
  input: MediaInput,
  facts: SourceFacts,
  from: number,
  seconds: number,
  gate: WorkGate,
): Promise<number | null | undefined> {
  const [track] = facts.audio
  if (!track) return undefined
  const sound = await TreatedSound.open(input, track, shape, await soundZero(input, facts), { startSeconds: from })
  const [frame, measured] = [new Frame(), new Frame()]
  frame.alloc()
  measured.alloc()
  const r128: Parameters<typeof readR128>[1] = { loudness: null, truePeak: null }
  let meter: Graph | null = null
  const parts: Buffer[] = []
  let left = Math.round(seconds * shape.sampleRate)
  try {
    while (left > 0 && (await sound.next(frame))) {
      await gate.turn()
      const samples = Math.min(left, frame.nbSamples)
      parts.push(Buffer.from(frame.data![0]!.subarray(0, samples * bytesPerSample)))
      left -= samples
      meter ??= await Graph.audio(
        'ebur128=metadata=1:framelog=quiet',
        audioPadOf(frame, { num: 1, den: shape.sampleRate }),
      )
      await meter.push(frame)
      frame.unref()
      while ((await meter.pull(measured)) === 'frame') {
        readR128(measured, r128)
        measured.unref()
      }
    }
  } finally {
    meter?.free()
    frame.free()
    measured.free()
    await sound.close()
  }
  await writeWav(file, Buffer.concat(parts))
  return r128.loudness
}

/** A WAV file of such samples. */
async function writeWav(file: string, samples: Buffer): Promise<void> {
  const head = Buffer.alloc(44)
  head.write('RIFF', 0)
  head.writeUInt32LE(36 + samples.length, 4)
  head.write('WAVEfmt ', 8)
  head.writeUInt32LE(16, 16)
  // 1 is plain PCM.
  head.writeUInt16LE(1, 20)
  head.writeUInt16LE(2, 22)
  head.writeUInt32LE(shape.sampleRate, 24)
  head.writeUInt32LE(shape.sampleRate * bytesPerSample, 28)
  head.writeUInt16LE(bytesPerSample, 32)
  head.writeUInt16LE(16, 34)
  head.write('data', 36)
  head.writeUInt32LE(samples.length, 40)
  const unfinished = `${file}.${process.pid}.part`
  try {
    const handle = await open(unfinished, 'w')
    await handle.writev([head, samples])
    await handle.close()
    await rename(unfinished, file)
  } finally {
    await rm(unfinished, { force: true })
  }
}
