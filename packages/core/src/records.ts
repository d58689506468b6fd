import { z } from 'zod'
import { DeliverySpec } from './spec/schema.ts'
import { FoundDevices, StandInFault } from './devices/device.ts'
import { DiscPlace, SectorRange } from './disc/index.ts'
import { SourceFacts } from './facts.ts'
import { Finding } from './findings/finding.ts'
import { JobForecast } from './forecast/forecast.ts'
import { Fineness } from './lots.ts'
import { PlannedSource } from './inventory.ts'
import { JobEvent, JobProgress, JobState } from './job.ts'
import { Measured } from './measurement.ts'
import { Moment } from './moments.ts'
import { Check, FileBeside, Verdict } from './check/records.ts'
import { Range } from './range.ts'
import { Rational } from './rational.ts'
import { LotLevel } from './lot-curve.ts'
import { CurvePoint } from './rate-curve.ts'
import { CurveState, SampleState } from './sample-state.ts'
import { NumberedSequence } from './sequence.ts'
import { Step, Steps, Treatment } from './treatment/index.ts'

/** The shapes in which the things Hematine keeps are shown to browsers and other programs. Times are ISO 8601 in UTC. */

const Id = z.int().positive()
const Instant = z.iso.datetime()

export const VolumeRole = z.enum(['source', 'working', 'delivery'])
export type VolumeRole = z.infer<typeof VolumeRole>

export const VolumeRecord = z.object({
  id: Id,
  name: z.string(),
  role: VolumeRole,
  /** Absolute path on the machines that have the volume mounted. */
  path: z.string(),
  /** Which disk it lies on, as the machine tells disks apart; volumes of one disk share its room. Null where nobody knows. */
  disk: z.string().nullable(),
  freeBytes: z.number().min(0).nullable(),
  totalBytes: z.number().min(0).nullable(),
  /** Why the volume cannot be used now, as a sentence. */
  problem: z.string().nullable(),
})
export type VolumeRecord = z.infer<typeof VolumeRecord>

/** Most that the lateness of an order can count, against one that counts once. */
export const mostLateWeight = 9

/** How often an order's lateness counts: an hour late of one that counts twice is as bad as two of one that counts once. */
export const LateWeight = z.int().min(1, 'is less than 1').max(mostLateWeight, `is more than ${mostLateWeight}`)

export const OrderRecord = z.object({
  id: Id,
  code: z.string(),
  name: z.string(),
  dueAt: Instant.nullable(),
  lateWeight: LateWeight,
  /** How much must be alike in its lots. */
  lotFineness: Fineness,
})
export type OrderRecord = z.infer<typeof OrderRecord>

export const SourceKind = z.enum(['file', 'sequence', 'title', 'join'])
export type SourceKind = z.infer<typeof SourceKind>

export const SourceState = z.enum(['reading', 'ready', 'refused'])
export type SourceState = z.infer<typeof SourceState>

export const MeasureState = z.enum(['none', 'waiting', 'measuring', 'ready', 'failed'])
export type MeasureState = z.infer<typeof MeasureState>

export const SourceRecord = z.object({
  id: Id,
  orderId: Id,
  volumeId: Id,
  /** Last part of the path: what a technician calls it. */
  name: z.string(),
  relativePath: z.string(),
  kind: SourceKind,
  sequence: NumberedSequence.nullable(),
  frameRate: Rational.nullable(),
  disc: DiscPlace.nullable(),
  /** Number of the last frame that a sequence will have, where somebody said so. */
  expectedLast: z.int().min(0).nullable(),
  state: SourceState,
  /** Why it was refused, as a sentence. */
  reason: z.string().nullable(),
  facts: SourceFacts.nullable(),
  hasPoster: z.boolean(),
  jobCount: z.int().min(0),
  lotId: Id.nullable(),
  /** Whether a person chose its lot, so that it stays there. */
  lotByHand: z.boolean(),
  measureState: MeasureState,
  /** How far a measurement that is under way is, 0 to 1; null before it tells. */
  measurePart: z.number().nullable(),
  /** Why it could not be measured, as a sentence. */
  measureReason: z.string().nullable(),
  /** Depth of the last measurement and the processor time it took. */
  measured: Measured.nullable(),
  findings: z.array(Finding),
  /** Moments that a person set; null while they are chosen by measurement. */
  moments: z.array(Moment).nullable(),
  broughtInAt: Instant,
})
export type SourceRecord = z.infer<typeof SourceRecord>

