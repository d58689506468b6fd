import { randomUUID } from 'node:crypto'
import { defineEntity, p, type InferEntity } from '@mikro-orm/core'
import type {
  AssetKind,
  Basis,
  Calibration,
  Check,
  DeliverySpec,
  DiscCopyRecord,
  DiscPlace,
  Finding,
  Fineness,
  JobEvent as JobEventName,
  JobExtent,
  JobProgress,
  JobState,
  JoinPart,
  Likeness,
  Measured,
  Measurement,
  MeasureState,
  Moment,
  NumberedSequence,
  PlannedSource,
  Promised,
  Range,
  Rational,
  CurveMeasurement,
  CurveState,
  TreatedLikeness,
  SampleMeasurement,
  SampleState,
  ScanRecord,
  SectorRange,
  Piece,
  SourceFacts,
  SourceKind,
  SourceState,
  Step,
  Told,
  Treatment,
  TrialMoment,
  TrialState,
  UnitKind,
  UnitState,
  VolumeRole,
  WorkingHours,
  EncoderNeed,
  FoundDevices,
  StandInFault,
} from '@hematine/core'

export const OrderEntity = defineEntity({
  name: 'Order',
  tableName: 'work_order',
  properties: {
    id: p.integer().primary().autoincrement(),
    code: p.text(),
    name: p.text(),
    dueAt: p.datetime().nullable(),
    /** How often its lateness counts. */
    lateWeight: p.integer().default(1),
    /** How much must be alike in a lot. */
    lotFineness: p.text().$type<Fineness>().default('usual'),
    createdAt: p.datetime().defaultRaw('now()'),
  },
})
export type OrderRow = InferEntity<typeof OrderEntity>

export const VolumeEntity = defineEntity({
  name: 'Volume',
  tableName: 'volume',
  properties: {
    id: p.integer().primary().autoincrement(),
    name: p.text(),
    role: p.text().$type<VolumeRole>(),
    path: p.text().unique(),
    /** Name of the directory that this installation has in it; another installation has another. */
    marker: p.text().onCreate(() => randomUUID()),
    /** When that directory was made. From then on, a place without it is not the volume but what its disk is mounted on. */
    markedAt: p.datetime().nullable(),
    createdAt: p.datetime().defaultRaw('now()'),
  },
})
export type VolumeRow = InferEntity<typeof VolumeEntity>

/** A version of a treatment; rows are only ever added. */
/** A version of a delivery spec. */
export const SpecEntity = defineEntity({
  name: 'Spec',
  tableName: 'spec',
  properties: {
    id: p.integer().primary().autoincrement(),
    key: p.text(),
    version: p.integer(),
    spec: p.json().$type<DeliverySpec>(),
    isShipped: p.boolean().default(false),
    createdAt: p.datetime().defaultRaw('now()'),
  },
  uniques: [{ properties: ['key', 'version'] }],
})
export type SpecRow = InferEntity<typeof SpecEntity>

export const TreatmentEntity = defineEntity({
  name: 'Treatment',
  tableName: 'treatment',
  properties: {
    id: p.integer().primary().autoincrement(),
    name: p.text(),
    version: p.integer(),
    steps: p.json().$type<Step[]>(),
    createdAt: p.datetime().defaultRaw('now()'),
  },
  uniques: [{ properties: ['name', 'version'] }],
})
export type TreatmentRow = InferEntity<typeof TreatmentEntity>

/** A lookup table or picture that steps name; rows are only ever added. */
export const AssetEntity = defineEntity({
  name: 'Asset',
  tableName: 'asset',
  properties: {
    sha256: p.text().primary(),
    name: p.text(),
    kind: p.text().$type<AssetKind>(),
    about: p.text(),
    data: p.blob(),
    createdAt: p.datetime().defaultRaw('now()'),
  },
})
export type AssetRow = InferEntity<typeof AssetEntity>

