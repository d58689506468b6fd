import type { AnnouncedGround, JobExtent, JobForecast, JobOutline, Machine, Range, WorkTraits } from '../src/index.ts'

/** A range without width. */
export const exactly = (value: number): Range => ({ expected: value, low: value, high: value })
export const around = (value: number, part: number): Range => ({
  expected: value,
  low: value * (1 - part),
  high: value * (1 + part),
})
export const extent = (frames: number): JobExtent => ({
  frames,
  pixels: 1_000_000,
  durationSeconds: frames / 25,
  keyframeDistance: 50,
  container: 'mp4',
  sizeIs: 'by quality',
})
export const traits: WorkTraits = {
  videoCodec: 'h264',
  rate: 'constant quality',
  soundCodec: 'aac',
  isCopied: false,
  durationSeconds: 60,
}
export const forecast = (seconds: Range, bytes: Range): JobForecast => ({
  seconds,
  bytes,
  checkSeconds: 0,
  measuredFrom: 'a test',
  quality: null,
  carried: null,
})

/** So many lanes, of which nobody knows whether they slow each other. */
export const lanesOnly = (lanes: number): Machine => ({ lanes, cores: null })

/** No inventory is planned. */
export const nothingAnnounced: AnnouncedGround = { items: [], specs: new Map(), known: new Map(), likes: new Map() }

let lastId = 0
/** A draft of a measured source of ten seconds of work, with changes; numbers count up. */
export const job = (changes: Partial<JobOutline> = {}): JobOutline => {
  const id = changes.id ?? ++lastId
  return {
    id,
    orderId: 1,
    sourceId: id,
    sourceName: `reel ${id}.mov`,
    sourceBytes: 1000,
    lotId: 1,
    deliveryVolumeId: 3,
    specKey: 'small-mp4',
    specName: 'Small MP4',
    state: 'draft',
    position: id,
    progress: null,
    sampleId: 1,
    sampleState: 'ready',
    measured: forecast(exactly(10), exactly(100)),
    likeKey: 'lot',
    extent: extent(100),
    traits,
    promised: null,
    verdict: null,
    outputBytes: null,
    outputPath: null,
    workSeconds: null,
    ...changes,
  }
}

/** When plans in tests are made, and orders that are due so many minutes after. */
export const at = new Date('2026-11-27T08:00:00Z')
export const minute = 60
export const inMinutes = (minutes: number) => new Date(at.getTime() + minutes * 60_000).toISOString()
/** @param lateWeight how often its lateness counts */
export const order = (id: number, dueMinutes: number | null, lateWeight = 1) => ({
  id,
  code: `SL-${id}`,
  name: `Order ${id}`,
  dueAt: dueMinutes === null ? null : inMinutes(dueMinutes),
  lateWeight,
})
