import type { EntityManager } from '@mikro-orm/postgresql'
import {
  describeStep,
  workTraits,
  type DeliverySpec,
  type MeasuredTest,
  type RenderedLike,
  type Treatment,
} from '@hematine/core'
import { asArray, run } from './sql.ts'

/** A measured job with a picture: its source can stand for frames that are still to be rendered. */
export interface RenderTestRow extends MeasuredTest, RenderedLike {
  jobId: number
  sampleId: number
  sourceName: string
  specKey: string
  specName: string
  /** What is done with its frames, as sentences' parts. */
  steps: string[]
  resultWidth: number
  resultHeight: number
}

interface Planned {
  spec: DeliverySpec
  treatment: Treatment
}

/** Columns of `MeasuredTest`, and what its traits are made of. */
const measured = `sample.id as "sampleId", sample.spec, sample.treatment, sample.extent, sample.measurement,
  (source.facts #>> '{video,frameCount}')::int as "sourceFrames", source.bytes as "sourceBytes"`
/** Of a test that is cut, the frames that were rendered and those that came of it have nothing to do with each other. */
const isTest = `sample.state = 'ready' and sample.measurement is not null and (sample.extent ->> 'frames')::int > 0
  and (source.facts #>> '{video,frameCount}')::int > 0 and jsonb_typeof(sample.treatment #> '{timeline,ranges}') is distinct from 'array'`

/** Pictures of sequences are called alike in many folders. */
const testName = `case when source.kind = 'sequence' then regexp_replace(source.relative_path, '^.*/([^/]+/[^/]+)$', '\\1') else regexp_replace(source.relative_path, '^.*/', '') end`

/** Tests that are offered at most; sequences and what was drafted last come first. */
const mostTests = 200

/** An order's measured jobs with a picture, or some by number. */
export async function renderTestsOf(
  em: EntityManager,
  where: { orderId: number } | { jobIds: readonly number[] },
): Promise<RenderTestRow[]> {
  const [condition, value] =
    'orderId' in where ? ['job.order_id = ?', where.orderId] : ['job.id = any(?::int[])', asArray(where.jobIds)]
  const rows = await run<Omit<RenderTestRow, 'steps' | 'traits'> & Planned>(
    em,
    `select job.id as "jobId", ${testName} as "sourceName", job.spec ->> 'key' as "specKey", job.spec ->> 'name' as "specName",
       (source.facts #>> '{video,width}')::int as "sourceWidth", (source.facts #>> '{video,height}')::int as "sourceHeight",
       source.facts #> '{video,frameRate}' as "sourceRate",
       (sample.treatment #>> '{result,frame,width}')::int as "resultWidth", (sample.treatment #>> '{result,frame,height}')::int as "resultHeight",
       ${measured}
     from job join source on source.id = job.source_id join sample on sample.id = job.sample_id
     where ${condition} and job.state <> 'cancelled' and ${isTest}
     order by (source.kind = 'sequence') desc, job.id desc limit ?`,
    [value, mostTests],
  )
  return rows.map(({ spec, treatment, ...row }) => ({
    ...row,
    traits: workTraits({ spec, treatment }),
    steps: treatment.steps.map(describeStep),
  }))
}

/** What was measured of some samples, by number: of those that can be tests. */
export async function measuredTestsOf(
  em: EntityManager,
  sampleIds: readonly number[],
): Promise<Map<number, MeasuredTest>> {
  const rows = await run<Omit<MeasuredTest, 'traits'> & Planned & { sampleId: number }>(
    em,
    `select ${measured} from sample join source on source.id = sample.source_id where sample.id = any(?::int[]) and ${isTest}`,
    [asArray(sampleIds)],
  )
  return new Map(
    rows.map(({ sampleId, spec, treatment, ...row }) => [
      sampleId,
      { ...row, traits: workTraits({ spec, treatment }) },
    ]),
  )
}