export const LotEntity = defineEntity({
  name: 'Lot',
  tableName: 'lot',
  properties: {
    id: p.integer().primary().autoincrement(),
    order: () => p.manyToOne(OrderEntity).ref(),
    /** Given by a person; null while its letter serves. */
    name: p.text().nullable(),
    /** Of its letter: 0 is A. */
    number: p.integer(),
    byHand: p.boolean().default(false),
    /** What its first source is like: the reason that is shown. */
    likeness: p.json().$type<Likeness>(),
    /** Keys of the likenesses whose new sources come here; more than one after lots were merged. */
    likenessKeys: p.json().$type<string[]>(),
    treatment: () => p.manyToOne(TreatmentEntity).ref().nullable().deleteRule('set null').index(),
    createdAt: p.datetime().defaultRaw('now()'),
  },
  uniques: [{ properties: ['order', 'number'] }],
})
export type LotRow = InferEntity<typeof LotEntity>

export const SourceEntity = defineEntity({
  name: 'Source',
  tableName: 'source',
  properties: {
    id: p.integer().primary().autoincrement(),
    order: () => p.manyToOne(OrderEntity).ref(),
    volume: () => p.manyToOne(VolumeEntity).ref(),
    relativePath: p.text(),
    kind: p.text().$type<SourceKind>(),
    sequence: p.json().$type<NumberedSequence | null>().nullable(),
    frameRate: p.json().$type<Rational | null>().nullable(),
    disc: p.json().$type<DiscPlace | null>().nullable(),
    /** Goes up whenever it is to be read anew: what an older read finds no longer counts. */
    revision: p.integer().default(1),
    /** What a join is put together from. */
    joined: p.json().$type<JoinPart[] | null>().nullable(),
    expectedLast: p.integer().nullable(),
    state: p.text().$type<SourceState>(),
    reason: p.text().nullable(),
    facts: p.json().$type<SourceFacts | null>().nullable(),
    /** Size and time of the file when its facts were read, so that a changed file is noticed. */
    identity: p.text().nullable(),
    hasPoster: p.boolean().default(false),
    createdAt: p.datetime().defaultRaw('now()'),
    lot: () => p.manyToOne(LotEntity).ref().nullable().deleteRule('set null').index(),
    lotByHand: p.boolean().default(false),
    measureState: p.text().$type<MeasureState>().default('none'),
    measureReason: p.text().nullable(),
    /** Counts the measurements begun; only the newest is kept. */
    measureRun: p.integer().default(0),
    /** How far a measurement that is under way is, 0 to 1. */
    measurePart: p.double().$type<number>().nullable(),
    measured: p.json().$type<Measured | null>().nullable(),
    findings: p.json().$type<Finding[] | null>().nullable(),
    /** The rules that the findings were drawn by. */
    rulesVersion: p.integer().nullable(),
    /** Set by a person; null while they are chosen by measurement. */
    moments: p.json().$type<Moment[] | null>().nullable(),
    // What lists filter and sort by, out of facts and findings.
    name: p.text().default(''),
    material: p.text().nullable(),
    codec: p.text().nullable(),
    width: p.integer().nullable(),
    height: p.integer().nullable(),
    rate: p.double().$type<number>().nullable(),
    seconds: p.double().$type<number>().nullable(),
    bytes: p.double().$type<number>().nullable(),
    scan: p.text().nullable(),
    /** Keys of the findings between commas, with one before the first and after the last. */
    findingKeys: p.text().default(','),
    faultCount: p.integer().default(0),
  },
  uniques: [{ properties: ['order', 'volume', 'relativePath'] }],
  indexes: [{ properties: ['order', 'lot', 'name'] }],
})
export type SourceRow = InferEntity<typeof SourceEntity>

