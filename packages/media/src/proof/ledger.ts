import { createHash, type Hash } from 'node:crypto'
import type { Packet } from 'node-av/lib'
import { AV_NOPTS_VALUE } from 'node-av/constants'

/** A packet by what is in it, and when it is shown or heard, in seconds; null where nobody says. */
export interface Entry {
  sum: string
  seconds: number | null
}

/** Digits of a sum that are kept of each packet. */
const digits = 16

/** The packets of one stream in the order of decoding. */
export class Ledger {
  readonly entries: Entry[] = []
  /** Of samples as they are, which have no packets of their own: readers part them as they like. */
  private readonly all: Hash | null
  /** Bytes of content. */
  bytes = 0

  /** @param codec its name @param plain what of a packet is its content */
  constructor(
    codec: string,
    private readonly plain: (data: Buffer) => Buffer[],
  ) {
    this.all = codec.startsWith('pcm') ? createHash('md5') : null
  }

  /** @param unit seconds of a tick of the packet's times */
  add(packet: Packet, unit: number): void {
    const { data, pts } = packet
    if (!data || data.length === 0) return
    const hash = createHash('md5')
    for (const part of this.plain(data)) {
      hash.update(part)
      this.bytes += part.length
      this.all?.update(part)
    }
    this.entries.push({
      sum: hash.digest('hex').slice(0, digits),
      seconds: pts === AV_NOPTS_VALUE ? null : Number(pts) * unit,
    })
  }

  /** Sum over the content of all packets of samples as they are; null where packets count. */
  get sum(): string | null {
    return this.all && this.all.copy().digest('hex')
  }
}

/** What was noted of a stream's packets, here or when they were made. */
export type Noted = Pick<Ledger, 'entries' | 'bytes' | 'sum'>
