import {
  describeMaking,
  describePiece,
  filesBesideOf,
  nameBeside,
  extentOf,
  forecastJob,
  forecastOf,
  leftInBy,
  mistakesIn,
  planOf,
  specTitle,
  treatedSeconds,
  workTraits,
  type DiscCopyRecord,
  type ForecastGround,
  type ForecastSeed,
  type JobDetail,
  type JobEventRecord,
  type JobForecast,
  type JobRecord,
  type OrderRecord,
  type ScanRecord,
  type SegmentLength,
  type SourceRecord,
  type VolumeRecord,
  type WatchRecord,
  type WorkerRecord,
} from '@hematine/core'
import type {
  DiscCopyRow,
  DriveRow,
  JobEventRow,
  JobRow,
  OrderRow,
  SampleRow,
  ScanRow,
  SourceRow,
  VolumeRow,
  WatchRow,
  WorkerRow,
} from './entities.ts'

export function discCopyRecord(row: DiscCopyRow, drive: DriveRow): DiscCopyRecord {
  return {
    id: row.id,
    orderId: row.order.id,
    volumeId: row.volume.id,
    driveName: drive.name,
    disc: row.disc,
    state: row.state,
    sectorsDone: row.sectorsDone,
    sectorsTotal: row.sectorsTotal ?? null,
    unreadable: row.unreadable,
    path: row.path ?? null,
    brought: row.brought,
    reason: row.reason ?? null,
  }
}

const instant = (date: Date | null | undefined) => (date ? date.toISOString() : null)

export function orderRecord(row: OrderRow): OrderRecord {
  const { id, code, name, dueAt, lateWeight, lotFineness } = row
  return { id, code, name, dueAt: instant(dueAt), lateWeight, lotFineness }
}

/** @param space what the volume's disk says, measured by the caller */
export function volumeRecord(
  row: VolumeRow,
  space: Pick<VolumeRecord, 'disk' | 'freeBytes' | 'totalBytes' | 'problem'>,
): VolumeRecord {
  return { id: row.id, name: row.name, role: row.role, path: row.path, ...space }
}

/** Last part of a path in a volume; a sequence in its folder is called by the folder and the run. */
export function sourceName(row: Pick<SourceRow, 'relativePath'>): string {
  return row.relativePath.split('/').at(-1)!
}

export function sourceRecord(row: SourceRow, jobCount: number): SourceRecord {
  return {
    id: row.id,
    orderId: row.order.id,
    volumeId: row.volume.id,
    name: sourceName(row),
    relativePath: row.relativePath,
    kind: row.kind,
    sequence: row.sequence ?? null,
    frameRate: row.frameRate ?? null,
    disc: row.disc ?? null,
    expectedLast: row.expectedLast ?? null,
    state: row.state,
    reason: row.reason ?? null,
    facts: row.facts ?? null,
    hasPoster: row.hasPoster,
    jobCount,
    lotId: row.lot?.id ?? null,
    lotByHand: row.lotByHand,
    measureState: row.measureState,
    measurePart: row.measurePart ?? null,
    measureReason: row.measureReason ?? null,
    measured: row.measured ?? null,
    findings: row.findings ?? [],
    moments: row.moments ?? null,
    broughtInAt: row.createdAt!.toISOString(),
  }
}

/** What a job's forecast is made from; null without a sample. */
export function forecastSeed(job: JobRow): ForecastSeed | null {
  const sample = (job.sample?.getEntity() ?? null) as SampleRow | null
  if (!sample) return null
  const extent = sample.extent ?? extentOf(job)
  return {
    measured: sample.measurement ? forecastJob(sample.measurement, extent) : null,
    likeKey: sample.likeKey ?? null,
    extent,
    traits: workTraits(job),
  }
}

/** The forecast of a job as it was begun, from its sample, or from its like while that was not measured; null while nothing is known. */
export function jobForecast(job: JobRow, ground: ForecastGround): JobForecast | null {
  const seed = forecastSeed(job)
  const promised = job.promised?.forecast ?? null
  return seed ? forecastOf({ ...seed, promised }, ground) : promised
}

/** What a job is called: its source, and which piece of it. @param job with its source loaded */
export function jobName({ source, piece }: Pick<JobRow, 'source' | 'piece'>): string {
  return describePiece(sourceName(source.getEntity() as SourceRow), piece)
}

