import { createHash } from 'node:crypto'
import { readdir, readFile, rename, rm, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { CheckMeasurement, filesBesideOf, type FileBeside } from '@hematine/core'
import type { JobRow } from '@hematine/database'
import { fileBeside, sha256OfResult } from '@hematine/media/volumes/result-files'
import { exists, flushToDisk, sha256OfFile } from '@hematine/media/volumes/volume-files'
import { z } from 'zod'

/**
 * A finished result waits beside a note of what was measured of it until the database knows both. While the database is away, a worker may end; whoever
 * takes the job up again finds the note and has only to place the file.
 */
const FinishedNote = z.object({
  jobId: z.int(),
  /** See `workFingerprint`. */
  work: z.string(),
  file: z.string(),
  measurement: CheckMeasurement,
  workSeconds: z.number().min(0),
})
export type FinishedNote = z.infer<typeof FinishedNote>

/** Hash of all that a job's result depends on: a note of other work than this does not count. */
export function workFingerprint(job: Pick<JobRow, 'identity' | 'treatment' | 'spec'>): string {
  const sorted = (value: unknown): unknown =>
    Array.isArray(value)
      ? value.map(sorted)
      : value && typeof value === 'object'
        ? Object.fromEntries(
            Object.entries(value)
              .sort(([a], [b]) => (a < b ? -1 : 1))
              .map(([key, entry]) => [key, sorted(entry)]),
          )
        : value
  return createHash('sha256')
    .update(JSON.stringify(sorted([job.identity, job.treatment, job.spec])))
    .digest('hex')
}

const noteName = (file: string) => `${file}.finished.json`

/** Leaves the note of a finished file beside it. */
export async function leaveNote(directory: string, note: FinishedNote): Promise<void> {
  const target = path.join(directory, noteName(note.file))
  await writeFile(`${target}.new`, JSON.stringify(note))
  await flushToDisk(`${target}.new`)
  await rename(`${target}.new`, target)
}

/** Removes a file of a job and the note beside it. */
export async function removeFinished(directory: string, file: string): Promise<void> {
  for (const name of await readdir(directory))
    if (name.startsWith(file)) await rm(path.join(directory, name), { recursive: true, force: true })
}

/** Removes everything that attempts at a job left: it is over. */
export async function removeAllOf(directory: string, jobId: number): Promise<void> {
  for (const name of await readdir(directory))
    if (name.startsWith(`job-${jobId}-`)) await rm(path.join(directory, name), { recursive: true, force: true })
}

/** A finished result of a job that was never placed; null without one that is whole. */
export async function findFinished(
  directory: string,
  job: Pick<JobRow, 'id' | 'identity' | 'treatment' | 'spec'>,
): Promise<FinishedNote | null> {
  const work = workFingerprint(job)
  for (const name of await readdir(directory)) {
    if (!name.startsWith(`job-${job.id}-`) || !name.endsWith('.finished.json')) continue
    const note = FinishedNote.safeParse(
      await readFile(path.join(directory, name), 'utf8')
        .then(text => JSON.parse(text) as unknown)
        .catch(() => null),
    ).data
    if (note?.work !== work || note.jobId !== job.id || noteName(note.file) !== name) continue
    const file = path.join(directory, note.file)
    if (!(await exists(file)) || (await sha256OfResult(file)) !== note.measurement.sha256) continue
    if (await areWhole(file, filesBesideOf(note.measurement))) return note
  }
  return null
}

/** Whether what lies beside a finished result is what was measured. */
async function areWhole(file: string, beside: readonly FileBeside[]): Promise<boolean> {
  for (const { added, sha256 } of beside) {
    const place = fileBeside(file, added)
    if (!(await exists(place)) || (await sha256OfFile(place)) !== sha256) return false
  }
  return true
}
