import { cpus } from 'node:os'
import {
  announcedExtent,
  announcedRate,
  forecastAnnounced,
  forecastJob,
  middle,
  onlyNamed,
  toNumber,
  type DeliverySpec,
  type JobExtent,
  type KnownOfSpec,
  type PlannedSource,
  type Range,
  type SampleMeasurement,
  type SourceFacts,
} from '@hematine/core'
import { connect } from '@hematine/database'
import { withMeasuredClips } from './measured-clips.ts'

/** Each source is drafted for all of them. */
const specs = ['small-mp4', 'playback-box', 'archive-master']

interface Measured {
  sourceId: number
  facts: SourceFacts
  spec: DeliverySpec
  extent: JobExtent
  measurement: SampleMeasurement
}

/** Has a folder of clips measured, then takes each for material that is only announced and tells it by the others. @param directory with clips; the demo's without one */
export async function benchAnnounced(directory: string | undefined): Promise<void> {
  await withMeasuredClips(directory, { specs }, async ({ databaseUrl }) => {
    const database = await connect(databaseUrl)
    try {
      tell(
        await database.em
          .getConnection()
          .execute<Measured[]>(
            `select sample.source_id as "sourceId", source.facts, sample.spec, sample.extent, sample.measurement from sample join source on source.id = sample.source_id where sample.state = 'ready' and sample.extent is not null`,
          ),
      )
    } finally {
      await database.close()
    }
  })
}

/** Prints how often what was measured lay in what would have been told of it by the other sources, and how far off it was. */
function tell(rows: readonly Measured[]): void {
  const sources = new Set(rows.map(({ sourceId }) => sourceId)).size
  console.log(
    `${cpus()[0]!.model.trim()}, ${cpus().length} cores; ${sources} sources, ${rows.length} measured drafts.\n`,
  )
  console.log(
    '| spec | drafts | time within | off by, as a factor | range | size within | off by, as a factor | range |',
  )
  console.log('|---|---|---|---|---|---|---|---|')
  for (const key of [...specs, null]) {
    const told = rows.filter(({ spec }) => key === null || spec.key === key).flatMap(row => toldOf(row, rows) ?? [])
    const cells = (['seconds', 'bytes'] as const).flatMap(figure => {
      const held = told.map(({ was, said }) => ({ was: was[figure], said: said[figure] }))
      const within = held.filter(({ was, said }) => was >= said.low && was <= said.high).length
      const off = middle(held.map(({ was, said }) => Math.exp(Math.abs(Math.log(was / said.expected)))))
      const width = middle(held.map(({ said }) => Math.sqrt(said.high / said.low)))
      return [`${Math.round((100 * within) / held.length)} %`, off.toFixed(2), `x/÷ ${width.toFixed(1)}`]
    })
    console.log(`| ${[key ?? 'all', told.length, ...cells].join(' | ')} |`)
  }
}

interface Told {
  was: { seconds: number; bytes: number }
  said: { seconds: Range; bytes: Range }
}

/** What would be told of a source if an inventory announced it and only the others were here; null where it is no moving picture, or nothing else was measured. */
function toldOf({ sourceId, facts, spec, extent, measurement }: Measured, rows: readonly Measured[]): Told | null {
  const { video } = facts
  if (!video || extent.frames === 0) return null
  const planned: PlannedSource = {
    ...onlyNamed('announced'),
    seconds: facts.durationSeconds,
    width: video.width,
    height: video.height,
    framesPerSecond: toNumber(video.frameRate),
    scan: scanOf(facts),
  }
  const others = rows.filter(other => other.spec.key === spec.key && other.sourceId !== sourceId)
  const known = others.map((other): KnownOfSpec => ({
    extent: other.extent,
    measurement: other.measurement,
    forecast: forecastJob(other.measurement, other.extent),
    scan: scanOf(other.facts),
  }))
  const whole = announcedExtent(planned, spec)
  const rate = whole && announcedRate(planned, whole, spec, known)
  const was = forecastJob(measurement, extent)
  return (
    rate && { was: { seconds: was.seconds.expected, bytes: was.bytes.expected }, said: forecastAnnounced(rate, whole) }
  )
}

function scanOf({ video }: SourceFacts): KnownOfSpec['scan'] {
  return video && (video.scan.kind === 'progressive' ? 'progressive' : 'interlaced')
}
