import { mkdir, readdir, rm, stat, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { listInventory, listOrders, listSources, listVolumes } from '@hematine/database'
import { describe, expect, test } from 'vitest'
import { demoNames, makeDemoMaterial, ownVolumes, seedDemo, seedEmpty } from '../src/index.ts'
import { seeded } from '../src/paint.ts'
import { useDatabase } from '../../../tests/support/database.ts'
import { demoSource } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

const db = useDatabase()
const scratch = scratchDirectory()

describe('the demo order', () => {
  test('is seeded once, with every kind of source and three volumes', async () => {
    const data = path.join(scratch, 'demo')
    // Names are enough for seeding; only the sequence is looked at.
    const sequence = path.join(ownVolumes(data).source, demoNames.sequence)
    await mkdir(sequence, { recursive: true })
    for (const number of [1, 2, 3]) await writeFile(path.join(sequence, `approach-000${number}.png`), '')
    const due = new Date('2026-11-28T08:00:00Z')
    await seedDemo(db.database, db.queue, data, due)
    await seedDemo(db.database, db.queue, data, due)
    const orders = await listOrders(db.em())
    expect(orders).toMatchObject([
      { code: 'SL-014', dueAt: '2026-11-28T08:00:00.000Z' },
      { code: 'SL-020', dueAt: '2026-11-28T08:00:00.000Z' },
    ])
    const archive = await listInventory(db.em(), orders[1]!.id)
    expect(archive).toHaveLength(400)
    const planned = (key: string) => archive.filter(({ specKey }) => specKey === key).length
    expect(['small-mp4', 'playback-box', 'still-png'].map(planned)).toEqual([210, 30, 160])
    expect(await listSources(db.em(), { orderId: orders[1]!.id })).toEqual([])
    expect((await listVolumes(db.em())).map(volume => volume.role)).toEqual(['source', 'working', 'delivery'])
    const sources = await listSources(db.em(), { orderId: orders[0]!.id })
    // The disc folder gives two titles; the reduced test is left for a person to bring in.
    expect(sources).toHaveLength(Object.keys(demoNames).length)
    expect(sources.some(({ relativePath }) => relativePath.startsWith(demoNames.reduced))).toBe(false)
    expect(sources.filter(source => source.kind === 'title').map(source => source.name)).toEqual([
      'Lamp-room training disc 4 title 1',
      'Lamp-room training disc 4 title 2',
      'Relief boat disc.iso title 1',
    ])
    expect(sources.find(source => source.kind === 'sequence')).toMatchObject({
      relativePath: 'Approach render/approach-[0001-0003].png',
      frameRate: { num: 24, den: 1 },
    })
  })

  test('a start without demo has an order to begin with and nothing in it', async () => {
    await db.fresh()
    await seedEmpty(db.database, path.join(scratch, 'empty'))
    await seedEmpty(db.database, path.join(scratch, 'empty'))
    const orders = await listOrders(db.em())
    expect(orders).toHaveLength(1)
    expect(await listSources(db.em(), { orderId: orders[0]!.id })).toEqual([])
  })
})

describe('the demo material', () => {
  test('is drawn once, and a part that is gone is drawn again', async () => {
    const file = await demoSource('notMedia')
    const directory = path.dirname(file)
    const before = (await stat(file)).mtimeMs
    expect(await makeDemoMaterial(directory, ['notMedia'])).toBe(false)
    expect((await stat(file)).mtimeMs).toBe(before)
    await rm(file)
    expect(await makeDemoMaterial(directory, ['notMedia'])).toBe(true)
    expect(await readdir(directory)).toContain(demoNames.notMedia)
  })

  test('is the same in every run: its chance comes from a seed', () => {
    const [one, two] = [seeded(7), seeded(7)]
    expect([one(), one(), one()]).toEqual([two(), two(), two()])
    expect(seeded(8)()).not.toBe(seeded(7)())
  })
})
