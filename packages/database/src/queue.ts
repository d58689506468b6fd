import { hardwareCodecs, type EncoderNeed, type HardwareCodec, type MeasureDepth } from '@hematine/core'
import PgBoss from 'pg-boss'
import type { EntityManager, Knex } from '@mikro-orm/postgresql'
import type { ClientBase } from 'pg'
import { run } from './sql.ts'

/** Kinds of task that workers take. */
export const taskKinds = [
  'facts',
  'poster',
  'sample',
  'job',
  'scan',
  'measure',
  'copy',
  'trial',
  'curve',
  'compare',
  'unit',
] as const
export type TaskKind = (typeof taskKinds)[number]

/** Where the queue engine keeps its tables. */
const schema = 'task_queue'

/**
 * What the engine does by itself: nothing. Hematine hands a lost worker's tasks out again, within seconds, and what waits, waits for as long as it takes.
 * Of the engine's limits only these, in these units, are kept with a queue; the first cannot be longer.
 */
const rules = {
  policy: 'standard',
  retryLimit: 0,
  expireInSeconds: 23 * 3600,
  retentionMinutes: 10 * 365 * 24 * 60,
} as const

/** The codec that a graphics device is to encode, where one is: only workers that have such a device take the task. */
interface NeedsEncoder {
  need?: HardwareCodec
}

/** What a task's payload says of an encoder that it needs. */
export const needing = (need: EncoderNeed): NeedsEncoder => (need === null ? {} : { need })

/** Kinds of task that may need an encoder of a graphics device. */
const kindsWithNeeds: readonly TaskKind[] = ['sample', 'curve', 'job']

/** What a worker can take: null for what any can do, and codecs that its graphics devices encode. */
export type Needs = readonly EncoderNeed[]
const anyTask: Needs = [null]

export interface TaskPayloads {
  facts: { sourceId: number }
  poster: { sourceId: number }
  sample: { sampleId: number } & NeedsEncoder
  job: { jobId: number; attempt: number } & NeedsEncoder
  scan: { scanId: number }
  measure: { sourceId: number; depth: MeasureDepth; through?: true }
  copy: { copyId: number }
  trial: { trialId: number }
  curve: { curveId: number } & NeedsEncoder
  compare: { comparisonId: number }
  unit: { unitId: number; run: number }
}

export interface Task<Kind extends TaskKind = TaskKind> {
  id: string
  kind: Kind
  payload: TaskPayloads[Kind]
}

/**
 * The queue engine behind a small interface: tasks are sent within the sender's transaction, so that one that rolls back
 * sends nothing, and fetched by workers when they have room. Each is handed to one worker only.
 */
export class TaskQueue {
  private constructor(private readonly boss: PgBoss) {}

  /** @param supervise whether this process also tidies the engine's tables; one is enough */
  static async open(url: string, supervise: boolean, onError: (error: Error) => void): Promise<TaskQueue> {
    const boss = new PgBoss({
      connectionString: url,
      schema,
      supervise,
      schedule: false,
      max: 3,
      application_name: 'hematine tasks',
    })
    boss.on('error', onError)
    await boss.start()
    for (const name of taskKinds.flatMap(kind => queueNames(kind, everyNeed))) {
      const there = await boss.getQueue(name)
      if (!there) await boss.createQueue(name, { name, ...rules })
      else if (there.retentionMinutes !== rules.retentionMinutes || there.expireInSeconds !== rules.expireInSeconds)
        await boss.updateQueue(name, { name, ...rules })
    }
    return new TaskQueue(boss)
  }

  /** @returns the task's id */
  async send<Kind extends TaskKind>(
    kind: Kind,
    payload: TaskPayloads[Kind],
    em: EntityManager,
    priority = 0,
  ): Promise<string> {
    const id = await this.boss.send(queueOf(kind, payload), payload, { priority, db: withinTransaction(em) })
    if (id === null) throw new Error(`The ${kind} task could not be queued.`)
    return id
  }

