import { createHash } from 'node:crypto'
import {
  plannedSubtitles,
  type CheckMeasurement,
  type PictureSpec,
  type PictureTreatment,
  type SourceFacts,
} from '@hematine/core'
import { AVDISCARD_ALL, AVDISCARD_DEFAULT, AV_NOPTS_VALUE } from 'node-av/constants'
import { Packet } from 'node-av/lib'
import type { WorkGate } from '../ground/gate.ts'
import { isAgain } from '../ground/libav.ts'
import type { MediaInput, PlainInput } from '../ground/media-input.ts'
import { openInput } from '../reading/input.ts'
import { secondsOf } from '../sound/sound-treatment.ts'

// The tracks of a result are held against those of its source by a reading of their own: packets as they come, letters and figures only. Nothing that made
// them is used here, but for the list of the tracks that there should be.

/** What one packet says, and when. */
interface Said {
  from: number
  words: string
}

export interface TextCheckPlan {
  input: MediaInput
  facts: SourceFacts
  treatment: Pick<PictureTreatment, 'timeline'>
  spec: PictureSpec
}

/** Holds the subtitle tracks of a result against its source's. @param result the result as a source, and its facts */
export async function measureSubtitles(
  { input, facts, treatment, spec }: TextCheckPlan,
  result: { input: PlainInput; facts: SourceFacts },
  gate: WorkGate,
): Promise<CheckMeasurement['subtitles']> {
  const { tracks } = plannedSubtitles(facts, spec, treatment.timeline)
  const found = result.facts.subtitles
  if (found.length === 0 || input.kind === 'join') return []
  const inResult = await readAll(
    result.input,
    found.map(track => ({ index: track.streamIndex!, codec: track.codec })),
    result.facts,
    gate,
  )
  const wanted = tracks.map(({ position, from }) => ({
    index: facts.subtitles[position]!.streamIndex,
    id: input.kind === 'title' ? input.subtitles[position]?.streamId : undefined,
    codec: from,
  }))
  const inSource = await readAll(input, wanted, facts, gate)
  // What begins when the picture is over is seen by nobody.
  const { video } = result.facts
  const end = video ? (video.frameCount * video.frameRate.den) / video.frameRate.num : Number.POSITIVE_INFINITY
  return found.map((track, index) => {
    const expected = (inSource[index] ?? [])
      .flatMap(said => whenSeen(treatment, said, tracks[index]!.from))
      .filter(said => said.from < end)
    const there = inResult[index]!
    return {
      codec: track.codec,
      language: track.language,
      roles: track.roles ?? [],
      count: there.length,
      sourceCount: expected.length,
      different: there.filter((said, place) => expected[place] && said.words !== expected[place].words).length,
      furthest: there.reduce(
        (most, said, place) => (expected[place] ? Math.max(most, Math.abs(said.from - expected[place].from)) : most),
        0,
      ),
    }
  })
}

/** Times in the result at which something of the source comes: none where it is cut off. */
function whenSeen(
  { timeline }: Pick<PictureTreatment, 'timeline'>,
  said: Said & { to?: number },
  codec: string,
): Said[] {
  const isPicture = codec === 'dvd_subtitle' || codec === 'hdmv_pgs_subtitle'
  let kept = 0
  const seen: Said[] = []
  // What is shown before the picture begins is seen from its beginning on.
  for (const range of timeline?.ranges ?? [{ from: 0, to: Number.POSITIVE_INFINITY }]) {
    if ((isPicture ? said.from >= range.from : (said.to ?? said.from) > range.from) && said.from < range.to)
      seen.push({
        words: said.words,
        from: (kept + Math.max(said.from, range.from) - range.from) / (timeline?.speed ?? 1),
      })
    kept += range.to - range.from
  }
  return seen
}

/** All packets of some tracks that say anything, track by track. */
async function readAll(
  input: PlainInput,
  tracks: readonly { index: number | null; id?: number | undefined; codec: string }[],
  { video }: SourceFacts,
  gate: WorkGate,
): Promise<(Said & { to: number })[][]> {
  const said: (Said & { to: number })[][] = tracks.map(() => [])
  const zero = video ? secondsOf(video.startTicks, video.timeBase) : 0
  const container = await openInput(input)
  const packet = new Packet()
  packet.alloc()
  try {
    const placeOf = (streamIndex: number) =>
      tracks.findIndex(({ index, id }) =>
        id === undefined ? index === streamIndex : container.streams[streamIndex]?.id === id,
      )
    for (const stream of container.streams)
      stream.discard = placeOf(stream.index) < 0 ? AVDISCARD_ALL : AVDISCARD_DEFAULT
    for (;;) {
      await gate.turn()
      const code = await container.readFrame(packet)
      if (isAgain(code)) continue
      if (code < 0) return said
      const place = placeOf(packet.streamIndex)
      if (place >= 0 && packet.pts !== AV_NOPTS_VALUE && packet.data && packet.size > 0) {
        const words = wordsIn(tracks[place]!.codec, packet.data)
        const { num, den } = container.streams[packet.streamIndex]!.timeBase
        const from = (Number(packet.pts) * num) / den - zero
        const length = packet.duration > 0n ? (Number(packet.duration) * num) / den : 5
        if (words !== '') said[place]!.push({ words, from, to: from + length })
      }
      packet.unref()
    }
  } finally {
    packet.free()
    await container.closeInput()
  }
}

/** Letters and figures of a packet; of pictures of text, the sum of all bytes. */
function wordsIn(codec: string, data: Buffer): string {
  const letters = (text: string) => text.normalize('NFC').replaceAll(/[^\p{L}\p{N}]/gu, '')
  // The tags of SubRip and WebVTT; other words in such brackets are said.
  const untagged = (text: string) =>
    text.replaceAll(/<\/?(i|b|u|s|c|v|font|ruby|rt|lang)(?=[ .\t>])[^<>]{0,300}>|<\d[\d:.]{4,15}>/gi, '')
  switch (codec) {
    case 'dvd_subtitle':
    case 'hdmv_pgs_subtitle':
      return createHash('sha256').update(data).digest('hex')
    case 'mov_text': {
      const text = data.length < 2 ? data.subarray(0, 0) : data.subarray(2, 2 + data.readUInt16BE(0))
      const mark = text.toString('hex', 0, 2)
      return letters(
        new TextDecoder(mark === 'feff' ? 'utf-16be' : mark === 'fffe' ? 'utf-16le' : 'utf-8').decode(text),
      )
    }
    case 'ass':
      return letters(
        withoutDrawings(data.toString().split(',').slice(8).join(',')).replaceAll(/\{[^{}]*\}|\\[Nnh]/g, ''),
      )
    case 'text':
      return letters(data.toString())
    case 'webvtt':
      return letters(
        untagged(data.toString())
          .replaceAll(/&(lt|gt|nbsp|lrm|rlm);/g, ' ')
          .replaceAll('&amp;', '&'),
      )
    default:
      return letters(untagged(data.toString().replaceAll(/\{\\[^{}]{0,200}\}/g, '')))
  }
}

/** A script's text without what its braces tell to be drawn. */
function withoutDrawings(text: string): string {
  return text.replaceAll(/\{[^{}]*\\p[1-9][^{}]*\}[^{]*(\{[^{}]*\\p0[^{}]*\})?/g, '')
}
