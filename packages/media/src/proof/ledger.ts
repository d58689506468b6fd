import { createHash } from 'node:crypto'
import type { Packet } from 'node-av/lib'
import { AV_NOPTS_VALUE } from 'node-av/constants'

/** A packet by what is in it, and when it is shown or heard, in seconds; null where nobody says. */
export interface Entry {
  sum: string
  bytes: number
  seconds: number | null
}

/** Digits of a sum that are kept of each packet. */
const digits = 16

/** The packets of one stream in the order of decoding. */
export class Ledger {
  readonly entries: Entry[] = []
  private readonly all = createHash('sha256')

  /** @param plain what of a packet is its content */
  constructor(private readonly plain: (data: Buffer) => Buffer[]) {}

  /** @param unit seconds of a tick of the packet's times */
  add(packet: Packet, unit: number): void {
    const { data, pts } = packet
    if (!data || data.length === 0) return
    const hash = createHash('sha256')
    let bytes = 0
    for (const part of this.plain(data)) {
      hash.update(part)
      this.all.update(part)
      bytes += part.length
    }
    this.entries.push({
      sum: hash.digest('hex').slice(0, digits),
      bytes,
      seconds: pts === AV_NOPTS_VALUE ? null : Number(pts) * unit,
    })
  }

  /** Sum over the content of all packets, however it is parted. */
  get sum(): string {
    return this.all.copy().digest('hex')
  }
}
