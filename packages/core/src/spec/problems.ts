import {
  hardwareCodecs,
  hardwareFormats,
  isHardwareCodec,
  levelProblem,
  lowestLevel,
  pictureCodec,
  soundCodec,
  type PictureCodec,
} from '../codecs/index.ts'
import { readLanguages } from '../languages.ts'
import { containerFacts, containerRateProblem, outputKind, type Container } from './container.ts'
import { patternProblems } from './naming.ts'
import type { DeliverySpec, PictureSpec } from './schema.ts'
import { sheetProblems } from './sheet.ts'

/** Sentences on what does not make sense in a spec; empty when it does. */
export function specProblems(spec: DeliverySpec): string[] {
  const { audio, container } = spec
  return [
    ...patternProblems(spec),
    ...(audio === null ? [] : soundProblems(audio, container)),
    ...(spec.video === null ? [] : [...pictureProblems(spec), ...subtitleProblems(spec), ...problemsOfSheet(spec)]),
    ...(audio?.stereoBeside && outputKind(spec) !== 'moving picture'
      ? ['Stereo is made beside other tracks only in moving pictures: leave that out.']
      : []),
    ...(audio?.copied && outputKind(spec) !== 'moving picture'
      ? ['Sound is copied untouched only beside a moving picture: leave that out.']
      : []),
    ...(spec.video?.copied && outputKind(spec) !== 'moving picture'
      ? ['A picture is copied untouched only into a moving picture: leave that out.']
      : []),
    ...(spec.video?.copied && spec.video.rateControl.kind === 'quality target'
      ? ['A measured quality is that of a picture that is encoded: leave the copying out, or hold another quality.']
      : []),
    ...(containerFacts(container).encodedOnly && (audio?.copied || spec.video?.copied)
      ? [
          `Nothing is copied untouched into ${containerFacts(container).name}: leave that out, or choose MKV, MP4 or MOV.`,
        ]
      : []),
    ...(spec.tags && !containerFacts(container).tags
      ? [`${containerFacts(container).name} has no place for a title or other tags here: leave them out.`]
      : []),
    ...(spec.tags?.cover && !containerFacts(container).covers
      ? [`${containerFacts(container).name} carries no cover here: leave it out.`]
      : []),
    ...(spec.keepsChapters && !containerFacts(container).chapters
      ? [`${containerFacts(container).name} gets no chapters here: leave them out, or choose MKV, MP4 or MOV.`]
      : []),
  ]
}

function problemsOfSheet({ sheet, container }: PictureSpec): string[] {
  if (!sheet) return []
  const { name, makes } = containerFacts(container)
  return makes === 'still'
    ? [`${name} is one picture, and a contact sheet shows several of a result: leave it out.`]
    : sheetProblems(sheet)
}

function noLanguages(tags: readonly string[] | undefined): string[] {
  return (tags ?? [])
    .filter(tag => readLanguages(tag).unknown.length > 0)
    .map(tag => `${tag} is no language. Write its code, as en, de or fr.`)
}

function subtitleProblems({ subtitles, container }: PictureSpec): string[] {
  if (!subtitles) return []
  const holds = containerFacts(container)
  return [
    ...noLanguages(subtitles.languages),
    ...(holds.makes === 'still'
      ? [`${holds.name} is one picture, and has no subtitles: leave them out.`]
      : holds.subtitles.length === 0 && !subtitles.files
        ? [
            `${holds.name} gets no subtitles here: leave them out, have them written beside it, or choose MKV, MP4, MOV or WebM.`,
          ]
        : []),
  ]
}

function soundProblems(audio: NonNullable<DeliverySpec['audio']>, container: Container): string[] {
  const holds = containerFacts(container)
  const sound = soundCodec(audio.codec)
  if (holds.sound.length === 0) return [`${holds.name} holds a picture alone: leave the sound out.`]
  const problems = noLanguages(audio.languages)
  if (!holds.sound.includes(audio.codec))
    problems.push(
      `${holds.name} does not carry ${sound.name} sound. It carries ${listed(holds.sound.map(key => soundCodec(key).name))}.`,
    )
  if (sound.sampleRates && (audio.sampleRate === null || !sound.sampleRates.includes(audio.sampleRate)))
    problems.push(
      `${sound.name} runs at ${listed(sound.sampleRates.map(String))} samples a second, not at ${audio.sampleRate ?? 'any'}.`,
    )
  if (holds.soundRates && (audio.sampleRate === null || !holds.soundRates.includes(audio.sampleRate)))
    problems.push(
      `Sound in ${holds.name} runs at ${listed(holds.soundRates.map(String))} samples a second, not at ${audio.sampleRate ?? 'any'}.`,
    )
  if (audio.maxChannels > sound.mostChannels)
    problems.push(`${sound.name} holds at most ${sound.mostChannels} channels, not ${audio.maxChannels}.`)
  if (sound.usualBits === null && audio.bitsPerSecondPerChannel !== null)
    problems.push(`${sound.name} has no bit rate to choose.`)
  if (sound.usualBits !== null && audio.bitsPerSecondPerChannel === null)
    problems.push(`${sound.name} needs a bit rate; ${sound.usualBits / 1000} kbit/s a channel is usual.`)
  return problems
}

