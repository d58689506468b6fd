import path from 'node:path'
import type { SourceFacts } from '@hematine/core'
import { bringIn, connect, createOrder, keepFacts, migrate, registerVolume, registerWorker, TaskQueue, type Database, type WorkerIdentity } from '@hematine/database'
import { afterAll, beforeAll } from 'vitest'
import { facts } from '../../packages/core/tests/examples.ts'
import { startCluster, type Cluster } from '../../scripts/lib/cluster.ts'
import { scratchDirectory } from './scratch.ts'

export interface TestDatabase {
  url: string
  database: Database
  queue: TaskQueue
  em(): Database['em']
  /** A database beside the others, empty, and migrated unless said otherwise; what was open before is closed. */
  fresh(migrated?: boolean): Promise<void>
}

/** A PostgreSQL cluster for a test file, on a free port, gone when its tests are through. */
export function useDatabase(): TestDatabase {
  const directory = scratchDirectory()
  let cluster: Cluster | null = null
  let count = 0
  const state = { em: () => state.database.em.fork() } as TestDatabase
  // Connections end a little after their pool says so; the server may be gone by then.
  let isEnding = false
  const close = async () => {
    isEnding = true
    await state.queue?.close()
    await state.database?.close()
  }
  state.fresh = async (migrated = true) => {
    await close()
    state.url = await cluster!.database(`test_${++count}`)
    state.database = await connect(state.url)
    if (migrated) await migrate(state.database)
    isEnding = false
    state.queue = await TaskQueue.open(state.url, false, error => {
      if (!isEnding) throw error
    })
  }
  beforeAll(async () => {
    cluster = await startCluster(path.join(directory, 'postgres'), { lasting: false })
    await state.fresh()
  })
  afterAll(async () => {
    await close()
    await cluster?.stop()
  })
  return state
}

/** An order with a source and a delivery volume and some sources that were read. */
export async function makeOrder(test: TestDatabase, names: readonly string[], volumes = { source: '/made-up/sources', delivery: '/made-up/delivery' }, read: SourceFacts = facts()) {
  const order = await createOrder(test.em(), { code: 'T-1', name: 'Test', dueAt: null })
  const source = await registerVolume(test.em(), { name: 'Sources', role: 'source', path: volumes.source })
  const delivery = await registerVolume(test.em(), { name: 'Delivery', role: 'delivery', path: volumes.delivery })
  const { brought } = await bringIn(test.em(), test.queue, order.id, names.map(name => ({ kind: 'file', volumeId: source.id, path: name })))
  for (const { id } of brought) await keepFacts(test.em(), test.queue, id, read, 'identity', null)
  return { order, source, delivery, sourceIds: brought.map(entry => entry.id) }
}

let workers = 0
/** A registered worker that is only a row. */
export async function makeWorker(test: TestDatabase, changes: Partial<WorkerIdentity> = {}): Promise<WorkerIdentity> {
  const worker = { id: crypto.randomUUID(), name: `worker ${++workers}`, machine: 'test, 2 cores', host: 'here', pid: process.pid, lanes: 1, ...changes }
  await registerWorker(test.em(), worker)
  return worker
}
