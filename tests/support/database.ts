import { randomUUID } from 'node:crypto'
import type { SourceFacts } from '@hematine/core'
import {
  bringIn,
  connect,
  createOrder,
  keepFacts,
  registerVolume,
  registerWorker,
  TaskQueue,
  type Database,
  type WorkerIdentity,
} from '@hematine/database'
import { afterAll, beforeAll, inject } from 'vitest'
import { facts } from '../../packages/core/tests/examples.ts'
import { makeDatabase, startTemplateCluster } from './cluster.ts'

export interface TestDatabase {
  url: string
  database: Database
  queue: TaskQueue
  em(): Database['em']
  /** A database beside the others, empty, and migrated unless said otherwise; what was open before is closed. */
  fresh(migrated?: boolean): Promise<void>
  /** Of a cluster of one's own: ends its server at once, as a crash does. */
  kill(): void
}

/**
 * Databases of a test file in the cluster that all files share, made from one that is migrated already.
 * @param own whether the file has a cluster of its own, because it kills it
 */
export function useDatabase({ own = false } = {}): TestDatabase {
  let { server, template } = inject('cluster')
  let stopOwn = async () => undefined as void
  const file = randomUUID().slice(0, 8)
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
    state.url = await makeDatabase(server, `test_${file}_${++count}`, migrated ? template : null)
    state.database = await connect(state.url)
    isEnding = false
    state.queue = await TaskQueue.open(state.url, false, error => {
      if (!isEnding) throw error
    })
  }
  beforeAll(async () => {
    if (own) {
      const cluster = await startTemplateCluster()
      server = cluster.server
      template = cluster.template
      state.kill = cluster.kill
      stopOwn = cluster.stop
    }
    await state.fresh()
  })
  afterAll(async () => {
    await close()
    await stopOwn()
  })
  return state
}

/** An order with a source and a delivery volume and some sources that were read. */
export async function makeOrder(
  test: TestDatabase,
  names: readonly string[],
  volumes = { source: '/made-up/sources', delivery: '/made-up/delivery' },
  read: SourceFacts = facts(),
) {
  const order = await createOrder(test.em(), { code: 'T-1', name: 'Test', dueAt: null })
  const source = await registerVolume(test.em(), { name: 'Sources', role: 'source', path: volumes.source })
  const delivery = await registerVolume(test.em(), { name: 'Delivery', role: 'delivery', path: volumes.delivery })
  const { brought } = await bringIn(
    test.em(),
    test.queue,
    order.id,
    names.map(name => ({ kind: 'file', volumeId: source.id, path: name })),
  )
  for (const { id } of brought) await keepFacts(test.em(), test.queue, id, read, 'identity')
  return { order, source, delivery, sourceIds: brought.map(entry => entry.id) }
}

let workers = 0
/** A registered worker that is only a row. */
export async function makeWorker(test: TestDatabase, changes: Partial<WorkerIdentity> = {}): Promise<WorkerIdentity> {
  const worker = {
    id: crypto.randomUUID(),
    name: `worker ${++workers}`,
    machine: 'test, 2 cores',
    cores: null,
    host: 'here',
    pid: process.pid,
    lanes: 1,
    ...changes,
  }
  await registerWorker(test.em(), worker)
  return worker
}