/** What pictures in files of their own cannot be, or say. */
function fileProblems(spec: PictureSpec, codec: PictureCodec): string[] {
  const { dotsPerInch, keepsCameraData, video } = spec
  return [
    ...(outputKind(spec) !== 'moving picture' && !video.frame.squarePixels
      ? [`${codec.name} files show every pixel as a square: choose square pixels, or the picture would be distorted.`]
      : []),
    ...(dotsPerInch !== undefined && !codec.remarks.includes('dots per inch')
      ? [`${codec.name} states no dots per inch.`]
      : []),
    ...(keepsCameraData && !codec.remarks.includes('camera data') ? [`${codec.name} holds no camera data here.`] : []),
  ]
}

/** What does not make sense in the frame and the rate that a spec wants. */
function shapeProblems(spec: PictureSpec): string[] {
  const { frame, holdsFrameRate, maxFrameRate, pixelFormat } = spec.video
  const isFilm = outputKind(spec) === 'moving picture'
  const unit = frame.multiple ?? (isFilm && pixelFormat !== null ? 2 : 1)
  const box = `${frame.maxWidth}x${frame.maxHeight}`
  return [
    ...(frame.exactly && (frame.maxWidth % unit !== 0 || frame.maxHeight % unit !== 0)
      ? [`A frame of exactly ${box} has sides that are no multiples of ${unit}: change it.`]
      : []),
    ...(frame.exactly && Math.max(frame.maxWidth, frame.maxHeight) > 8192
      ? [`A frame of exactly ${box} is larger than 8192 pixels: choose a smaller one.`]
      : []),
    ...(frame.shownAs && !frame.exactly
      ? ['A stated shape belongs to an exact frame: make it exact, or leave the shape out.']
      : []),
    ...(frame.shownAs && frame.squarePixels
      ? [
          `A frame of ${box} that is shown as ${frame.shownAs === 'nearer' ? '4:3 or 16:9' : frame.shownAs} has pixels of its own shape: leave square pixels out.`,
        ]
      : []),
    ...(frame.exactly && !frame.shownAs && !frame.squarePixels
      ? [`A frame of exactly ${box} has square pixels, or is shown as 4:3 or 16:9: say which.`]
      : []),
    ...(frame.exactly === 'cropped' && !frame.enlarge
      ? ['A frame without bars enlarges smaller pictures: allow that, or pad with black.']
      : []),
    ...(holdsFrameRate && maxFrameRate === null ? ['A rate that is held has to be named.'] : []),
  ]
}

/** Fine settings that the codec's encoder does not have, or the container does not bear. */
function fineProblems({ video: { fine }, container }: PictureSpec, { name, fine: has }: PictureCodec): string[] {
  const { betweenFrames, references, closedGroups, suits } = fine ?? {}
  const missing = [
    ...(betweenFrames !== undefined && !has?.betweenFrames?.includes(betweenFrames)
      ? [`${betweenFrames} B frames`]
      : []),
    ...(references !== undefined && !has?.references?.includes(references) ? [`${references} reference frames`] : []),
    ...(closedGroups && !has?.closedGroups ? ['a choice of closed GOPs'] : []),
    ...(suits !== undefined && !has?.suits?.includes(suits) ? [`tuning to ${suits}`] : []),
  ]
  return [
    ...missing.map(what => `${name} does not offer ${what}: leave it as the effort sets it.`),
    ...(containerFacts(container).countsPackets && (betweenFrames ?? 0) > 0
      ? [`${containerFacts(container).name} keeps frames in the order in which they are shown: choose no B frames.`]
      : []),
  ]
}

/** What encoders of graphics devices are not asked for. */
function hardwareProblems({ video }: PictureSpec, { name }: PictureCodec): string[] {
  if (!video.encoder) return []
  if (!isHardwareCodec(video.codec))
    return [
      `Graphics devices encode ${listed(hardwareCodecs.map(key => pictureCodec(key).name))} here, not ${name}: choose the encoder of the processor.`,
    ]
  const isHeld = (hardwareFormats as readonly (string | null)[]).includes(video.pixelFormat)
  return [
    ...(isHeld ? [] : [`Graphics devices encode ${listed(hardwareFormats)} here, not ${video.pixelFormat}.`]),
    ...(video.scan === 'as source'
      ? ['Graphics devices encode whole frames here, no fields: choose a progressive scan.']
      : []),
    ...(video.rateControl.kind === 'size cap'
      ? ['Graphics devices keep no size in two passes: hold another quality, or choose the encoder of the processor.']
      : []),
    ...(video.fine
      ? ["Fine settings are those of the processor's encoder: leave them out, or choose that encoder."]
      : []),
  ]
}