export const SampleEntity = defineEntity({
  name: 'Sample',
  tableName: 'sample',
  properties: {
    id: p.integer().primary().autoincrement(),
    /** Hash of all that the measurement depends on but the machine, which it says itself: the file, the treatment, the spec. */
    fingerprint: p.text().unique(),
    source: () => p.manyToOne(SourceEntity).ref().deleteRule('cascade'),
    treatment: p.json().$type<Treatment>(),
    spec: p.json().$type<DeliverySpec>(),
    state: p.text().$type<SampleState>(),
    /** Counts the measurements begun or asked for; only the newest is kept. */
    run: p.integer().default(0),
    /** What the whole job is; null in rows older than the column, where treatment and spec say it. */
    extent: p.json().$type<JobExtent | null>().nullable(),
    /** Group of like work: one lot's sources under one spec and one treatment. */
    likeKey: p.text().nullable(),
    /** Amount of work, see `unitsOf`. */
    units: p.double().$type<number>().nullable(),
    measurement: p.json().$type<SampleMeasurement | null>().nullable(),
    reason: p.text().nullable(),
    createdAt: p.datetime().defaultRaw('now()'),
    measuredAt: p.datetime().nullable(),
  },
  indexes: [
    { properties: ['likeKey', 'state'] },
    {
      name: 'sample_open_index',
      expression: `create index "sample_open_index" on "sample" ("id") where "state" in ('waiting', 'measuring')`,
    },
  ],
})
export type SampleRow = InferEntity<typeof SampleEntity>

/** The curve of rate and quality of what a sample was measured of. */
export const CurveEntity = defineEntity({
  name: 'Curve',
  tableName: 'curve',
  properties: {
    id: p.integer().primary().autoincrement(),
    sample: () => p.oneToOne(SampleEntity).ref().owner().deleteRule('cascade'),
    state: p.text().$type<CurveState>(),
    /** Counts the measurements begun; only the newest is kept. */
    run: p.integer().default(0),
    /** How much of it is done, 0 to 1, while it is measured. */
    part: p.double().$type<number>().nullable(),
    measurement: p.json().$type<CurveMeasurement | null>().nullable(),
    reason: p.text().nullable(),
    /** Where its pictures are kept. */
    volume: () => p.manyToOne(VolumeEntity).ref().nullable(),
    /** The run that the kept measurement is of, and its pictures; null where it has none. */
    pictureRun: p.integer().nullable(),
  },
})
export type CurveRow = InferEntity<typeof CurveEntity>

/** How like the treated frames of one sample's source are to those of another's. */
export const ComparisonEntity = defineEntity({
  name: 'Comparison',
  tableName: 'comparison',
  properties: {
    id: p.integer().primary().autoincrement(),
    sample: () => p.manyToOne(SampleEntity).ref().deleteRule('cascade'),
    reference: () => p.manyToOne(SampleEntity).ref().deleteRule('cascade'),
    state: p.text().$type<CurveState>(),
    /** Counts the measurements begun; only the newest is kept. */
    run: p.integer().default(0),
    /** How much of it is done, 0 to 1, while it is measured. */
    part: p.double().$type<number>().nullable(),
    likeness: p.json().$type<TreatedLikeness | null>().nullable(),
    reason: p.text().nullable(),
  },
  uniques: [{ properties: ['sample', 'reference'] }],
})
export type ComparisonRow = InferEntity<typeof ComparisonEntity>

