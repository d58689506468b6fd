import path from 'node:path'
import { nextName, type DeliverySpec } from '@hematine/core'
import {
  deliveryVolumeOf,
  failJob,
  finishJob,
  readPlacing,
  plannedPathOf,
  renamePlacing,
  type EntityManager,
} from '@hematine/database'
import { sha256OfResult } from '@hematine/media/volumes/result-files'
import { exists, makeFolder, placeFile, VolumeProblem, workDirectory } from '@hematine/media/volumes/volume-files'
import { removeAllOf } from './finished.ts'

/** The name that was planned for a result, or the next like it that nothing in the delivery volume has. */
export async function freeName(
  volumePath: string,
  planned: string,
  spec: Pick<DeliverySpec, 'container'>,
): Promise<string> {
  for (let counter = 1; ; counter++) {
    const name = counter === 1 ? planned : nextName(planned, spec, counter)
    if (!(await exists(path.join(volumePath, name)))) return name
  }
}

/**
 * Puts a checked result in its place and ends the job. Every step can be repeated, so that a stop at any moment leaves the job
 * to be finished by whoever comes next: the temporary file has a second name, or only the final one, or neither.
 */
export async function placeResult(em: EntityManager, jobId: number): Promise<void> {
  const job = await readPlacing(em, jobId)
  if (!job) return
  const volume = deliveryVolumeOf(job)
  const directory = await workDirectory(volume)
  const file = job.temporaryPath!
  const temporary = path.join(directory, file)
  const finish = async () => {
    await finishJob(em, jobId)
    await removeAllOf(directory, jobId)
  }
  let name = job.outputPath!
  if (await exists(temporary)) {
    // A folder that was there when the work began may be a file by now; the result is not lost for that.
    const isThere = await makeFolder(volume.path, path.dirname(name)).then(
      () => true,
      (error: unknown) => {
        if (error instanceof VolumeProblem && error.code !== 'away') return false
        throw error
      },
    )
    const wanted = isThere ? plannedPathOf(job) : path.basename(plannedPathOf(job))
    if (!isThere) {
      name = await freeName(volume.path, wanted, job.spec)
      await renamePlacing(em, jobId, name)
    }
    while (!(await placeFile(temporary, path.join(volume.path, name)))) {
      name = await freeName(volume.path, wanted, job.spec)
      await renamePlacing(em, jobId, name)
    }
    return finish()
  }
  const place = path.join(volume.path, name)
  if ((await exists(place)) && (await sha256OfResult(place)) === job.check!.measurement.sha256) return finish()
  await failJob(
    em,
    jobId,
    job.attempt,
    job.workerId ?? null,
    'The finished file vanished from the delivery volume before it got its place. Try again.',
  )
}
