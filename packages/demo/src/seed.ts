import path from 'node:path'
import { findSequences, matchColumns, readInventory } from '@hematine/core'
import {
  addDrive,
  addToInventory,
  bringIn,
  createOrder,
  listDrives,
  listInventory,
  listOrders,
  planInventory,
  registerVolume,
  type Arrival,
  type Database,
  type TaskQueue,
} from '@hematine/database'
import { mkdir, readdir, realpath } from 'node:fs/promises'
import { archiveInventory } from './archive.ts'
import { demoInventory } from './inventory.ts'
import { demoNames, type DemoPart } from './material.ts'

/** Directories of the volumes that a fresh start registers, below the data directory. */
export function ownVolumes(dataDirectory: string) {
  const inVolumes = (name: string) => path.join(dataDirectory, 'volumes', name)
  return {
    source: inVolumes('sources'),
    working: inVolumes('working'),
    delivery: inVolumes('delivery'),
    shelf: path.join(dataDirectory, 'discs'),
  }
}

async function registerOwnVolumes(database: Database, dataDirectory: string): Promise<number> {
  const places = ownVolumes(dataDirectory)
  let sourceVolume = 0
  for (const [role, name] of [
    ['source', 'Sources'],
    ['working', 'Working'],
    ['delivery', 'Delivery'],
  ] as const) {
    await mkdir(places[role], { recursive: true })
    const volume = await registerVolume(database.em.fork(), { role, name, path: await realpath(places[role]) })
    if (role === 'source') sourceVolume = volume.id
  }
  return sourceVolume
}

/** Whether anything was ever seeded or made in this database. */
async function isFresh(database: Database): Promise<boolean> {
  return (await listOrders(database.em.fork())).length === 0
}

/** An order to begin with and volumes to work on, for a start without demo material. */
export async function seedEmpty(database: Database, dataDirectory: string): Promise<void> {
  if (!(await isFresh(database))) return
  await registerOwnVolumes(database, dataDirectory)
  await createOrder(database.em.fork(), { code: 'ORDER-1', name: 'First order', dueAt: null })
}

/** The demo orders of Skerry Lights, one with its sources and one that is announced, and the volumes. @param dueAt when they are due */
export async function seedDemo(
  database: Database,
  queue: TaskQueue,
  dataDirectory: string,
  dueAt: Date,
): Promise<void> {
  if (!(await isFresh(database))) return
  const volumeId = await registerOwnVolumes(database, dataDirectory)
  const order = await createOrder(database.em.fork(), { code: 'SL-014', name: 'Lamp-room discs', dueAt })
  const frames = await readdir(path.join(ownVolumes(dataDirectory).source, demoNames.sequence))
  const arrivals = (Object.keys(demoNames) as DemoPart[]).flatMap((part): Arrival[] => {
    if (part === 'reduced') return []
    const name = demoNames[part]
    if (part === 'sequence')
      return [
        {
          kind: 'sequence',
          volumeId,
          directory: name,
          sequence: findSequences(frames).sequences[0]!,
          frameRate: { num: 24, den: 1 },
        },
      ]
    const titles = part === 'discFolder' ? [1, 2] : part === 'discImage' ? [1] : []
    return titles.length > 0
      ? titles.map(title => ({ kind: 'title', volumeId, disc: { path: name, title, angle: 1 } }))
      : [{ kind: 'file', volumeId, path: name }]
  })
  await bringIn(database.em.fork(), queue, order.id, arrivals)
  const [headings = [], ...lines] = demoInventory
    .trim()
    .split('\n')
    .map(line => line.split(';'))
  await addToInventory(database.em.fork(), order.id, readInventory(lines, matchColumns(headings)).sources)
  await seedArchive(database, dueAt, new Date())
}

/** An order of which nothing is here yet, planned with specs. */
async function seedArchive(database: Database, dueAt: Date, at: Date): Promise<void> {
  const { id } = await createOrder(database.em.fork(), { code: 'SL-020', name: 'Harbour archive', dueAt })
  for (const { specKey, sources } of archiveInventory(at)) {
    await addToInventory(database.em.fork(), id, sources)
    const items = (await listInventory(database.em.fork(), id)).filter(item => item.specKey === null)
    await planInventory(
      database.em.fork(),
      items.map(item => item.id),
      specKey,
    )
  }
}

/** The stand-in drive, unless there is a drive already. */
export async function seedDrive(database: Database, dataDirectory: string): Promise<void> {
  if ((await listDrives(database.em.fork())).length === 0)
    await addDrive(database.em.fork(), { name: 'Stand-in drive', shelf: ownVolumes(dataDirectory).shelf, speed: 4 })
}