/** A source as one line of a list, with what its columns show already put into words. */
export const SourceRow = z.object({
  id: Id,
  name: z.string(),
  relativePath: z.string(),
  state: SourceState,
  reason: z.string().nullable(),
  picture: z.string(),
  motion: z.string(),
  codec: z.string(),
  sound: z.string(),
  seconds: z.number().min(0).nullable(),
  bytes: z.number().min(0).nullable(),
  lotId: Id.nullable(),
  lotByHand: z.boolean(),
  measureState: MeasureState,
  /** Names of the faults found, and how many remarks reading it gave. */
  faults: z.array(z.string()),
  remarks: z.int().min(0),
  jobCount: z.int().min(0),
})
export type SourceRow = z.infer<typeof SourceRow>

/** Sources that are alike enough for one decision, as far as a filter lets them through. */
export const LotRecord = z.object({
  id: Id,
  orderId: Id,
  name: z.string(),
  /** Why its sources are together, in words. */
  reason: z.string(),
  byHand: z.boolean(),
  /** For a lone source: which lot it is the odd one out of, and what differs. */
  oddOneOut: z.object({ lotId: Id, differences: z.array(z.string()) }).nullable(),
  count: z.int().min(0),
  seconds: z.number().min(0),
  bytes: z.number().min(0),
  /** The treatment that was chosen for it. */
  treatmentId: Id.nullable(),
})
export type LotRecord = z.infer<typeof LotRecord>

/** A folder that is, or was, gone through for material. */
export const ScanRecord = z.object({
  id: Id,
  orderId: Id,
  volumeId: Id,
  path: z.string(),
  state: z.enum(['scanning', 'done', 'stopped']),
  directoriesDone: z.int().min(0),
  directoriesWaiting: z.int().min(0),
  filesSeen: z.int().min(0),
  brought: z.int().min(0),
  alreadyThere: z.int().min(0),
  /** Entries that could not be used: how many, and the first 200 with the reason. */
  refusedCount: z.int().min(0),
  refused: z.array(z.object({ path: z.string(), reason: z.string() })),
  startedAt: Instant,
  endedAt: Instant.nullable(),
})
export type ScanRecord = z.infer<typeof ScanRecord>

/** A folder whose new files are brought in once they have stopped growing. */
export const WatchRecord = z.object({
  id: Id,
  orderId: Id,
  volumeId: Id,
  path: z.string(),
  frameRate: Rational,
  /** Files that are still growing, or were not yet seen twice alike. */
  growing: z.array(z.object({ path: z.string(), bytes: z.number() })),
  lookedAt: Instant.nullable(),
  problem: z.string().nullable(),
})
export type WatchRecord = z.infer<typeof WatchRecord>

/** A disc drive. The one that ships is a stand-in: its discs are images on a shelf, its faults are made on request. */
export const DriveRecord = z.object({
  id: Id,
  name: z.string(),
  /** Discs that can be loaded. */
  shelf: z.array(z.string()),
  /** The disc in it, or null when it is empty. */
  disc: z.string().nullable(),
  /** As a multiple of the single speed of a DVD, 1.385 MB a second. */
  speed: z.number().positive(),
  /** Sectors that it fails to read. */
  badSectors: z.array(SectorRange),
})
export type DriveRecord = z.infer<typeof DriveRecord>

/** A disc that is, or was, read from a drive into an image in a source volume. */
export const DiscCopyRecord = z.object({
  id: Id,
  orderId: Id,
  volumeId: Id,
  driveName: z.string(),
  disc: z.string(),
  state: z.enum(['reading', 'done', 'stopped', 'failed']),
  sectorsDone: z.int().min(0),
  sectorsTotal: z.int().min(0).nullable(),
  unreadable: z.array(SectorRange),
  /** Path of the image in its volume, once it is there. */
  path: z.string().nullable(),
  /** Titles that came in from it. */
  brought: z.int().min(0),
  /** What went wrong, as a sentence. */
  reason: z.string().nullable(),
})
export type DiscCopyRecord = z.infer<typeof DiscCopyRecord>

