import { pictureSpecs, type SpecDraft } from '@hematine/core'
import { beforeEach, describe, expect, test } from 'vitest'
import { actOnJobs, draftJobs, keepSpec, listJobs, readJob } from '../src/index.ts'
import { makeOrder, useDatabase } from '../../../tests/support/database.ts'

const db = useDatabase()
let made: Awaited<ReturnType<typeof makeOrder>>
beforeEach(async () => {
  await db.fresh()
  made = await makeOrder(db, ['day 1/tape.mp4', 'day 2/tape.mp4', 'day 2/reel.mp4'])
})

/** A spec of one's own that names its results by a pattern. */
async function specNaming(namePattern: string): Promise<string> {
  const { key: _key, version: _version, ...box } = pictureSpecs[0]!
  const draft: SpecDraft = { ...box, name: `By ${namePattern}`, namePattern }
  return (await keepSpec(db.em(), draft, null)).spec.key
}
const draft = async (specKey: string) =>
  (
    await draftJobs(
      db.em(),
      db.queue,
      made.sourceIds.map(sourceId => ({ sourceId, specKey })),
      made.delivery.id,
    )
  ).jobs

describe('names of results', () => {
  test('are known when jobs are drafted, with the order and the place in it', async () => {
    const jobs = await draft(await specNaming('{order}/{number} {item} {size}'))
    const { code } = made.order
    expect(jobs.map(job => job.plannedPath)).toEqual([
      `${code}/0001 tape 1920x1080.mp4`,
      `${code}/0002 tape 1920x1080.mp4`,
      `${code}/0003 reel 1920x1080.mp4`,
    ])
    expect(jobs.map(job => job.isNameTaken)).toEqual([false, false, false])
  })

  test('that meet are said to, before anything is released and for as long as they do', async () => {
    const jobs = await draft('playback-box')
    expect(jobs.map(job => [job.plannedPath, job.isNameTaken])).toEqual([
      ['tape-box.mp4', true],
      ['tape-box.mp4', true],
      ['reel-box.mp4', false],
    ])
    await actOnJobs(db.em(), [jobs[0]!.id], 'cancel')
    expect((await listJobs(db.em(), { ids: [jobs[1]!.id] }))[0]!.isNameTaken).toBe(false)
  })

  test('meet what is delivered already', async () => {
    const [first, second] = await draft('playback-box')
    await db
      .em()
      .getConnection()
      .execute(`update job set state = 'done', output_path = planned_path where id = ?`, [first!.id])
    const later = await readJob(db.em(), second!.id)
    expect([later.plannedPath, later.isNameTaken]).toEqual(['tape-box.mp4', true])
    const done = await readJob(db.em(), first!.id)
    expect([done.plannedPath, done.isNameTaken, done.outputPath]).toEqual([null, false, 'tape-box.mp4'])
  })
})
