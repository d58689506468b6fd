import { readFile } from 'node:fs/promises'
import path from 'node:path'
import {
  comparePacketLists,
  FlowMeter,
  frameFileName,
  presentNumbers,
  toNumber,
  type OnDisk,
  type StreamFlow,
  type StreamLimits,
} from '@hematine/core'
import { AV_NOPTS_VALUE, AVDISCARD_ALL, AVDISCARD_DEFAULT, AVFMT_FLAG_GENPTS } from 'node-av/constants'
import { avGetCodecName, Packet, type Stream } from 'node-av/lib'
import type { WorkGate } from '../ground/gate.ts'
import { isAgain } from '../ground/libav.ts'
import type { PlainInput } from '../ground/media-input.ts'
import { openInput } from '../reading/input.ts'
import { Ledger, type Noted } from './ledger.ts'
import { contentOf, parametersOf, soundAlone } from './packet-content.ts'

/** A stream of a result, and what was compared of it. */
export interface ProvedStream {
  input: PlainInput
  streamIndex: number
  ledger: Noted
  codec: string
  /** What a decoder was told before the first packet; null where that is heard elsewhere, or nothing. */
  head?: Uint8Array | null
  /** Whether it is pictures in files of their own, each a packet. */
  isFiles?: boolean
  /** Packets that the container states a time of: of sound in packs only where a pack begins, in some none; each unless said. */
  times?: 'first' | 'none'
}

/** Packets between two looks at whether the work is to go on. */
const batch = 500

/** What a file's stream turned out to hold. */
interface Read {
  ledger: Ledger
  head: Uint8Array | null
  /** When the first and the last of it are shown or heard, in seconds of the file. */
  firstSeconds: number
  lastSeconds: number
}

/** What reading a result's packets back showed. */
export interface ReadBack {
  picture: OnDisk
  sound: (OnDisk | null)[]
  flow: StreamFlow | null
  /** When the first and the last picture are shown, in seconds of the file; null for pictures in files of their own. */
  shown: { first: number; last: number } | null
}

/**
 * Reads the packets of a finished result and holds them against those that were decoded and compared on their way into it.
 * @param sound tracks in the order of the result's; null for one that was not encoded
 * @param limits what a player of the picture's stream keeps to
 * @throws MediaError when a file cannot be opened; whatever `gate.turn` rejects with, when stopped
 */
export async function readBack(
  picture: ProvedStream,
  sound: readonly (ProvedStream | null)[],
  limits: StreamLimits | null,
  gate: WorkGate,
): Promise<ReadBack> {
  const meter = limits && new FlowMeter(limits)
  const streams = [picture, ...sound.filter(track => track !== null)]
  const read = new Map<ProvedStream, Read>()
  for (const input of new Set(streams.map(stream => stream.input))) {
    const own = streams.filter(stream => stream.input === input)
    const found = await readStreams(input, own, stream => (stream === picture ? meter : null), gate)
    for (const [index, stream] of own.entries()) read.set(stream, found[index]!)
  }
  const { ledger, firstSeconds, lastSeconds } = read.get(picture)!
  const offset = firstSeconds - firstIn(picture.ledger)
  const hold = (stream: ProvedStream): OnDisk => {
    const { ledger: found, head } = read.get(stream)!
    // Of files of their own, each begins at its own 0.
    const late = stream.input === picture.input ? offset : 0
    return { ...compare(stream, found, late), sameHead: isSameHead(stream, head) }
  }
  return {
    picture: hold(picture),
    sound: sound.map(track => track && hold(track)),
    flow: meter?.found ?? null,
    shown: !picture.isFiles && ledger.entries.length > 0 ? { first: firstSeconds, last: lastSeconds } : null,
  }
}

/** When the first of what was noted is shown, in seconds. */
function firstIn({ entries }: Noted): number {
  const first = entries.reduce((least, { seconds }) => Math.min(least, seconds ?? least), Number.POSITIVE_INFINITY)
  return Number.isFinite(first) ? first : 0
}

function compare(stream: ProvedStream, found: Ledger, offset: number): Omit<OnDisk, 'sameHead'> {
  const { ledger } = stream
  if (ledger.sum !== null) {
    const different = ledger.sum === found.sum ? 0 : 1
    return { parts: 'bytes', wanted: ledger.bytes, found: found.bytes, different, firstAt: null }
  }
  const { times } = stream
  const stated = found.entries.map((entry, index) =>
    times === 'none' || (times === 'first' && index > 0) ? { ...entry, seconds: null } : entry,
  )
  return { parts: 'packets', ...comparePacketLists(ledger.entries, stated, offset) }
}