export const JobEntity = defineEntity({
  name: 'Job',
  tableName: 'job',
  properties: {
    id: p.integer().primary().autoincrement(),
    order: () => p.manyToOne(OrderEntity).ref().index(),
    source: () => p.manyToOne(SourceEntity).ref().index(),
    sample: () => p.manyToOne(SampleEntity).ref().nullable().index(),
    deliveryVolume: () => p.manyToOne(VolumeEntity).ref(),
    spec: p.json().$type<DeliverySpec>(),
    treatment: p.json().$type<Treatment>(),
    /** What it asks of a worker, as `jobNeed` has it: the database works it out, so that it is that of the spec whatever changes. */
    need: p
      .text()
      .$type<EncoderNeed>()
      .nullable()
      .generated(
        `(case when spec #>> '{video,encoder}' = 'hardware' and treatment ->> 'copied' is distinct from 'true' then spec #>> '{video,codec}' else null end) stored`,
      ),
    /** Which piece of the source it is of; null for the whole. */
    piece: p.json().$type<Piece | null>().nullable(),
    /** Of the source when the job was drafted; it runs by these, whatever is read of the source later. */
    facts: p.json().$type<SourceFacts | null>().nullable().lazy(true, false),
    findings: p.json().$type<Finding[] | null>().nullable().lazy(true, false),
    identity: p.text().nullable(),
    /** Name and version of the library's treatment that it was made with. */
    treatmentName: p.text().nullable(),
    state: p.text().$type<JobState>().index(),
    position: p.double().$type<number>(),
    /** Counts the times a worker took it; part of the temporary name, so that a stale process can harm nothing. */
    attempt: p.integer().default(0),
    /** Times that its worker or process was lost since a person last let it go. */
    losses: p.integer().default(0),
    workerId: p.uuid().nullable(),
    workerName: p.text().nullable(),
    progress: p.json().$type<JobProgress | null>().nullable(),
    /** Path of the result as it was drafted; null for jobs of before there were patterns. */
    plannedPath: p.text().nullable().index(),
    /** Path of the result, chosen when it was about to be placed. */
    outputPath: p.text().nullable().index(),
    temporaryPath: p.text().nullable(),
    check: p.json().$type<Check | null>().nullable(),
    reason: p.text().nullable(),
    workSeconds: p.double().$type<number>().nullable(),
    /** Its forecast when it was begun; it is held against what the job takes. */
    promised: p.json().$type<Promised | null>().nullable(),
    /** Why it is made in one go although it could be in segments: they did not fit together. A sentence. */
    wholeBecause: p.text().nullable(),
    createdAt: p.datetime().defaultRaw('now()'),
    releasedAt: p.datetime().nullable(),
    /** Set while it waits for a volume that is not there: it is not begun before. */
    notBefore: p.datetime().nullable(),
    startedAt: p.datetime().nullable(),
    finishedAt: p.datetime().nullable(),
  },
})
export type JobRow = InferEntity<typeof JobEntity>

/** A part of a job that is made by itself. */
export const WorkUnitEntity = defineEntity({
  name: 'WorkUnit',
  tableName: 'work_unit',
  properties: {
    id: p.integer().primary().autoincrement(),
    job: () => p.manyToOne(JobEntity).ref().deleteRule('cascade'),
    /** Of all that the job's result depends on: a unit of other work than this does not count. */
    work: p.text(),
    kind: p.text().$type<UnitKind>(),
    place: p.integer(),
    firstFrame: p.integer(),
    /** Null for all that are left. */
    frames: p.integer().nullable(),
    state: p.text().$type<UnitState>(),
    /** Counts the tasks sent for it; an older one means nothing. */
    run: p.integer().default(0),
    workerId: p.uuid().nullable(),
    framesDone: p.integer().default(0),
    /** Of work that it took. */
    seconds: p.double().$type<number>().nullable(),
    /** Times that its worker was lost. */
    losses: p.integer().default(0),
    /** Why it could not be done, as a sentence; and whether a file was not there, which may pass. */
    reason: p.text().nullable(),
    isAway: p.boolean().default(false),
  },
  uniques: [{ properties: ['job', 'place'] }],
})
export type WorkUnitRow = InferEntity<typeof WorkUnitEntity>

/** A finished job against what was forecast of it when it was begun; it outlives the job. */
export const OutcomeEntity = defineEntity({
  name: 'Outcome',
  tableName: 'forecast_outcome',
  properties: {
    id: p.integer().primary().autoincrement(),
    jobId: p.integer(),
    sourceName: p.text(),
    specName: p.text(),
    /** Its kind of work (see `kindOfWork`), and what its forecast was made of. */
    kind: p.text(),
    basis: p.text().$type<Basis>(),
    /** Of how many results its ranges were. */
    heldAgainst: p.integer().nullable(),
    finishedAt: p.datetime(),
    /** As it was told, as its samples alone had it, and what it came to. */
    seconds: p.json().$type<Told & { raw: Range }>(),
    bytes: p.json().$type<Told & { raw: Range }>(),
  },
  indexes: [{ properties: ['kind', 'id'] }, { properties: ['basis', 'id'] }],
})
export type OutcomeRow = InferEntity<typeof OutcomeEntity>