/** An item of an order's inventory, with the source it turned out to be. */
export const PlannedRecord = z.object({
  id: Id,
  orderId: Id,
  planned: PlannedSource,
  /** Of the spec that it is planned with; null while nobody has said. */
  specKey: z.string().nullable(),
  /** Name of the source whose draft it is to be done like; null where the spec alone says how. */
  likeName: z.string().nullable(),
  sourceId: Id.nullable(),
  sourceName: z.string().nullable(),
  /** How the source differs from what was announced. */
  differences: z.array(z.string()),
})
export type PlannedRecord = z.infer<typeof PlannedRecord>

/** The newest version of a delivery spec in the library; versions are never changed. */
export const SpecRecord = z.object({
  spec: DeliverySpec,
  version: z.int().positive(),
  /** Whether it ships with Hematine: such can be copied, not altered. */
  isShipped: z.boolean(),
  createdAt: Instant,
})
export type SpecRecord = z.infer<typeof SpecRecord>

/** A version of a treatment in the library; versions are never changed, so that a job's stays what it ran with. */
export const TreatmentRecord = z.object({
  id: Id,
  name: z.string(),
  version: z.int().positive(),
  steps: Steps,
  /** Lots that have it now. */
  lotCount: z.int().min(0),
  createdAt: Instant,
})
export type TreatmentRecord = z.infer<typeof TreatmentRecord>

export const JobRecord = z.object({
  id: Id,
  orderId: Id,
  sourceId: Id,
  sourceName: z.string(),
  specKey: z.string(),
  specName: z.string(),
  /** Name and version of the treatment that it runs with; null for one that only does what the spec wants. */
  treatmentName: z.string().nullable(),
  deliveryVolumeId: Id,
  state: JobState,
  position: z.number(),
  durationSeconds: z.number().min(0).nullable(),
  frames: z.int().min(0),
  sourceBytes: z.number().min(0),
  sampleState: SampleState,
  /** Why no forecast could be made, as a sentence. */
  sampleReason: z.string().nullable(),
  /** Of a draft: what was found of its source and it does nothing about, with the step that would. */
  leftIn: z.array(z.object({ says: z.string(), step: Step })),
  /** Of a draft: what looks like a mistake though nothing forbids it. */
  mistakes: z.array(z.string()),
  forecast: JobForecast.nullable(),
  progress: JobProgress.nullable(),
  attempt: z.int().min(0),
  worker: z.string().nullable(),
  /** Path that the result is to have in its delivery volume; null once it is there. */
  plannedPath: z.string().nullable(),
  /** Whether another result has this path, or is to have it: the later one gets a number. */
  isNameTaken: z.boolean(),
  /** Path of the result in its delivery volume. */
  outputPath: z.string().nullable(),
  outputBytes: z.number().min(0).nullable(),
  verdict: Verdict.nullable(),
  /** Reasons of a check that is not a plain pass, worst first. */
  verdictReasons: z.array(z.string()),
  /** Why it failed, as a sentence. */
  reason: z.string().nullable(),
  /** Seconds of work, without holds. */
  workSeconds: z.number().min(0).nullable(),
  releasedAt: Instant.nullable(),
  startedAt: Instant.nullable(),
  finishedAt: Instant.nullable(),
})
export type JobRecord = z.infer<typeof JobRecord>

/** A job as a line of a list, with its end in the plan. */
export const PlannedJobRecord = JobRecord.extend({
  lotId: Id.nullable(),
  /** In seconds from when the plan was made; null for what is not in it. */
  end: Range.nullable(),
})
export type PlannedJobRecord = z.infer<typeof PlannedJobRecord>

export const JobEventRecord = z.object({
  id: Id,
  jobId: Id,
  at: Instant,
  event: z.union([JobEvent, z.literal('create'), z.literal('move')]),
  from: JobState.nullable(),
  to: JobState,
  note: z.string().nullable(),
  sourceName: z.string(),
  specName: z.string(),
  /** Set for the first of several jobs that one action was done to: its number, and how many they were. */
  action: z.object({ id: z.int(), jobs: z.int().min(2) }).nullable(),
})
export type JobEventRecord = z.infer<typeof JobEventRecord>