function isSameHead({ head, codec }: ProvedStream, found: Uint8Array | null): boolean {
  if (!head || head.length === 0) return true
  const [wanted, stated] = [parametersOf(codec, head), parametersOf(codec, found ?? new Uint8Array())]
  return wanted.every(unit => stated.some(other => other.equals(unit)))
}

async function readStreams(
  input: PlainInput,
  wanted: readonly ProvedStream[],
  meterOf: (stream: ProvedStream) => FlowMeter | null,
  gate: WorkGate,
): Promise<Read[]> {
  if (wanted[0]!.isFiles) return [await readPictures(input, gate)]
  const container = await openInput(input)
  // Packets of transport and program streams often carry no time of their own.
  container.setFlags(AVFMT_FLAG_GENPTS)
  const packet = new Packet()
  packet.alloc()
  try {
    for (const stream of container.streams)
      stream.discard = wanted.some(({ streamIndex }) => streamIndex === stream.index)
        ? AVDISCARD_DEFAULT
        : AVDISCARD_ALL
    const readers = new Map(
      wanted.map(stream => {
        const reader = new StreamReader(container.streams[stream.streamIndex]!, meterOf(stream))
        return [stream.streamIndex, reader] as const
      }),
    )
    let count = 0
    for (;;) {
      // One call after another: the asynchronous call takes longer than the reading itself.
      const code = container.readFrameSync(packet)
      if (isAgain(code)) continue
      if (code < 0) break
      readers.get(packet.streamIndex)?.add(packet)
      packet.unref()
      if (++count % batch === 0) {
        await new Promise(resolve => setImmediate(resolve))
        await gate.turn()
      }
    }
    return wanted.map(({ streamIndex }) => readers.get(streamIndex)!.read)
  } finally {
    packet.free()
    await container.closeInput()
  }
}

/** Takes down the packets of one stream. */
class StreamReader {
  private readonly unit: number
  readonly read: Read
  private decodedAt = 0

  constructor(
    stream: Stream,
    private readonly meter: FlowMeter | null,
  ) {
    const { codecpar, timeBase } = stream
    const head = codecpar.extradata
    const codec = avGetCodecName(codecpar.codecId) ?? 'unknown'
    // Sound has no slices, and a picture no heads of ADTS.
    const plain = stream.codecpar.sampleRate > 0 ? soundAlone(head) : contentOf(codec, head)
    this.unit = toNumber({ num: timeBase.num, den: timeBase.den })
    this.read = { ledger: new Ledger(codec, plain), head, firstSeconds: 0, lastSeconds: 0 }
  }

  add(packet: Packet): void {
    const { read, unit } = this
    read.ledger.add(packet, unit)
    const { pts, dts } = packet
    if (dts !== AV_NOPTS_VALUE || pts !== AV_NOPTS_VALUE)
      this.decodedAt = Number(dts === AV_NOPTS_VALUE ? pts : dts) * unit
    this.meter?.add(this.decodedAt, packet.size * 8)
    const shownAt = pts === AV_NOPTS_VALUE ? this.decodedAt : Number(pts) * unit
    const isFirst = read.ledger.entries.length === 1
    read.firstSeconds = isFirst ? shownAt : Math.min(read.firstSeconds, shownAt)
    read.lastSeconds = isFirst ? shownAt : Math.max(read.lastSeconds, shownAt)
  }
}

function* picturesOf(input: PlainInput): Iterable<string> {
  if (input.kind === 'file') yield input.path
  if (input.kind !== 'sequence') return
  const { directory, sequence } = input
  for (const number of presentNumbers(sequence)) yield path.join(directory, frameFileName(sequence, number))
}

/** Pictures in files of their own: each is a packet, whole. */
async function readPictures(input: PlainInput, gate: WorkGate): Promise<Read> {
  const ledger = new Ledger('pictures', data => [data])
  const packet = new Packet()
  packet.alloc()
  try {
    for (const file of picturesOf(input)) {
      await gate.turn()
      packet.data = await readFile(file)
      ledger.add(packet, 0)
      packet.unref()
    }
  } finally {
    packet.free()
  }
  return { ledger, head: null, firstSeconds: 0, lastSeconds: 0 }
}
