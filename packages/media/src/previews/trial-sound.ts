import { access, mkdir, writeFile } from 'node:fs/promises'
import path from 'node:path'
import {
  plainTimeline,
  resultTimeAt,
  type Moment,
  type SoundSpec,
  type SoundTreatment,
  type TrialMoment,
} from '@hematine/core'
import { timeSoundCheck } from '../checking/check-sound.ts'
import { extractSound } from '../encoding/extract-sound.ts'
import { toJpeg } from '../stills/frame-sheet.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { MediaError } from '../ground/libav.ts'
import { writeMomentSound } from './moment-sound.ts'
import { writeSoundSheet } from './sound-picture.ts'
import { readFacts } from '../reading/source-facts.ts'
import type { WorkGate } from '../ground/gate.ts'
import { lookFile, momentFile, sheetFile, soundFile, sourceSheetFile, sourceSoundFile } from '../volumes/trial-files.ts'
import { trimmedOff, type AnyTrialPlan } from './trial.ts'

export interface SoundTrialPlan extends AnyTrialPlan {
  treatment: SoundTreatment
  spec: SoundSpec
}

/** The part of a result of sound alone that lets a moment of the source be heard. @throws MediaError when the treatment trims the moment off */
export function soundStretchOf(
  { from, to }: Moment,
  { timeline = plainTimeline, seconds }: SoundTreatment,
): { startSeconds: number; seconds: number } {
  const startSeconds = resultTimeAt(timeline, from)
  if (startSeconds === null) throw new MediaError(trimmedOff)
  return { startSeconds, seconds: Math.max(0.1, Math.min((to - from) / timeline.speed, seconds - startSeconds)) }
}

/**
 * Treats and encodes the sound of one moment as a job would, measures it, and keeps it before and after, to be heard and, drawn, to be looked at.
 * @throws MediaError when it cannot be done; whatever `gate.turn` rejects with, when stopped
 */
export async function runSoundTrialMoment(plan: SoundTrialPlan, gate: WorkGate): Promise<TrialMoment> {
  const { input, facts, treatment, spec, moment, directory, index, sourceId } = plan
  await mkdir(directory, { recursive: true })
  const piece = {
    input,
    facts,
    treatment,
    spec,
    outputPath: path.join(directory, momentFile(index, spec)),
    stretch: soundStretchOf(moment, treatment),
  }
  const made = await extractSound(piece, gate, () => undefined)

  const output: MediaInput = { kind: 'file', path: piece.outputPath }
  const written = await readFacts(output)
  const {
    compared: [track],
    checkSeconds,
  } = await timeSoundCheck(piece, written.audio, gate)
  const beside = path.dirname(directory)
  const heard = facts.audio[0]!.streamIndex
  const [sourceSound, resultSound] = [
    path.join(beside, sourceSoundFile(sourceId, moment, heard)),
    path.join(directory, soundFile(index)),
  ]
  const before = await writeMomentSound(sourceSound, input, facts, moment.from, moment.to - moment.from, gate)
  const after = await writeMomentSound(resultSound, output, written, 0, Number.MAX_SAFE_INTEGER / 1e6, gate)
  const sourceSheet = path.join(beside, sourceSheetFile(sourceId, moment, heard))
  // Drawn once for all variants.
  if (
    !(await access(sourceSheet).then(
      () => true,
      () => false,
    ))
  )
    await writeSoundSheet(sourceSheet, sourceSound, moment.to - moment.from)
  const speed = treatment.timeline?.speed ?? 1
  await writeFile(
    path.join(directory, lookFile(index)),
    await toJpeg(await writeSoundSheet(path.join(directory, sheetFile(index)), resultSound, made.seconds, speed)),
  )
  return {
    frames: 0,
    soundSeconds: made.seconds,
    signalToNoise: track?.signalToNoise ?? null,
    seconds: made.workSeconds,
    checkSeconds,
    untilFirstFrame: made.openSeconds,
    steps: [],
    bytes: made.bytes,
    ssim: null,
    xpsnr: null,
    before: null,
    after: null,
    devices: {},
    ...(before === undefined || after === undefined ? {} : { loudness: { before, after } }),
  }
}