  /** Sends many tasks of a kind in one statement. */
  async sendMany<Kind extends TaskKind>(
    kind: Kind,
    tasks: readonly { payload: TaskPayloads[Kind]; priority: number }[],
    em: EntityManager,
  ): Promise<void> {
    if (tasks.length === 0) return
    await this.boss.insert(
      tasks.map(({ payload, priority }) => ({ name: queueOf(kind, payload), data: payload, priority })),
      { db: withinTransaction(em) },
    )
  }

  /** A task that waits is taken before all of lower priority; one that was taken already stays with whoever has it. */
  async bringForward<Kind extends TaskKind>(
    kind: Kind,
    payload: TaskPayloads[Kind],
    priority: number,
    em: EntityManager,
  ): Promise<void> {
    await run(
      em,
      `update ${schema}.job set priority = ? where name = ? and state < 'active' and data = ?::jsonb and priority < ?`,
      [priority, queueOf(kind, payload), JSON.stringify(payload), priority],
    )
  }

  /**
   * Kinds of which tasks wait, all in one look: workers look often, and mostly there is nothing.
   * @param needs what can be taken
   */
  async waitingKinds(em: EntityManager, needs: Needs = anyTask): Promise<Set<TaskKind>> {
    const kinds = new Map(taskKinds.flatMap(kind => queueNames(kind, needs).map(name => [name, kind])))
    const rows = await run<{ name: string }>(
      em,
      `select kind.name from unnest(?::text[]) as kind (name)
       where exists (select 1 from ${schema}.job where job.name = kind.name and job.state < 'active' and job.start_after < now())`,
      [`{${[...kinds.keys()].join(',')}}`],
    )
    return new Set(rows.map(({ name }) => kinds.get(name)!))
  }

  /**
   * The next waiting tasks of a kind, at most so many, the caller's once the transaction of `em` is through. What needs a graphics device comes first: not every
   * worker can take it.
   * @param needs what can be taken
   */
  async take<Kind extends TaskKind>(
    kind: Kind,
    em: EntityManager,
    most: number,
    needs: Needs = anyTask,
  ): Promise<Task<Kind>[]> {
    const taken: Task<Kind>[] = []
    for (const name of queueNames(kind, needs)) {
      if (taken.length >= most) break
      const tasks = await this.boss.fetch<TaskPayloads[Kind]>(name, {
        batchSize: most - taken.length,
        priority: true,
        db: withinTransaction(em),
      })
      taken.push(...tasks.map(task => ({ id: task.id, kind, payload: task.data })))
    }
    return taken
  }

  /** Ends tasks. */
  async complete(tasks: readonly Task[], em: EntityManager): Promise<void> {
    const ids = new Map<string, string[]>()
    for (const { id, kind, payload } of tasks) {
      const name = queueOf(kind, payload)
      ids.set(name, [...(ids.get(name) ?? []), id])
    }
    // The engine takes several numbers too; its types then leave out the data, which it nevertheless reads as the third argument.
    for (const [name, some] of ids) await this.boss.complete(name, some as never, {}, { db: withinTransaction(em) })
  }

  async close(): Promise<void> {
    await this.boss.stop({ graceful: false, wait: true, close: true })
  }
}

const everyNeed: Needs = [...hardwareCodecs, null]

/** Queues in which tasks of a kind wait, by what they need; those of graphics devices first. */
function queueNames(kind: TaskKind, needs: Needs): string[] {
  const codecs = kindsWithNeeds.includes(kind) ? needs.filter(need => need !== null) : []
  return [...codecs.map(codec => `${kind}.${codec}`), ...(needs.includes(null) ? [kind] : [])]
}

function queueOf(kind: TaskKind, payload: TaskPayloads[TaskKind]): string {
  return 'need' in payload && payload.need ? `${kind}.${payload.need}` : kind
}

/** Lets the queue engine work through a unit of work's own connection, within its transaction. */
function withinTransaction(em: EntityManager): PgBoss.Db {
  const transaction = em.getTransactionContext<Knex.Transaction>()
  if (!transaction) throw new Error('Tasks are sent and taken within a transaction.')
  return {
    async executeSql(text, values) {
      const client = await (transaction.client as { acquireConnection(): Promise<ClientBase> }).acquireConnection()
      return client.query(text, values)
    },
  }
}