export const JobDetail = JobRecord.extend({
  lotId: Id.nullable(),
  treatment: Treatment,
  check: Check.nullable(),
  /** Files that lie beside the result, by their paths in its volume; none of a job that is not done. */
  beside: z.array(FileBeside.extend({ path: z.string() })),
  /** In how many segments it is made, or why in one go, as a sentence. */
  making: z.string(),
  events: z.array(JobEventRecord),
})
export type JobDetail = z.infer<typeof JobDetail>

/** A draft's curve of rate and quality: what its source and treatment come to in its codec at other qualities. */
export const CurveRecord = z.object({
  state: z.union([CurveState, z.literal('none')]),
  /** How much of it is measured, 0 to 1. */
  part: z.number().nullable(),
  /** Why it could not be measured, as a sentence. */
  reason: z.string().nullable(),
  codec: z.string(),
  /** The codec's scale: its best and its worst value, and the least step. */
  scale: z.object({ best: z.number(), worst: z.number(), usual: z.number(), step: z.number() }),
  /** Value that the draft's spec holds; null where it spends bits otherwise. */
  value: z.number().nullable(),
  /** Most bytes that its spec lets the result have. */
  capBytes: z.number().nullable(),
  /** Best first. */
  points: z.array(CurvePoint),
  /** Where more bytes begin to bring less than they do on the whole curve. */
  kneeValue: z.number().nullable(),
  /** Drafts of its lot that have its spec, itself included. */
  lotDrafts: z.int().min(0),
  tookSeconds: z.number().nullable(),
  /** One frame that can be looked at, treated and at each of these values; `key` is another one when they are made anew. */
  pictures: z.object({ key: z.string(), seconds: z.number(), values: z.array(z.number()) }).nullable(),
  /** Curves of the same source's other drafts, to be laid over it. */
  others: z.array(z.object({ jobId: Id, specName: z.string(), points: z.array(CurvePoint) })),
})
export type CurveRecord = z.infer<typeof CurveRecord>

/** What the drafts of a lot that have one spec come to, when all are equally like their treated sources. */
export const LotCurveRecord = z.object({
  codec: z.string(),
  /** Drafts of the lot that have the spec. */
  drafts: z.int().min(0),
  /** Of them, those whose own curves are measured, and those whose curves are being measured. */
  measured: z.int().min(0),
  underWay: z.int().min(0),
  /** Those that could be measured and are not. */
  open: z.int().min(0),
  /** Likeness that the spec aims at; null where it spends bits otherwise. */
  xpsnr: z.number().nullable(),
  /** Coarsest first. */
  levels: z.array(LotLevel),
})
export type LotCurveRecord = z.infer<typeof LotCurveRecord>

export const WorkerRecord = z.object({
  id: z.uuid(),
  name: z.string(),
  /** Of the machine that it is on. */
  host: z.string(),
  /** Processor and core count, in words. */
  machine: z.string(),
  /** Of its machine; null where it did not say. */
  cores: z.int().positive().nullable(),
  /** None for one that takes no jobs. */
  lanes: z.int().min(0),
  /** Graphics devices that it found, and where it found none. */
  found: FoundDevices,
  /** Whether it takes only what needs those: it plays a device. */
  devicesOnly: z.boolean(),
  /** Why a device takes no work for now, by its key. */
  troubles: z.record(z.string(), z.string()),
  /** What its stand-in is made to suffer; null for nothing. */
  fault: StandInFault.nullable(),
  state: z.enum(['at work', 'takes no jobs', 'gone']),
  seenAt: Instant,
})
export type WorkerRecord = z.infer<typeof WorkerRecord>

/** What happened, as the end of a sentence after the source's name. */
export function describeEvent({ event, note }: Pick<JobEventRecord, 'event' | 'note'>): string {
  switch (event) {
    case 'create':
      return 'drafted'
    case 'release':
      return 'released'
    case 'dispatch':
      return 'next in line'
    case 'start':
      return `begun by ${note ?? 'a worker'}`
    case 'continue':
      return 'goes on where it was held'
    case 'hold':
      return 'held'
    case 'resume':
      return 'may go on'
    case 'cancel':
      return 'cancelled'
    case 'retry':
      return 'tried again'
    case 'move':
      return `moved ${note ?? ''}`.trim()
    case 'place':
      return 'checked'
    case 'finish':
      return note ? `done: ${note}` : 'done'
    case 'fail':
      return `failed. ${note ?? ''}`.trim()
    case 'lose':
      return `waits again: ${note ?? 'its worker was lost'}`
  }
}
