import { createHash } from 'node:crypto'
import { stat } from 'node:fs/promises'
import {
  plannedSubtitles,
  type CheckMeasurement,
  type FileBeside,
  type PictureSpec,
  type PictureTreatment,
  type SourceFacts,
  type SubtitleMeasurement,
} from '@hematine/core'
import { AVDISCARD_ALL, AVDISCARD_DEFAULT, AV_NOPTS_VALUE } from 'node-av/constants'
import { avGetCodecName, Packet } from 'node-av/lib'
import type { WorkGate } from '../ground/gate.ts'
import { isAgain } from '../ground/libav.ts'
import type { MediaInput, PlainInput } from '../ground/media-input.ts'
import { openInput } from '../reading/input.ts'
import { secondsOf } from '../sound/sound-treatment.ts'
import { fileBeside } from '../volumes/result-files.ts'
import { sha256OfFile } from '../volumes/volume-files.ts'

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
  outputPath: string
}

/**
 * Holds the subtitle tracks of a result against its source's, and those that are files beside it.
 * @param result the result as a source, and its facts
 */
export async function measureSubtitles(
  plan: TextCheckPlan,
  result: { input: PlainInput; facts: SourceFacts },
  gate: WorkGate,
): Promise<Pick<CheckMeasurement, 'subtitles' | 'subtitleFiles'>> {
  const { input, facts, treatment, spec, outputPath } = plan
  const planned = plannedSubtitles(facts, spec, treatment.timeline)
  const found = result.facts.subtitles
  if (input.kind === 'join' || found.length + planned.files.length === 0) return { subtitles: [] }
  const inResult = await readAll(
    result.input,
    found.map(track => ({ index: track.streamIndex!, codec: track.codec })),
    result.facts,
    gate,
  )
  const wanted = [...planned.tracks, ...planned.files]
  const inSource = await readAll(
    input,
    wanted.map(({ position, from }) => ({
      index: facts.subtitles[position]!.streamIndex,
      id: input.kind === 'title' ? input.subtitles[position]?.streamId : undefined,
      codec: from,
    })),
    facts,
    gate,
  )
  // What begins when the picture is over is seen by nobody.
  const { video } = result.facts
  const end = video ? (video.frameCount * video.frameRate.den) / video.frameRate.num : Number.POSITIVE_INFINITY
  const expected = wanted.map(({ from }, index) =>
    inSource[index]!.flatMap(said => whenSeen(treatment, said, from)).filter(said => said.from < end),
  )
  const subtitles = found.map((track, index) => ({
    codec: track.codec,
    language: track.language,
    roles: track.roles ?? [],
    ...compare(inResult[index]!, (index < planned.tracks.length && expected[index]) || []),
  }))
  const subtitleFiles: NonNullable<CheckMeasurement['subtitleFiles']> = []
  for (const [index, track] of planned.files.entries()) {
    const files = await filesNamed(
      outputPath,
      track.endings.map(ending => `${track.added}.${ending}`),
    )
    const { codec, said } = files[0]
      ? await readFile(fileBeside(outputPath, files[0].added), gate)
      : { codec: track.to, said: [] }
    subtitleFiles.push({ codec, ...compare(said, expected[planned.tracks.length + index]!), files })
  }
  return { subtitles, ...(planned.files.length > 0 ? { subtitleFiles } : {}) }
}

function compare(
  there: readonly Said[],
  expected: readonly Said[],
): Pick<SubtitleMeasurement, 'count' | 'sourceCount' | 'different' | 'furthest'> {
  return {
    count: there.length,
    sourceCount: expected.length,
    different: there.filter((said, place) => expected[place] && said.words !== expected[place].words).length,
    furthest: there.reduce(
      (most, said, place) => (expected[place] ? Math.max(most, Math.abs(said.from - expected[place].from)) : most),
      0,
    ),
  }
}

/** Those of some files beside a result that are there. */
async function filesNamed(outputPath: string, names: readonly string[]): Promise<FileBeside[]> {
  const files: FileBeside[] = []
  for (const added of names) {
    const file = fileBeside(outputPath, added)
    const known = await stat(file).catch(() => null)
    if (known) files.push({ added, bytes: known.size, sha256: await sha256OfFile(file) })
  }
  return files
}

/** All that a file of subtitles says, by the library's reader of its kind. */
async function readFile(file: string, gate: WorkGate): Promise<{ codec: string; said: Said[] }> {
  const input: PlainInput = { kind: 'file', path: file }
  const container = await openInput(input)
  const id = container.streams[0]?.codecpar.codecId
  await container.closeInput()
  const codec = (id !== undefined && avGetCodecName(id)) || 'unknown'
  const [said = []] = await readAll(input, [{ index: 0, codec }], { video: null }, gate)
  return { codec, said }
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
  { video }: Pick<SourceFacts, 'video'>,
  gate: WorkGate,
): Promise<(Said & { to: number })[][]> {
  const said: (Said & { to: number })[][] = tracks.map(() => [])
  /** Of graphics that come segment by segment: what there is of a set so far. */
  const sets: (Buffer | undefined)[] = []
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
        const { codec } = tracks[place]!
        const data = Buffer.concat([sets[place] ?? Buffer.alloc(0), packet.data])
        const isPart = codec === 'hdmv_pgs_subtitle' && !endsSet(data)
        sets[place] = isPart ? data : undefined
        const words = isPart ? '' : wordsIn(codec, data)
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

/** Whether segments of graphics end with the one that ends a set: of kind 128, without a body. */
function endsSet(data: Buffer): boolean {
  return data.length >= 3 && data.readUIntBE(data.length - 3, 3) === 0x800000
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
