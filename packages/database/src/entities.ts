import { defineEntity, p, type InferEntity } from '@mikro-orm/core'
import type {
  Check, DeliverySpec, JobEvent as JobEventName, JobProgress, JobState, NumberedSequence, Rational, SampleMeasurement, SampleState, SourceFacts, SourceKind, SourceState, Treatment, VolumeRole,
} from '@hematine/core'

export const OrderEntity = defineEntity({
  name: 'Order', tableName: 'work_order',
  properties: {
    id: p.integer().primary().autoincrement(),
    code: p.text(),
    name: p.text(),
    dueAt: p.datetime().nullable(),
    createdAt: p.datetime().defaultRaw('now()'),
  },
})
export type OrderRow = InferEntity<typeof OrderEntity>

export const VolumeEntity = defineEntity({
  name: 'Volume', tableName: 'volume',
  properties: {
    id: p.integer().primary().autoincrement(),
    name: p.text(),
    role: p.text().$type<VolumeRole>(),
    path: p.text().unique(),
    createdAt: p.datetime().defaultRaw('now()'),
  },
})
export type VolumeRow = InferEntity<typeof VolumeEntity>

export const SourceEntity = defineEntity({
  name: 'Source', tableName: 'source',
  properties: {
    id: p.integer().primary().autoincrement(),
    order: () => p.manyToOne(OrderEntity).ref(),
    volume: () => p.manyToOne(VolumeEntity).ref(),
    relativePath: p.text(),
    kind: p.text().$type<SourceKind>(),
    sequence: p.json().$type<NumberedSequence | null>().nullable(),
    frameRate: p.json().$type<Rational | null>().nullable(),
    state: p.text().$type<SourceState>(),
    reason: p.text().nullable(),
    facts: p.json().$type<SourceFacts | null>().nullable(),
    /** Size and time of the file when its facts were read, so that a changed file is noticed. */
    identity: p.text().nullable(),
    hasPoster: p.boolean().default(false),
    createdAt: p.datetime().defaultRaw('now()'),
  },
  uniques: [{ properties: ['order', 'volume', 'relativePath'] }],
})
export type SourceRow = InferEntity<typeof SourceEntity>

export const SampleEntity = defineEntity({
  name: 'Sample', tableName: 'sample',
  properties: {
    id: p.integer().primary().autoincrement(),
    /** Hash of all that the measurement depends on: the file, the treatment, the spec, the machine. */
    fingerprint: p.text().unique(),
    source: () => p.manyToOne(SourceEntity).ref().deleteRule('cascade'),
    treatment: p.json().$type<Treatment>(),
    spec: p.json().$type<DeliverySpec>(),
    state: p.text().$type<SampleState>(),
    measurement: p.json().$type<SampleMeasurement | null>().nullable(),
    reason: p.text().nullable(),
    createdAt: p.datetime().defaultRaw('now()'),
    measuredAt: p.datetime().nullable(),
  },
})
export type SampleRow = InferEntity<typeof SampleEntity>

export const JobEntity = defineEntity({
  name: 'Job', tableName: 'job',
  properties: {
    id: p.integer().primary().autoincrement(),
    order: () => p.manyToOne(OrderEntity).ref(),
    source: () => p.manyToOne(SourceEntity).ref(),
    sample: () => p.manyToOne(SampleEntity).ref().nullable(),
    deliveryVolume: () => p.manyToOne(VolumeEntity).ref(),
    spec: p.json().$type<DeliverySpec>(),
    treatment: p.json().$type<Treatment>(),
    state: p.text().$type<JobState>().index(),
    position: p.double().$type<number>(),
    /** Counts the times a worker took it; part of the temporary name, so that a stale process can harm nothing. */
    attempt: p.integer().default(0),
    /** Times that its worker or process was lost since a person last let it go. */
    losses: p.integer().default(0),
    workerId: p.uuid().nullable(),
    workerName: p.text().nullable(),
    progress: p.json().$type<JobProgress | null>().nullable(),
    /** Name of the result, chosen when it was about to be placed. */
    outputPath: p.text().nullable(),
    temporaryPath: p.text().nullable(),
    check: p.json().$type<Check | null>().nullable(),
    reason: p.text().nullable(),
    workSeconds: p.double().$type<number>().nullable(),
    createdAt: p.datetime().defaultRaw('now()'),
    releasedAt: p.datetime().nullable(),
    startedAt: p.datetime().nullable(),
    finishedAt: p.datetime().nullable(),
  },
})
export type JobRow = InferEntity<typeof JobEntity>

/** The small picture that stands for a source, apart from its row so that lists stay light. */
export const PosterEntity = defineEntity({
  name: 'Poster', tableName: 'poster',
  properties: {
    source: () => p.oneToOne(SourceEntity).primary().ref().deleteRule('cascade'),
    /** WebP. */
    picture: p.blob(),
  },
})

/** What happened to a job; rows are only ever added. */
export const JobEventEntity = defineEntity({
  name: 'JobEvent', tableName: 'job_event',
  properties: {
    id: p.integer().primary().autoincrement(),
    job: () => p.manyToOne(JobEntity).ref().deleteRule('cascade').index(),
    at: p.datetime().defaultRaw('now()'),
    event: p.text().$type<JobEventName | 'create' | 'move'>(),
    fromState: p.text().$type<JobState>().nullable(),
    toState: p.text().$type<JobState>(),
    note: p.text().nullable(),
  },
})
export type JobEventRow = InferEntity<typeof JobEventEntity>

export const WorkerEntity = defineEntity({
  name: 'Worker', tableName: 'worker',
  properties: {
    id: p.uuid().primary(),
    name: p.text(),
    machine: p.text(),
    /** Host name and process number: a worker of the same host can see at once whether this one still lives. */
    host: p.text(),
    pid: p.integer(),
    lanes: p.integer(),
    startedAt: p.datetime().defaultRaw('now()'),
    seenAt: p.datetime().defaultRaw('now()'),
    goneAt: p.datetime().nullable(),
  },
})
export type WorkerRow = InferEntity<typeof WorkerEntity>

/** Which worker has which task in hand, so that a lost worker's tasks can be handed out again at once. */
export const TaskClaimEntity = defineEntity({
  name: 'TaskClaim', tableName: 'task_claim',
  properties: {
    taskId: p.uuid().primary(),
    kind: p.text(),
    payload: p.json().$type<Record<string, unknown>>(),
    worker: () => p.manyToOne(WorkerEntity).ref().deleteRule('cascade'),
  },
})
export type TaskClaimRow = InferEntity<typeof TaskClaimEntity>

export const entities = [OrderEntity, VolumeEntity, SourceEntity, PosterEntity, SampleEntity, JobEntity, JobEventEntity, WorkerEntity, TaskClaimEntity]
