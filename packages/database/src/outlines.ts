import { setImmediate } from 'node:timers/promises'
import type { EntityManager } from '@mikro-orm/postgresql'
import {
  describePiece,
  extentOf,
  forecastJob,
  type DeliverySpec,
  type EncoderNeed,
  type JobCourse,
  type JobExtent,
  type JobForecast,
  type JobOutline,
  type JobProgress,
  type JobState,
  type Piece,
  type SampleMeasurement,
  type SampleState,
  type Treatment,
  type Verdict,
  type WorkTraits,
} from '@hematine/core'
import { asArray, run } from './sql.ts'

interface OutlineRow {
  id: number
  orderId: number
  sourceId: number
  sourceName: string
  piece: Piece | null
  sourceBytes: number | null
  lotId: number | null
  deliveryVolumeId: number
  specKey: string
  specName: string
  need: EncoderNeed
  state: JobState
  position: number
  progress: JobProgress | null
  sampleId: number | null
  sampleState: SampleState | null
  measurement: SampleMeasurement | null
  likeKey: string | null
  extent: JobExtent | null
  traits: Omit<WorkTraits, 'durationSeconds'>
  promised: JobForecast | null
  /** Only where the extent has to be worked out from them. */
  spec: DeliverySpec | null
  treatment: Treatment | null
  verdict: Verdict | null
  outputBytes: number | null
  outputPath: string | null
  workSeconds: number | null
}

/** Jobs that are read together: few enough that others are served in between. */
const jobsAtOnce = 1000
const coursesAtOnce = 2000

/** Jobs in outline: all that are drafted, wait or are in hand, and all of some orders; or some by number. Read in some milliseconds for each thousand. */
export async function listOutlines(
  em: EntityManager,
  where: { openAndOf: readonly number[] } | { ids: readonly number[] },
): Promise<JobOutline[]> {
  const ids =
    'ids' in where
      ? where.ids
      : (
          await run<{ id: number }>(
            em,
            `select id from job where state in ('draft', 'waiting', 'queued', 'running', 'placing') or order_id = any(?::int[])`,
            [asArray(where.openAndOf)],
          )
        ).map(row => row.id)
  const outlines: JobOutline[] = []
  for (let first = 0; first < ids.length; first += jobsAtOnce) {
    outlines.push(...(await readOutlines(em, ids.slice(first, first + jobsAtOnce))))
    if (ids.length > jobsAtOnce) await setImmediate()
  }
  return outlines
}

/** Columns of `JobCourse`. */
const course = `job.id, job.spec ->> 'key' as "specKey", (job.spec ->> 'name') || case when (job.spec ->> 'version')::int > 1 then ' v' || (job.spec ->> 'version') else '' end as "specName",
  job.need, job.state, job.position, job.delivery_volume_id as "deliveryVolumeId", job.progress, job.sample_id as "sampleId", job."check" ->> 'verdict' as verdict,
  (job."check" -> 'measurement' ->> 'bytes')::double precision as "outputBytes",
  case when job.state = 'done' then job.output_path end as "outputPath", job.work_seconds as "workSeconds", job.promised -> 'forecast' as promised`

/** How jobs stand, of those that are still there: a tenth of the work of reading their outlines. */
export async function listCourses(em: EntityManager, ids: readonly number[]): Promise<JobCourse[]> {
  const courses: JobCourse[] = []
  for (let first = 0; first < ids.length; first += coursesAtOnce) {
    const some = asArray(ids.slice(first, first + coursesAtOnce))
    courses.push(...(await run<JobCourse>(em, `select ${course} from job where job.id = any(?::int[])`, [some])))
    if (ids.length > coursesAtOnce) await setImmediate()
  }
  return courses
}

const hasTreatedPicture = `jsonb_typeof(job.treatment -> 'result') = 'object' and not coalesce((job.treatment ->> 'copied')::boolean, false)`

/** Columns of `WorkTraits` but its length, as an object: see `workTraits`. */
const traits = `json_build_object(
  'isCopied', coalesce((job.treatment ->> 'copied')::boolean, false),
  'isByDevice', job.need is not null,
  'videoCodec', case when ${hasTreatedPicture} then job.spec #>> '{video,codec}' end,
  'rate', case when ${hasTreatedPicture} then job.spec #>> '{video,rateControl,kind}' end,
  'soundCodec', job.spec #>> '{audio,codec}')`

async function readOutlines(em: EntityManager, ids: readonly number[]): Promise<JobOutline[]> {
  const rows = await run<OutlineRow>(
    em,
    `select job.order_id as "orderId", job.source_id as "sourceId", regexp_replace(source.relative_path, '^.*/', '') as "sourceName", job.piece,
       source.bytes as "sourceBytes", source.lot_id as "lotId",
       ${traits} as traits,
       sample.state as "sampleState", sample.measurement, sample.like_key as "likeKey", sample.extent,
       case when sample.extent is null then job.spec end as spec, case when sample.extent is null then job.treatment end as treatment,
       ${course}
     from job join source on source.id = job.source_id left join sample on sample.id = job.sample_id where job.id = any(?::int[])`,
    [asArray(ids)],
  )
  return rows.map(outlineOf)
}

function outlineOf({
  sampleState,
  measurement,
  sourceBytes,
  extent,
  spec,
  treatment,
  traits,
  piece,
  ...row
}: OutlineRow): JobOutline {
  const whole = extent ?? extentOf({ spec: spec!, treatment: treatment! })
  return {
    ...row,
    sourceName: describePiece(row.sourceName, piece),
    sourceBytes: sourceBytes ?? 0,
    sampleState: sampleState ?? 'failed',
    extent: whole,
    traits: { ...traits, durationSeconds: whole.durationSeconds },
    measured: measurement ? forecastJob(measurement, whole) : null,
  }
}

/** Numbers of the jobs that certain sources or samples are of. */
export async function jobsOfRows(
  em: EntityManager,
  { sourceIds, sampleIds }: { sourceIds: readonly number[]; sampleIds: readonly number[] },
): Promise<number[]> {
  if (sourceIds.length + sampleIds.length === 0) return []
  const rows = await run<{ id: number }>(
    em,
    'select id from job where source_id = any(?::int[]) or sample_id = any(?::int[])',
    [asArray(sourceIds), asArray(sampleIds)],
  )
  return rows.map(row => row.id)
}

/** Groups of like work that samples are in. */
export async function likeKeysOf(em: EntityManager, sampleIds: readonly number[]): Promise<string[]> {
  if (sampleIds.length === 0) return []
  const rows = await run<{ key: string }>(
    em,
    'select distinct like_key as key from sample where id = any(?::int[]) and like_key is not null',
    [asArray(sampleIds)],
  )
  return rows.map(row => row.key)
}

/** Where some jobs are: their orders, sources and states, and whether they tell how far they are. */
export async function placesOfJobs(
  em: EntityManager,
  ids: readonly number[],
): Promise<{ id: number; orderId: number; sourceId: number; state: JobState; isProgressing: boolean }[]> {
  return run(
    em,
    `select id, order_id as "orderId", source_id as "sourceId", state, progress is not null as "isProgressing" from job where id = any(?::int[])`,
    [asArray(ids)],
  )
}
