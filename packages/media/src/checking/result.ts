import { readdir, stat } from 'node:fs/promises'
import path from 'node:path'
import {
  describeContainer,
  describeStillOf,
  type CheckMeasurement,
  type Rational,
  type SourceFacts,
} from '@hematine/core'
import type { PlainInput } from '../ground/media-input.ts'
import { MediaError } from '../ground/libav.ts'
import { pictureOf } from '../volumes/result-files.ts'
import { readFacts } from '../reading/source-facts.ts'

/** A result as something to read: a file, or a folder with a sequence and its sound. */
export interface Result {
  picture: PlainInput
  sound: { input: PlainInput; streamIndex: number }[]
  /** Of the picture, with the sound that lies beside it. */
  facts: SourceFacts
  /** Name of its container in the trade. */
  container: string
}

/** Where a result's picture is, as `pictureOf` has it. @throws MediaError for a folder that holds none, or several */
export async function resultPicture(resultPath: string, rate: Rational): Promise<PlainInput> {
  const picture = await pictureOf(resultPath, rate)
  if (!picture) throw new MediaError('The folder of the result does not hold one sequence of pictures. Make it again.')
  return picture
}

/** Reads what a result says of itself. @param rate of its pictures, where they are a sequence @throws MediaError; as the file system does */
export async function readResult(resultPath: string, rate: Rational): Promise<Result> {
  const picture = await resultPicture(resultPath, rate)
  const facts = await readFacts(picture)
  if (!(await stat(resultPath)).isDirectory()) {
    const isPicture = facts.container === 'pictures' && facts.video !== null
    return {
      picture,
      sound: facts.audio.map(({ streamIndex }) => ({ input: picture, streamIndex })),
      facts,
      container: (isPicture && describeStillOf(facts.video!.codec)) || facts.container,
    }
  }
  const names = (await readdir(resultPath)).filter(name => name.endsWith('.wav')).sort()
  const sound: Result['sound'] = []
  const audio: SourceFacts['audio'] = []
  for (const name of names) {
    const input: PlainInput = { kind: 'file', path: path.join(resultPath, name) }
    const track = (await readFacts(input)).audio[0]
    if (!track) throw new MediaError(`${name} holds no sound. Make the result again.`)
    sound.push({ input, streamIndex: track.streamIndex })
    audio.push(track)
  }
  return { picture, sound, facts: { ...facts, audio }, container: describeContainer('images') }
}

/** What a result says beside its tracks. */
export function tagsOf({ tags = {}, cover }: SourceFacts): Pick<CheckMeasurement, 'tags' | 'cover'> {
  if (!cover) return { tags, cover: null }
  const { codec, width, height, bytes } = cover
  return { tags, cover: { codec, width, height, bytes } }
}
