import { deriveTreatment, proxyPieceSeconds, proxySpec, toNumber, type SourceFacts } from '@hematine/core'
import { extractSound } from '../encoding/extract-sound.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { transcode } from '../encoding/transcode.ts'

/**
 * Makes a piece of a small file that browsers play: up to `proxyPieceSeconds` from a place of a source.
 * @param place where it begins, and which of the sound tracks is heard, from 0
 * @throws MediaError when there is nothing to be decoded there
 */
export async function makeProxy(
  input: MediaInput,
  facts: SourceFacts,
  { startSeconds, sound = 0 }: { startSeconds: number; sound?: number },
  outputPath: string,
): Promise<void> {
  const heard = { ...facts, audio: facts.audio.slice(sound, sound + 1) }
  const gate = { turn: async () => undefined }
  if (!facts.video) {
    await extractSound(
      {
        input,
        facts: heard,
        treatment: {},
        spec: proxySpec,
        outputPath,
        stretch: { startSeconds, seconds: proxyPieceSeconds },
      },
      gate,
      () => undefined,
    )
    return
  }
  const treatment = deriveTreatment(heard, proxySpec)
  const rate = toNumber(treatment.result.rate)
  const stretch = { firstFrame: Math.floor(startSeconds * rate), frames: Math.ceil(proxyPieceSeconds * rate) }
  await transcode({ input, facts: heard, treatment, spec: proxySpec, outputPath, stretch }, gate, () => undefined)
}