/** What finished work of a kind, or of a basis, says of the forecasts of its like. */
export const CalibrationEntity = defineEntity({
  name: 'Calibration',
  tableName: 'calibration',
  properties: {
    id: p.integer().primary().autoincrement(),
    kind: p.text().unique(),
    /** Results there were of it, at all, when it was made. */
    results: p.integer(),
    calibration: p.json().$type<Calibration>(),
    madeAt: p.datetime().defaultRaw('now()'),
  },
})

/** The small picture that stands for a source, apart from its row so that lists stay light. */
export const PosterEntity = defineEntity({
  name: 'Poster',
  tableName: 'poster',
  properties: {
    source: () => p.oneToOne(SourceEntity).primary().ref().deleteRule('cascade'),
    /** WebP. */
    picture: p.blob(),
  },
})

/** What was measured of a source, as it was measured. */
export const MeasurementEntity = defineEntity({
  name: 'Measurement',
  tableName: 'measurement',
  properties: {
    source: () => p.oneToOne(SourceEntity).primary().ref().deleteRule('cascade'),
    measurement: p.json().$type<Measurement>(),
    measuredAt: p.datetime().defaultRaw('now()'),
  },
})

/** Small pictures from places spread over a source. */
export const StripEntity = defineEntity({
  name: 'Strip',
  tableName: 'strip',
  properties: {
    source: () => p.manyToOne(SourceEntity).ref().deleteRule('cascade').primary(),
    index: p.integer().primary(),
    seconds: p.double().$type<number>(),
    /** WebP. */
    picture: p.blob(),
  },
})

/** A folder that is gone through in the background, and how far that is. */
export const ScanEntity = defineEntity({
  name: 'Scan',
  tableName: 'scan',
  properties: {
    id: p.integer().primary().autoincrement(),
    order: () => p.manyToOne(OrderEntity).ref(),
    volume: () => p.manyToOne(VolumeEntity).ref(),
    path: p.text(),
    frameRate: p.json().$type<Rational>(),
    state: p.text().$type<ScanRecord['state']>(),
    /** Directories yet to be gone through, the next one last. */
    pending: p.json().$type<string[]>(),
    directoriesDone: p.integer().default(0),
    filesSeen: p.integer().default(0),
    brought: p.integer().default(0),
    alreadyThere: p.integer().default(0),
    refusedCount: p.integer().default(0),
    refused: p.json().$type<ScanRecord['refused']>(),
    createdAt: p.datetime().defaultRaw('now()'),
    endedAt: p.datetime().nullable(),
  },
})
export type ScanRow = InferEntity<typeof ScanEntity>

/** A folder that is looked at again and again for new files. */
export const WatchEntity = defineEntity({
  name: 'Watch',
  tableName: 'watch',
  properties: {
    id: p.integer().primary().autoincrement(),
    order: () => p.manyToOne(OrderEntity).ref(),
    volume: () => p.manyToOne(VolumeEntity).ref(),
    path: p.text(),
    frameRate: p.json().$type<Rational>(),
    /** Size and time of each file that is not yet taken for finished, by its path. */
    growing: p.json().$type<Record<string, string>>(),
    problem: p.text().nullable(),
    lookedAt: p.datetime().nullable(),
    createdAt: p.datetime().defaultRaw('now()'),
  },
  uniques: [{ properties: ['order', 'volume', 'path'] }],
})
export type WatchRow = InferEntity<typeof WatchEntity>

