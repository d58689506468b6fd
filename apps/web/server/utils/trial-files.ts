import { access } from 'node:fs/promises'
import path from 'node:path'
import { deliveredFacts } from '@hematine/core'
import { Problem, readTrialWithFiles, sourceOf, type TrialRow, type VolumeRow } from '@hematine/database'
import { sourceSheetFile, sourceSoundFile } from '@hematine/media/volumes/trial-files'
import { trialDirectory } from '@hematine/media/volumes/volume-files'
import type { Application } from './application'

export { lookFile, momentFile, sheetFile, soundFile } from '@hematine/media/volumes/trial-files'

/** Stream of the source whose sound a trial lets be heard: the first that it delivers. */
function heardStream(trial: TrialRow): number {
  return deliveredFacts(sourceOf(trial).facts!, trial.treatment).audio[0]?.streamIndex ?? 0
}

/** Name of the pictures of the source's moment, seen from the trial's directory: its own, or the drawing of its sound. */
export function sourceSheetOf(trial: TrialRow, index: number): string {
  return `../${sourceSheetFile(trial.source.id, trial.moments[index]!, trial.treatment.result === null ? heardStream(trial) : null)}`
}

/** Name of the sound of the source's moment, seen from the trial's directory. */
export function sourceSoundOf(trial: TrialRow, index: number): string {
  return `../${sourceSoundFile(trial.source.id, trial.moments[index]!, heardStream(trial))}`
}

/** A file of a tried moment. @throws Problem 404 while it is not there */
export async function trialFile(
  application: Application,
  id: number,
  index: number,
  nameOf: (trial: TrialRow) => string,
): Promise<{ file: string; trial: TrialRow }> {
  const trial = await readTrialWithFiles(application.em(), id)
  if (index >= trial.moments.length)
    throw new Problem(404, 'no-moment', `The trial has ${trial.moments.length} moments, numbered from 0.`)
  const file = path.join(await trialDirectory(trial.volume.getEntity() as VolumeRow, id), nameOf(trial))
  try {
    await access(file)
  } catch {
    throw new Problem(
      404,
      'not-there',
      'This moment of the trial is not done yet, or its files were removed. Try it again.',
    )
  }
  return { file, trial }
}
