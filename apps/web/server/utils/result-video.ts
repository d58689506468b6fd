import {
  describePixelFormat,
  type PictureCheckMeasurement,
  type PictureTreatment,
  type VideoFacts,
} from '@hematine/core'

/** A checked result's picture in the shape of a source's facts, so that its frames can be shown by the same means. */
export function resultVideo({ video }: PictureCheckMeasurement, treatment: PictureTreatment): VideoFacts {
  return {
    streamIndex: 0,
    codec: video.codec,
    profile: video.profile,
    width: video.width,
    height: video.height,
    pixelAspect: video.pixelAspect,
    frameRate: video.frameRate,
    rateIs: 'constant',
    frameCount: video.framesDecoded,
    frameCountFrom: 'container',
    startTicks: video.startTicks,
    timeBase: video.timeBase,
    scan: {
      kind: treatment.result.scan === 'progressive' ? 'progressive' : 'interlaced',
      firstField: null,
      framesRead: video.framesDecoded,
    },
    pixelFormat: video.pixelFormat,
    ...describePixelFormat(video.pixelFormat),
    colour: video.colour,
    bitsPerSecond: null,
  }
}
