import { likenessOfParts, type LikenessOfPart, type PlainLook } from '@hematine/core'
import type { PictureProof, ProvedPicture } from '../proof/picture-proof.ts'
import type { ProvedSound } from '../proof/sound-proof.ts'
import { changeBetween, SpreadPictures } from '../proof/plain-look.ts'
import type { NetworkDevice } from '../ground/network.ts'

type StoredPacket = [sum: string, seconds: number | null]

/** What was found of a segment's picture, as its working file keeps it. */
interface StoredProof extends LikenessOfPart {
  treatedFrames: number
  framesDecoded: number
  decodeErrors: number
  misplaced: number[]
  /** Absent in working files of before it was looked for. */
  strange?: number[]
  look: PlainLook
  seen: ProvedPicture['seen']
  codec: string
  /** What a decoder is told before the first packet, in base 64. */
  head: string | null
  packets: StoredPacket[]
  bytes: number
  /** The first and the last picture that were decoded, at 32x32 points. */
  first: number[] | null
  madeLast: number[] | null
}

/** What a working file says of its segment. */
export interface FoundOfSegment extends StoredProof {
  firstFrame: number
  frames: number
  /** By the clock, from the first frame on. */
  seconds: number
  /** The treated frame before the first one, and the last one, at 32x32 points. */
  before: number[] | null
  last: number[] | null
  /** Decode errors of the source within it. */
  sourceErrors: number
  devices: Record<string, NetworkDevice>
}

/** What was proved of a segment, in a form that can be kept. */
export function storeProof(
  { ledger, head, framesCompared, ssim, xpsnr, identical, ...proved }: ProvedPicture,
  { first, last }: PictureProof['ends'],
): StoredProof {
  const { treatedFrames, framesDecoded, decodeErrors, misplaced, strange, look, seen, codec } = proved
  return {
    ...{
      framesCompared,
      ssim,
      xpsnr,
      identical,
      treatedFrames,
      framesDecoded,
      decodeErrors,
      misplaced,
      strange,
      look,
      seen,
      codec,
    },
    head: head && Buffer.from(head).toString('base64'),
    packets: packetsOf(ledger.entries),
    bytes: ledger.bytes,
    first: first && [...first],
    madeLast: last && [...last],
  }
}

/** What was proved of a whole from its segments in order, of which each has frames. */
export function joinProofs(segments: readonly FoundOfSegment[]): ProvedPicture {
  const { codec, head } = segments[0]!
  const sum = (key: 'treatedFrames' | 'framesDecoded' | 'framesCompared' | 'decodeErrors') =>
    segments.reduce((all, segment) => all + segment[key], 0)
  const seen = segments.flatMap(segment => segment.seen ?? [])
  return {
    treatedFrames: sum('treatedFrames'),
    framesDecoded: sum('framesDecoded'),
    framesCompared: sum('framesCompared'),
    decodeErrors: sum('decodeErrors'),
    misplaced: segments.flatMap(segment => segment.misplaced),
    strange: segments.flatMap(segment => segment.strange ?? []),
    ...likenessOfParts(segments),
    look: joinLooks(segments),
    seen: seen.length === segments.length ? { ...seen[0]!, windows: seen.flatMap(({ windows }) => windows) } : null,
    ledger: {
      entries: segments.flatMap(({ packets }) => entriesOf(packets)),
      bytes: segments.reduce((all, { bytes }) => all + bytes, 0),
      sum: null,
    },
    codec,
    head: head === null ? null : Buffer.from(head, 'base64'),
  }
}

const entriesOf = (packets: readonly StoredPacket[]) => packets.map(([sum, seconds]) => ({ sum, seconds }))
const packetsOf = (entries: ProvedPicture['ledger']['entries']): StoredPacket[] =>
  entries.map(({ sum, seconds }) => [sum, seconds])

/** What a working file says of its track of sound. */
export interface FoundOfSound extends Omit<ProvedSound, 'ledger'> {
  packets: StoredPacket[]
  bytes: number
  sum: string | null
}

/** What was proved of a track of sound, in a form that can be kept. */
export function storeSound({ ledger, ...proved }: ProvedSound): FoundOfSound {
  const { entries, bytes, sum } = ledger
  return { ...proved, packets: packetsOf(entries), bytes, sum }
}

/** What was proved of a track of sound, as it was kept. */
export function soundProof({ likeness, decodeErrors, codec, packets, bytes, sum }: FoundOfSound): ProvedSound {
  return { likeness, decodeErrors, codec, ledger: { entries: entriesOf(packets), bytes, sum } }
}

/** One look over all: the first picture of a segment is held against the last of the one before. */
function joinLooks(segments: readonly FoundOfSegment[]): PlainLook {
  const spread = new SpreadPictures()
  for (const { look } of segments)
    for (const { seconds, picture } of look.samples) spread.add(seconds, Uint8Array.from(picture))
  const column = (key: 'seconds' | 'mean') => segments.flatMap(({ look }) => look[key] as number[])
  return {
    pictures: segments.reduce((sum, { look }) => sum + look.pictures, 0),
    errors: segments.reduce((sum, { look }) => sum + look.errors, 0),
    repeatsAtEnd: 0,
    seconds: column('seconds'),
    mean: column('mean'),
    change: segments.flatMap(({ look, first }, index) => {
      const last = segments[index - 1]?.madeLast
      const seam = first && last ? changeBetween(Uint8Array.from(last), Uint8Array.from(first)) : -1
      return [seam, ...look.change.slice(1)]
    }),
    samples: spread.pictures,
    signs: segments[0]!.look.signs,
  }
}
