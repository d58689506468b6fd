import path from 'node:path'
import { findSequences } from '@hematine/core'
import { bringIn, createOrder, listOrders, registerVolume, type Arrival, type Database, type TaskQueue } from '@hematine/database'
import { mkdir, readdir, realpath } from 'node:fs/promises'
import { demoNames } from './material.ts'

/** Directories of the volumes that a fresh start registers, below the data directory. */
export function ownVolumes(dataDirectory: string) {
  const inVolumes = (name: string) => path.join(dataDirectory, 'volumes', name)
  return { source: inVolumes('sources'), working: inVolumes('working'), delivery: inVolumes('delivery') }
}

async function registerOwnVolumes(database: Database, dataDirectory: string): Promise<number> {
  const places = ownVolumes(dataDirectory)
  let sourceVolume = 0
  for (const [role, name] of [['source', 'Sources'], ['working', 'Working'], ['delivery', 'Delivery']] as const) {
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
  if (!await isFresh(database)) return
  await registerOwnVolumes(database, dataDirectory)
  await createOrder(database.em.fork(), { code: 'ORDER-1', name: 'First order', dueAt: null })
}

/** The demo order of Skerry Lights with its volumes and sources. @param dueAt when it is due */
export async function seedDemo(database: Database, queue: TaskQueue, dataDirectory: string, dueAt: Date): Promise<void> {
  if (!await isFresh(database)) return
  const volumeId = await registerOwnVolumes(database, dataDirectory)
  const order = await createOrder(database.em.fork(), { code: 'SL-014', name: 'Lamp-room discs', dueAt })
  const frames = await readdir(path.join(ownVolumes(dataDirectory).source, demoNames.sequence))
  const arrivals: Arrival[] = Object.entries(demoNames).map(([part, name]) => part === 'sequence'
    ? { kind: 'sequence', volumeId, directory: name, sequence: findSequences(frames).sequences[0]!, frameRate: { num: 24, den: 1 } }
    : { kind: 'file', volumeId, path: name })
  await bringIn(database.em.fork(), queue, order.id, arrivals)
}
