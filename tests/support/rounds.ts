import { copyFile, mkdir, mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import path from 'node:path'
import {
  deliveredFacts,
  hasPicture,
  planOf,
  type JobState,
  type Measurement,
  type SampleMeasurement,
  type SourceFacts,
} from '@hematine/core'
import {
  beginMeasuring,
  beginSample,
  bringIn,
  createOrder,
  draftJobs,
  keepFacts,
  keepMeasurement,
  keepSourceMeasurement,
  listJobs,
  readJob,
  registerVolume,
  unitsOf,
  type TaskQueue,
} from '@hematine/database'
import { measureSample, measureSource, measureSoundSample, readFacts } from '@hematine/media'
import { identityOf } from '@hematine/media/volumes/volume-files'
import type { useDatabase } from './database.ts'
import { openGate } from './jobs.ts'
import { patience } from './patience.ts'

type Database = ReturnType<typeof useDatabase>

/** Asks nobody: what would be asked for is known already. */
const nobody = { send: async () => '', sendMany: async () => undefined } as unknown as TaskQueue

/** A tape that many rounds work on: what workers would find of it is found once, here, and written down for each. */
export class KnownTape {
  private readonly samples = new Map<string, SampleMeasurement>()

  private constructor(
    readonly path: string,
    private readonly facts: SourceFacts,
    private readonly measurement: Measurement,
  ) {}

  static async read(path: string): Promise<KnownTape> {
    const input = { kind: 'file', path } as const
    const { facts, measurement } = await measureSource(
      input,
      await readFacts(input),
      'sampled',
      openGate,
      () => undefined,
    )
    return new KnownTape(path, facts, measurement)
  }

  /** Writes down what a source is that is a copy of it. */
  async keepSource(db: Database, sourceId: number, copy: string): Promise<void> {
    await keepFacts(db.em(), nobody, sourceId, this.facts, await identityOf({ kind: 'file', path: copy }))
    const begun = (await beginMeasuring(db.em(), sourceId))!
    await keepSourceMeasurement(db.em(), begun, this.measurement, this.facts, [])
  }

  /** Drafts a job of a source that is a copy of it, measured. */
  async draft(
    db: Database,
    { sourceId, deliveryId }: Pick<Round, 'sourceId' | 'deliveryId'>,
    specKey: string,
  ): Promise<number> {
    const asked: number[] = []
    const note = (payload: object) => {
      if ('sampleId' in payload) asked.push(payload.sampleId as number)
    }
    const queue = {
      send: async (_kind: string, payload: object) => note(payload),
      sendMany: async (_kind: string, tasks: { payload: object }[]) => tasks.forEach(({ payload }) => note(payload)),
    } as unknown as TaskQueue
    const { jobs, refused } = await draftJobs(db.em(), queue, [{ sourceId, specKey }], deliveryId)
    if (refused.length > 0) throw new Error(refused[0]!.reason)
    for (const sampleId of asked) {
      const row = (await beginSample(db.em(), sampleId))!
      await keepMeasurement(db.em(), sampleId, row.run, await this.sample(specKey, row))
    }
    return jobs[0]!.id
  }

  private async sample(specKey: string, row: Parameters<typeof planOf>[0]): Promise<SampleMeasurement> {
    const known = this.samples.get(specKey)
    if (known) return known
    const scratchDirectory = await mkdtemp(path.join(tmpdir(), 'hematine-round-'))
    const plan = {
      ...planOf(row),
      input: { kind: 'file', path: this.path } as const,
      facts: deliveredFacts(this.facts, row.treatment),
      scratchDirectory,
      machine: 'test',
    }
    const measurement = hasPicture(plan)
      ? await measureSample(plan, openGate, () => undefined)
      : await measureSoundSample(plan, openGate)
    this.samples.set(specKey, measurement)
    await rm(scratchDirectory, { recursive: true })
    return measurement
  }
}

/** An order with volumes and a source of its own, so that what one test leaves is nothing to the next. */
export interface Round {
  volumes: { source: string; delivery: string }
  orderId: number
  sourceId: number
  deliveryId: number
}

/** @param letter of the test file @param number of the round @param tape its source, of which it gets a copy */
export async function newRound(
  db: Database,
  scratch: string,
  [letter, number]: [string, number],
  tape: KnownTape,
): Promise<Round> {
  const root = path.join(scratch, `round-${number}`)
  const volumes = { source: path.join(root, 'sources'), delivery: path.join(root, 'delivery') }
  for (const directory of Object.values(volumes)) await mkdir(directory, { recursive: true })
  const copy = path.join(volumes.source, 'tape.mkv')
  await copyFile(tape.path, copy)
  const order = await createOrder(db.em(), { code: `${letter}-${number}`, name: 'Round', dueAt: null })
  const source = await registerVolume(db.em(), { name: `Sources ${number}`, role: 'source', path: volumes.source })
  const delivery = await registerVolume(db.em(), {
    name: `Delivery ${number}`,
    role: 'delivery',
    path: volumes.delivery,
  })
  const { brought } = await bringIn(db.em(), nobody, order.id, [
    { kind: 'file', volumeId: source.id, path: 'tape.mkv' },
  ])
  await tape.keepSource(db, brought[0]!.id, copy)
  return { volumes, orderId: order.id, sourceId: brought[0]!.id, deliveryId: delivery.id }
}

/** Waits for a job's state. @throws with all that is known of the job when it ends in another, or the time is over */
export async function untilState(db: Database, id: number, wanted: JobState): Promise<void> {
  const begun = Date.now()
  for (;;) {
    // A database that was killed is away for a moment.
    const [job] = await listJobs(db.em(), { ids: [id] }).catch(() => [])
    if (job?.state === wanted) return
    if ((job && ['failed', 'cancelled', 'done'].includes(job.state)) || Date.now() - begun > patience.timeout) {
      const { state, reason, attempt, progress, events } = await readJob(db.em(), id)
      const units = (await unitsOf(db.em(), id)).map(unit => [unit.kind, unit.place, unit.state, unit.run, unit.reason])
      throw new Error(
        `Job ${id} is ${state} and not ${wanted}: ${JSON.stringify({ reason, attempt, progress, events, units })}`,
      )
    }
    await new Promise(resolve => setTimeout(resolve, patience.interval))
  }
}
