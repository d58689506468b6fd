import { deriveTreatment, proxyPieceSeconds, proxySpec, toNumber, type SourceFacts } from '@hematine/core'
import { Frame } from 'node-av/lib'
import { Encoder } from './encoder.ts'
import type { MediaInput } from './input.ts'
import { MediaError } from './libav.ts'
import { OutputFile, wantsGlobalHeader } from './output.ts'
import { deliveredChannels, deliveredLayout, TreatedSound } from './sound-treatment.ts'
import { transcode } from './transcode.ts'

/**
 * Makes a piece of a small file that browsers play: up to `proxyPieceSeconds` from a place of a source.
 * @param place where it begins, and which of the sound tracks is heard, from 0
 * @throws MediaError when there is nothing to be decoded there
 */
export async function makeProxy(input: MediaInput, facts: SourceFacts, { startSeconds, sound = 0 }: { startSeconds: number, sound?: number }, outputPath: string): Promise<void> {
  const heard = { ...facts, audio: facts.audio.slice(sound, sound + 1) }
  if (!facts.video) return makeSoundProxy(input, heard, startSeconds, outputPath)
  const treatment = deriveTreatment(heard, proxySpec)
  const rate = toNumber(treatment.result.rate)
  const stretch = { firstFrame: Math.floor(startSeconds * rate), frames: Math.ceil(proxyPieceSeconds * rate) }
  await transcode({ input, facts: heard, treatment, spec: proxySpec, outputPath, stretch }, { turn: async () => undefined }, () => undefined)
}

async function makeSoundProxy(input: MediaInput, { audio }: SourceFacts, startSeconds: number, outputPath: string): Promise<void> {
  const [track] = audio
  if (!track) throw new MediaError('The source has neither picture nor sound.')
  const output = OutputFile.create(outputPath, proxySpec.container)
  const encoder = await Encoder.audio(proxySpec, deliveredChannels(track, proxySpec), wantsGlobalHeader)
  const frame = new Frame()
  frame.alloc()
  let sound: TreatedSound | null = null
  try {
    sound = await TreatedSound.open(input, track, encoder.soundShape(proxySpec, deliveredLayout(track, proxySpec)), 0, { startSeconds })
    const stream = output.addStream(encoder, track)
    await output.begin()
    let samples = 0
    while (samples < proxyPieceSeconds * proxySpec.audio.sampleRate && await sound.next(frame)) {
      samples += frame.nbSamples
      await encoder.encode(frame, packet => output.write(packet, stream))
      frame.unref()
    }
    if (samples === 0) throw new MediaError('There is no sound at this place.')
    await encoder.encode(null, packet => output.write(packet, stream))
    await output.finish()
  } finally {
    frame.free()
    encoder.close()
    await sound?.close()
    await output.close()
  }
}
