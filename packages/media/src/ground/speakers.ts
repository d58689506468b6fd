import { AV_CHANNEL_ORDER_NATIVE } from 'node-av/constants'
import { avChannelLayoutDefault, avChannelLayoutDescribe, type ChannelLayout } from 'node-av/lib'

/** Speakers of layouts of which the library's usual one with as many channels has other speakers (libavutil/channel_layout.h). */
const speakers: Record<string, bigint> = {
  '2.1': 0x0bn,
  '3.0': 0x07n,
  '3.0(back)': 0x103n,
  '3.1': 0x0fn,
  '4.1': 0x10fn,
  quad: 0x33n,
  'quad(side)': 0x603n,
}

/**
 * Speakers of sound that does not state them, by the number of its channels: the library's usual ones, and of three the centre rather than
 * the low frequencies, which a mix to stereo would leave out.
 */
export function unstatedSpeakers(channels: number): bigint {
  if (channels === 3) return speakers['3.0']!
  return avChannelLayoutDefault(channels).mask || (1n << BigInt(channels)) - 1n
}

/** The name of a layout of speakers. */
export function layoutName(channels: number, mask: bigint): string {
  return (
    avChannelLayoutDescribe({ order: AV_CHANNEL_ORDER_NATIVE, nbChannels: channels, mask }) ?? `${channels} channels`
  )
}

/** A layout as an encoder takes it. @param name as the library says it */
export function layoutCalled(name: string, channels: number): ChannelLayout {
  const mask = speakers[name]
  return mask === undefined
    ? avChannelLayoutDefault(channels)
    : { order: AV_CHANNEL_ORDER_NATIVE, nbChannels: channels, mask }
}