/** An item of an inventory: material that is announced, and the source it turned out to be. */
export const PlannedEntity = defineEntity({
  name: 'Planned',
  tableName: 'planned_source',
  properties: {
    id: p.integer().primary().autoincrement(),
    order: () => p.manyToOne(OrderEntity).ref(),
    planned: p.json().$type<PlannedSource>(),
    /** See `inventoryKey`. */
    key: p.text(),
    /** Of the spec that it is planned with. */
    specKey: p.text().nullable(),
    /** Of a draft that it is planned to be done like; with its spec alone where there is none. */
    sample: () => p.manyToOne(SampleEntity).ref().nullable().deleteRule('set null').index(),
    source: () => p.manyToOne(SourceEntity).ref().nullable().deleteRule('set null').index(),
    createdAt: p.datetime().defaultRaw('now()'),
  },
  uniques: [{ properties: ['order', 'key'] }],
})
export type PlannedRow = InferEntity<typeof PlannedEntity>

/** A disc drive; the one that ships is a stand-in whose discs are images in a directory. */
export const DriveEntity = defineEntity({
  name: 'Drive',
  tableName: 'drive',
  properties: {
    id: p.integer().primary().autoincrement(),
    name: p.text(),
    /** Absolute path of the directory with its discs. */
    shelf: p.text(),
    disc: p.text().nullable(),
    speed: p.double().$type<number>(),
    badSectors: p.json().$type<SectorRange[]>(),
  },
})
export type DriveRow = InferEntity<typeof DriveEntity>

/** A disc that is, or was, read into an image. */
export const DiscCopyEntity = defineEntity({
  name: 'DiscCopy',
  tableName: 'disc_copy',
  properties: {
    id: p.integer().primary().autoincrement(),
    order: () => p.manyToOne(OrderEntity).ref(),
    volume: () => p.manyToOne(VolumeEntity).ref(),
    drive: () => p.manyToOne(DriveEntity).ref(),
    disc: p.text(),
    state: p.text().$type<DiscCopyRecord['state']>(),
    sectorsDone: p.integer().default(0),
    sectorsTotal: p.integer().nullable(),
    unreadable: p.json().$type<SectorRange[]>(),
    path: p.text().nullable(),
    brought: p.integer().default(0),
    reason: p.text().nullable(),
    createdAt: p.datetime().defaultRaw('now()'),
    endedAt: p.datetime().nullable(),
  },
})
export type DiscCopyRow = InferEntity<typeof DiscCopyEntity>

/** A treatment and spec tried on some moments of a source. Its files lie in the work directory of a volume. */
export const TrialEntity = defineEntity({
  name: 'Trial',
  tableName: 'trial',
  properties: {
    id: p.integer().primary().autoincrement(),
    order: () => p.manyToOne(OrderEntity).ref(),
    lot: () => p.manyToOne(LotEntity).ref().nullable().deleteRule('set null').index(),
    source: () => p.manyToOne(SourceEntity).ref().deleteRule('cascade').index(),
    volume: () => p.manyToOne(VolumeEntity).ref(),
    label: p.text(),
    steps: p.json().$type<Step[]>(),
    treatment: p.json().$type<Treatment>(),
    spec: p.json().$type<DeliverySpec>(),
    moments: p.json().$type<Moment[]>(),
    results: p.json().$type<(TrialMoment | null)[]>(),
    /** Moments of which a first picture is there. */
    looks: p.integer().default(0),
    state: p.text().$type<TrialState>(),
    reason: p.text().nullable(),
    createdAt: p.datetime().defaultRaw('now()'),
  },
})
export type TrialRow = InferEntity<typeof TrialEntity>