/** @param job with its source and sample loaded @param ground its forecast's, as far as it is not measured itself @param taken jobs whose names meet others */
export function jobRecord(job: JobRow, ground: ForecastGround, taken: ReadonlySet<number>): JobRecord {
  const source = job.source.getEntity() as SourceRow
  const sample = (job.sample?.getEntity() ?? null) as SampleRow | null
  const { result } = job.treatment
  const forecast = jobForecast(job, ground)
  const reasons = job.check
    ? [...job.check.lines]
        .filter(line => line.reason !== null)
        .sort((a, b) => a.verdict.localeCompare(b.verdict))
        .map(line => line.reason!)
    : []
  return {
    id: job.id,
    orderId: job.order.id,
    sourceId: source.id,
    sourceName: jobName(job),
    specKey: job.spec.key,
    specName: specTitle(job.spec),
    treatmentName: job.treatmentName ?? null,
    deliveryVolumeId: job.deliveryVolume.id,
    state: job.state,
    position: job.position,
    durationSeconds: treatedSeconds(job.treatment),
    frames: result?.frameCount ?? 0,
    sourceBytes: source.facts?.bytes ?? 0,
    sampleState: sample?.state ?? 'failed',
    sampleReason: sample ? (sample.reason ?? null) : 'The sample was removed. Remove this job and make it again.',
    leftIn:
      job.state === 'draft' && source.facts
        ? leftInBy(source.facts, source.findings ?? [], job.spec, job.treatment).map(({ finding, step }) => ({
            says: finding.says,
            step,
          }))
        : [],
    mistakes: job.state === 'draft' ? mistakesIn({ ...job, findings: source.findings ?? [], forecast }) : [],
    forecast,
    progress: job.progress ?? null,
    attempt: job.attempt,
    worker: job.workerName ?? null,
    plannedPath: job.state === 'done' ? null : (job.plannedPath ?? null),
    isNameTaken: taken.has(job.id),
    outputPath: job.state === 'done' ? (job.outputPath ?? null) : null,
    outputBytes: job.check?.measurement.bytes ?? null,
    verdict: job.check?.verdict ?? null,
    verdictReasons: reasons,
    reason: job.reason ?? null,
    workSeconds: job.workSeconds ?? null,
    releasedAt: instant(job.releasedAt),
    startedAt: instant(job.startedAt),
    finishedAt: instant(job.finishedAt),
  }
}

/** @param job that it happened to, with its source loaded */
export function jobEventRecord(row: JobEventRow, job: JobRow): JobEventRecord {
  return {
    id: row.id,
    jobId: row.job.id,
    at: row.at!.toISOString(),
    event: row.event,
    from: row.fromState ?? null,
    to: row.toState,
    note: row.note ?? null,
    sourceName: jobName(job),
    specName: specTitle(job.spec),
    action: row.action && row.actionJobs && row.actionJobs > 1 ? { id: row.action, jobs: row.actionJobs } : null,
  }
}

export function jobDetail(
  job: JobRow,
  events: readonly JobEventRow[],
  ground: ForecastGround,
  taken: ReadonlySet<number>,
  segments: { begun: number; length: SegmentLength | undefined },
): JobDetail {
  const record = jobRecord(job, ground, taken)
  return {
    ...record,
    lotId: (job.source.getEntity() as SourceRow).lot?.id ?? null,
    treatment: job.treatment,
    check: job.check ?? null,
    beside:
      job.check && record.outputPath !== null
        ? filesBesideOf(job.check.measurement).map(file => ({
            ...file,
            path: nameBeside(record.outputPath!, job.spec, file.added),
          }))
        : [],
    making: describeMaking(planOf(job), job.facts ?? (job.source.getEntity() as SourceRow).facts ?? { video: null }, {
      forecast: record.forecast,
      wholeBecause: job.wholeBecause ?? null,
      ...segments,
    }),
    events: events.map(row => jobEventRecord(row, job)),
  }
}

export function workerRecord(row: WorkerRow): WorkerRecord {
  return {
    id: row.id,
    name: row.name,
    host: row.host,
    machine: row.machine,
    cores: row.cores ?? null,
    lanes: row.lanes,
    found: row.found,
    devicesOnly: row.devicesOnly!,
    troubles: row.troubles,
    fault: row.fault ?? null,
    state: row.goneAt ? 'gone' : row.lanes === 0 ? 'takes no jobs' : 'at work',
    seenAt: row.seenAt!.toISOString(),
  }
}

export function scanRecord(row: ScanRow): ScanRecord {
  return {
    id: row.id,
    orderId: row.order.id,
    volumeId: row.volume.id,
    path: row.path,
    state: row.state,
    directoriesDone: row.directoriesDone,
    directoriesWaiting: row.pending.length,
    filesSeen: row.filesSeen,
    brought: row.brought,
    alreadyThere: row.alreadyThere,
    refusedCount: row.refusedCount,
    refused: row.refused,
    startedAt: row.createdAt!.toISOString(),
    endedAt: instant(row.endedAt),
  }
}

export function watchRecord(row: WatchRow): WatchRecord {
  return {
    id: row.id,
    orderId: row.order.id,
    volumeId: row.volume.id,
    path: row.path,
    frameRate: row.frameRate,
    growing: Object.entries(row.growing).map(([path, state]) => ({ path, bytes: Number(state.split(':')[0]) })),
    lookedAt: instant(row.lookedAt),
    problem: row.problem ?? null,
  }
}
