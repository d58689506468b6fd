import { accountOfPictures, accountOfSound, glanceOf, type Account, type Glances, type SourceFacts, type Treatment } from '@hematine/core'
import { measurePictureOf } from '../measure-picture.ts'
import type { MediaInput } from '../input.ts'
import { soundAloneZero } from '../sound-treatment.ts'
import { readFacts } from '../source-facts.ts'
import type { WorkGate } from '../transcode.ts'
import { listenPlainly, lookPlainly, streamsOf, zeroOf } from './plain-look.ts'

export interface Proof {
  account: Account
  glances: Glances | null
  /** Length of each of the source's tracks by its own samples, from time 0. */
  sourceSoundSeconds: number[]
}

export interface ProofPlan {
  input: MediaInput
  /** Of the source, with the tracks that are delivered. */
  facts: SourceFacts
  treatment: Treatment
  outputPath: string
}

/**
 * Holds a result against its source without the treatment: every picture and second of sound of both is decoded plainly and counted, and a few
 * windows of both are measured by themselves.
 * @throws MediaError when one of them cannot be decoded; whatever `gate.turn` rejects with, when stopped
 */
export async function prove({ input, facts, treatment, outputPath }: ProofPlan, gate: WorkGate, onProgress: (pictures: number) => void): Promise<Proof> {
  const output: MediaInput = { kind: 'file', path: outputPath }
  const made = await readFacts(output)
  const hasPicture = treatment.result !== null && facts.video !== null && made.video !== null
  let picture: Account['picture'] = null
  let glances: Glances | null = null
  let resultZero = 0
  if (hasPicture) {
    const source = await lookPlainly(input, streamsOf(input, facts, 'picture'), gate, onProgress)
    const result = await lookPlainly(output, () => made.video!.streamIndex, gate, onProgress)
    resultZero = result.seconds.find(at => at !== null) ?? 0
    picture = accountOfPictures(source, result, facts, treatment)
    glances = await glanceAtBoth(input, facts, output, made, gate)
  }
  const zero = hasPicture ? zeroOf(facts) : await soundAloneZero(input, facts, treatment)
  const sound: Account['sound'] = []
  const sourceSoundSeconds: number[] = []
  for (let index = 0; index < facts.audio.length; index++) {
    const heard = await listenPlainly(input, streamsOf(input, facts, index), zero, gate)
    sourceSoundSeconds.push(Math.max(0, heard.last ?? 0))
    const other = made.audio[index]
    if (!other) continue
    sound.push(accountOfSound(heard, await listenPlainly(output, () => other.streamIndex, resultZero, gate), facts, treatment))
  }
  return { account: { picture, sound }, glances, sourceSoundSeconds }
}

async function glanceAtBoth(input: MediaInput, facts: SourceFacts, output: MediaInput, made: SourceFacts, gate: WorkGate): Promise<Glances | null> {
  const none = { pictureSeconds: [], endSeconds: new Map<number, number>() }
  return {
    source: glanceOf(await measurePictureOf(input, facts.video!, 'glance', none, gate), facts.video!.scan.kind !== 'progressive'),
    result: glanceOf(await measurePictureOf(output, made.video!, 'glance', none, gate), facts.video!.scan.kind !== 'progressive'),
  }
}