function pictureProblems(spec: PictureSpec): string[] {
  const { video, container } = spec
  const holds = containerFacts(container)
  const codec = pictureCodec(video.codec)
  const problems: string[] = []
  if (!holds.picture.includes(video.codec))
    problems.push(
      holds.picture.length === 0
        ? `${holds.name} holds sound alone.`
        : `${holds.name} does not carry ${codec.name}. It carries ${listed(holds.picture.map(key => pictureCodec(key).name))}.`,
    )
  const profile = codec.profiles.find(entry => entry.key === video.profile)
  if (codec.profiles.length > 0 && !profile)
    problems.push(`${codec.name} has the profiles ${listed(codec.profiles.map(entry => entry.key))}.`)
  const formats = profile ? profile.pixelFormats : codec.pixelFormats
  if (video.pixelFormat !== null && formats.length > 0 && !formats.includes(video.pixelFormat))
    problems.push(
      `${codec.name}${profile ? ` ${profile.key}` : ''} holds ${listed(formats)}, not ${video.pixelFormat}.`,
    )
  if (video.pixelFormat === null && formats.length > 0)
    problems.push(`${codec.name} does not hold every kind of samples; choose ${listed(formats)}.`)
  const { rateControl } = video
  if (!codec.rates.includes(rateControl.kind))
    problems.push(`${codec.name} has no rate control "${rateControl.kind}"; it has ${listed(codec.rates)}.`)
  if (rateControl.kind === 'constant quality' && codec.quality) {
    const { best, worst } = codec.quality
    if (rateControl.value < best || rateControl.value > worst)
      problems.push(
        `The quality of ${codec.name} goes from ${best} (best) to ${worst}, so ${rateControl.value} is none.`,
      )
  }
  if (rateControl.kind === 'average rate') {
    const { bitsPerSecond, peakBitsPerSecond, bufferBits } = rateControl
    if (peakBitsPerSecond !== null && peakBitsPerSecond < bitsPerSecond)
      problems.push('The peak rate is below the average rate.')
    if ((peakBitsPerSecond === null) !== (bufferBits === null))
      problems.push('A peak rate needs the size of the buffer that it is meant for, and the other way round.')
  }
  if (video.effort !== null && !codec.efforts.some(entry => entry.value === video.effort))
    problems.push(
      codec.efforts.length === 0
        ? `${codec.name} has no setting of effort.`
        : `${codec.name} knows the efforts ${listed(codec.efforts.map(entry => entry.value))}.`,
    )
  problems.push(...hardwareProblems(spec, codec), ...fineProblems(spec, codec))
  if (codec.everyFrameAlone !== (video.keyframeSeconds === null))
    problems.push(
      codec.everyFrameAlone
        ? `Every frame of ${codec.name} stands alone, so there is no distance of keyframes.`
        : `${codec.name} needs a distance of keyframes.`,
    )
  problems.push(...fileProblems(spec, codec), ...shapeProblems(spec))
  const rateProblem =
    video.holdsFrameRate && video.maxFrameRate
      ? (codec.rateProblem(video.maxFrameRate, video.profile) ?? containerRateProblem(container, video.maxFrameRate))
      : null
  const sizeProblem = video.frame.exactly
    ? codec.sizeProblem({ width: video.frame.maxWidth, height: video.frame.maxHeight }, video.profile)
    : null
  problems.push(...[rateProblem, sizeProblem].filter(problem => problem !== null))
  if (video.scan === 'as source' && !codec.keepsFields)
    problems.push(`${codec.name} does not code fields: choose a progressive scan.`)
  if (video.level !== null) {
    const largest = { width: video.frame.maxWidth, height: video.frame.maxHeight }
    const rate = video.maxFrameRate ?? { num: 60, den: 1 }
    const problem = levelProblem(codec, video.level, largest, rate)
    const higher = problem ? lowestLevel(codec, largest, rate) : null
    if (problem) problems.push(higher === null ? problem : `${problem} Level ${higher} carries it.`)
  }
  return problems
}

/** "a, b and c". */
function listed(words: readonly string[]): string {
  return words.length < 2 ? (words[0] ?? 'nothing') : `${words.slice(0, -1).join(', ')} and ${words.at(-1)}`
}
