import { beforeEach, describe, expect, test } from 'vitest'
import { builtInSpecs, type PictureSpec, type SpecDraft } from '@hematine/core'
import { draftJobs, keepSpec, listSpecs, seedSpecs, specCalled } from '../src/index.ts'
import { makeOrder, useDatabase } from '../../../tests/support/database.ts'

const db = useDatabase()
beforeEach(() => db.fresh())

const { key: _key, ...box } = builtInSpecs[0] as PictureSpec
const draft = (changes: Partial<PictureSpec> = {}): SpecDraft => ({ ...box, name: 'Festival copy', ...changes })
const withQuality = (value: number): SpecDraft =>
  draft({ video: { ...box.video, rateControl: { kind: 'constant quality', value } } })

describe('the library of specs', () => {
  test('has those that ship, once, however often it is seeded', async () => {
    await seedSpecs(db.em())
    const specs = await listSpecs(db.em())
    expect(specs.map(({ spec, version, isShipped }) => [spec.key, version, isShipped])).toEqual(
      builtInSpecs.map(spec => [spec.key, 1, true]),
    )
  })

  test('keeps what a newer Hematine ships otherwise as another version', async () => {
    const connection = db.em().getConnection()
    await connection.execute('alter table spec disable trigger kept')
    await connection.execute(`update spec set spec = jsonb_set(spec, '{nameSuffix}', '"-old"') where key = 'small-mp4'`)
    await connection.execute('alter table spec enable trigger kept')
    await seedSpecs(db.em())
    expect((await specCalled(db.em(), 'small-mp4')).version).toBe(2)
    expect((await specCalled(db.em(), 'small-mp4')).nameSuffix).toBe('-small')
  })

  test('takes a new one and its versions; none of them is ever changed', async () => {
    const first = await keepSpec(db.em(), draft(), null)
    expect([first.spec.key, first.version, first.isShipped]).toEqual(['festival-copy', 1, false])
    const second = await keepSpec(db.em(), withQuality(24), 'festival-copy')
    expect(second.version).toBe(2)
    // Kept again as it is, it stays the version that it is.
    expect((await keepSpec(db.em(), withQuality(24), 'festival-copy')).version).toBe(2)
    expect((await listSpecs(db.em())).at(-1)!.version).toBe(2)
    await expect(db.em().getConnection().execute('delete from spec')).rejects.toThrow('never changed')
  })

  test('gives keys that no other has', async () => {
    await keepSpec(db.em(), draft({ name: 'Küste 4:3' }), null)
    const other = await keepSpec(db.em(), draft({ name: 'Kuste 4.3' }), null)
    expect(other.spec.key).toBe('kuste-4-3-2')
  })

  test('refuses what ships, what is called like another, and what makes no sense, in sentences', async () => {
    await expect(keepSpec(db.em(), draft(), 'playback-box')).rejects.toThrow('ships with Hematine and stays as it is')
    await expect(keepSpec(db.em(), draft(), 'nothing')).rejects.toThrow('There is no delivery spec nothing.')
    await expect(keepSpec(db.em(), draft({ name: 'small mp4' }), null)).rejects.toThrow(
      'There is a spec called Small MP4 already.',
    )
    await expect(keepSpec(db.em(), draft({ container: 'webm' }), null)).rejects.toThrow('WebM does not carry H.264.')
  })
})

test('a job keeps the version that it was drafted with, and says which', async () => {
  const { sourceIds, delivery } = await makeOrder(db, ['one.mp4'])
  const { spec } = await keepSpec(db.em(), draft(), null)
  const wish = () => draftJobs(db.em(), db.queue, [{ sourceId: sourceIds[0]!, specKey: spec.key }], delivery.id)
  expect((await wish()).jobs[0]!.specName).toBe('Festival copy')
  await keepSpec(db.em(), withQuality(30), spec.key)
  const again = (await wish()).jobs[0]!
  expect(again.specName).toBe('Festival copy v2')
})
