import type { EncoderSettings } from '@hematine/core'
import * as constants from 'node-av/constants'
import type { CodecContext } from 'node-av/lib'
import { ensure } from '../ground/libav.ts'

/** Quantisers are counted in parts by the library. */
const quantiserParts = constants.FF_QP2LAMBDA

/** Gives an encoder what a codec's plain words mean. @throws MediaError when it does not take them */
export function applySettings(context: CodecContext, { options, ...rates }: EncoderSettings): void {
  if (rates.bitsPerSecond !== undefined) context.bitRate = BigInt(rates.bitsPerSecond)
  if (rates.peakBitsPerSecond !== undefined) context.rcMaxRate = BigInt(rates.peakBitsPerSecond)
  if (rates.bufferBits !== undefined) context.rcBufferSize = rates.bufferBits
  if (rates.betweenFrames !== undefined) context.maxBFrames = rates.betweenFrames
  if (rates.quantiser !== undefined) {
    context.setFlags(constants.AV_CODEC_FLAG_QSCALE)
    context.globalQuality = rates.quantiser * quantiserParts
  }
  for (const [name, value] of Object.entries(options))
    ensure(context.setOption(name, value), `The encoder does not take ${name}=${value}`)
}
