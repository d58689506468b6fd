import type { JobExtent, SampleMeasurement, SampleWindow } from '@hematine/core'

/** A stretch of 30 frames of which encoding takes 0.1 s a frame and checking 0.02. */
export const window = (changes: Partial<SampleWindow> = {}): SampleWindow => ({
  startSeconds: 0,
  frames: 30,
  encodeSeconds: 3,
  checkSeconds: 0.6,
  firstKeyframeBytes: 10_000,
  otherKeyframes: 0,
  otherKeyframeBytes: 0,
  interFrames: 29,
  interBytes: 29_000,
  ...changes,
})

export const sample = (windows: SampleWindow[], changes: Partial<SampleMeasurement> = {}): SampleMeasurement => ({
  windows,
  soundBytesPerSecond: 16_000,
  soundPacketsPerSecond: 50,
  soundSecondsPerSecond: 0.01,
  startSeconds: 0.5,
  machine: 'test, 2 cores',
  tookSeconds: 12,
  ...changes,
})

/** Two minutes of a picture with sound. */
export const extent: JobExtent = {
  frames: 3000,
  pixels: 345_600,
  durationSeconds: 120,
  keyframeDistance: 50,
  container: 'mp4',
  sizeIs: 'by quality',
}
