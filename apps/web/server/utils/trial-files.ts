import { access } from 'node:fs/promises'
import path from 'node:path'
import { Problem, readTrialWithFiles, type TrialRow, type VolumeRow } from '@hematine/database'
import { trialDirectory } from '@hematine/media/volume-files'
import type { Application } from './application'

export { lookFile, momentFile, sheetFile, soundFile, sourceSheetFile, sourceSoundFile } from '@hematine/media/trial-files'

/** A file of a tried moment. @throws Problem 404 while it is not there */
export async function trialFile(application: Application, id: number, index: number, nameOf: (trial: TrialRow) => string): Promise<{ file: string, trial: TrialRow }> {
  const trial = await readTrialWithFiles(application.em(), id)
  if (index >= trial.moments.length) throw new Problem(404, 'no-moment', `The trial has ${trial.moments.length} moments, numbered from 0.`)
  const file = path.join(await trialDirectory((trial.volume.getEntity() as VolumeRow).path, id), nameOf(trial))
  try {
    await access(file)
  } catch {
    throw new Problem(404, 'not-there', 'This moment of the trial is not done yet, or its files were removed. Try it again.')
  }
  return { file, trial }
}