/** What happened to a job; rows are only ever added. */
export const JobEventEntity = defineEntity({
  name: 'JobEvent',
  tableName: 'job_event',
  properties: {
    id: p.integer().primary().autoincrement(),
    job: () => p.manyToOne(JobEntity).ref().deleteRule('cascade').index(),
    at: p.datetime().defaultRaw('now()'),
    event: p.text().$type<JobEventName | 'create' | 'move'>(),
    fromState: p.text().$type<JobState>().nullable(),
    toState: p.text().$type<JobState>(),
    note: p.text().nullable(),
    /** Number of the action on many jobs that it is part of. */
    action: p.integer().nullable(),
    /** How many jobs the action was done to; only in the first of its rows, which stands for all. */
    actionJobs: p.integer().nullable(),
  },
  indexes: [
    {
      name: 'job_event_action_index',
      expression: `create index "job_event_action_index" on "job_event" ("action") where "action" is not null`,
    },
  ],
})
export type JobEventRow = InferEntity<typeof JobEventEntity>

export const WorkerEntity = defineEntity({
  name: 'Worker',
  tableName: 'worker',
  properties: {
    id: p.uuid().primary(),
    name: p.text(),
    machine: p.text(),
    /** Of its machine; null of workers of before it was kept. */
    cores: p.integer().nullable(),
    /** Host name and process number: a worker of the same host can see at once whether this one still lives. */
    host: p.text(),
    pid: p.integer(),
    lanes: p.integer(),
    /** Graphics devices that it found, and where it found none. */
    found: p.json().$type<FoundDevices>(),
    /** Whether it takes only what needs those. */
    devicesOnly: p.boolean().default(false),
    /** Why a device takes no work for now, by its key. */
    troubles: p.json().$type<Record<string, string>>(),
    /** What a person wants its stand-in to suffer; null for nothing. */
    fault: p.text().$type<StandInFault>().nullable(),
    /** Whether its work is paused for another one's measurement. */
    isQuiet: p.boolean().default(false),
    /** Jobs on its host have a turn until then, before anything is measured. */
    jobsTurnUntil: p.datetime().nullable(),
    startedAt: p.datetime().defaultRaw('now()'),
    seenAt: p.datetime().defaultRaw('now()'),
    goneAt: p.datetime().nullable(),
  },
})
export type WorkerRow = InferEntity<typeof WorkerEntity>

/** The hours in which jobs are worked on: one row, or none for any time. */
export const WorkingHoursEntity = defineEntity({
  name: 'WorkingHours',
  tableName: 'working_hours',
  properties: {
    id: p.text().primary(),
    hours: p.json().$type<WorkingHours | null>().nullable(),
    workOnUntil: p.datetime().nullable(),
  },
})

/** Lanes that a person gave the worker of a name on a host, whatever it is started with. */
export const LaneChoiceEntity = defineEntity({
  name: 'LaneChoice',
  tableName: 'lane_choice',
  properties: {
    host: p.text().primary(),
    name: p.text().primary(),
    lanes: p.integer(),
  },
})

/** Which worker has which task in hand, so that a lost worker's tasks can be handed out again at once. */
export const TaskClaimEntity = defineEntity({
  name: 'TaskClaim',
  tableName: 'task_claim',
  properties: {
    taskId: p.uuid().primary(),
    kind: p.text(),
    payload: p.json().$type<Record<string, unknown>>(),
    worker: () => p.manyToOne(WorkerEntity).ref().deleteRule('cascade'),
  },
})
export type TaskClaimRow = InferEntity<typeof TaskClaimEntity>

export const entities = [
  OrderEntity,
  VolumeEntity,
  SpecEntity,
  TreatmentEntity,
  AssetEntity,
  LotEntity,
  SourceEntity,
  OutcomeEntity,
  CalibrationEntity,
  PosterEntity,
  MeasurementEntity,
  StripEntity,
  ScanEntity,
  WatchEntity,
  PlannedEntity,
  DriveEntity,
  DiscCopyEntity,
  SampleEntity,
  CurveEntity,
  ComparisonEntity,
  WorkUnitEntity,
  JobEntity,
  TrialEntity,
  JobEventEntity,
  LaneChoiceEntity,
  WorkingHoursEntity,
  WorkerEntity,
  TaskClaimEntity,
]
