import path from 'node:path'
import {
  DiscProblem,
  type DiscPlace,
  type JoinPart,
  type NumberedSequence,
  type Rational,
  type SourceFacts,
  type SourceKind,
} from '@hematine/core'
import { OpenDisc } from '../discs/disc.ts'
import type { MediaInput, PlainInput } from '../ground/media-input.ts'
import { resolveInside, VolumeProblem } from './volume-files.ts'

/** A source as the database keeps it. */
export interface KeptSource {
  kind: SourceKind
  relativePath: string
  sequence?: NumberedSequence | null
  frameRate?: Rational | null
  disc?: DiscPlace | null
  joined?: JoinPart[] | null
  /** What is known of it already; of a part of a join, only its courses. */
  facts?: Partial<Pick<SourceFacts, 'courses' | 'video'>> | null
}

/** Where a source's bytes are on this machine. @throws VolumeProblem when they are not there, or not inside the volume */
export async function sourceInput(source: KeptSource, volumePath: string): Promise<MediaInput> {
  if (source.kind === 'file')
    return { kind: 'file', path: await resolveInside(volumePath, source.relativePath), ...knownOf(source.facts) }
  if (source.kind === 'join') {
    if (!source.joined) throw new VolumeProblem('The source does not say what it is joined from. Join its parts anew.')
    const parts = []
    for (const part of source.joined)
      parts.push({
        input: (await sourceInput({ ...part, facts: { courses: part.courses } }, volumePath)) as PlainInput,
        name: path.posix.basename(part.relativePath),
        seconds: part.seconds,
        picture: part.picture,
        sound: part.sound,
        courses: part.courses,
      })
    return { kind: 'join', parts }
  }
  if (source.kind === 'title') {
    if (!source.disc) throw new VolumeProblem('The source does not say which title of a disc it is. Bring it in again.')
    const { path, title, angle } = source.disc
    return onDisc(volumePath, path, disc => disc.titleInput(title, angle))
  }
  if (!source.sequence || !source.frameRate)
    throw new VolumeProblem('The sequence has no frame rate. Set one and read it again.')
  const directory = path.posix.dirname(source.relativePath)
  return {
    kind: 'sequence',
    directory: await resolveInside(volumePath, directory === '.' ? '' : directory),
    sequence: source.sequence,
    frameRate: source.frameRate,
  }
}

/** What of a source's facts reading it needs. */
export function knownOf(
  facts: KeptSource['facts'],
): Pick<Extract<MediaInput, { kind: 'file' }>, 'courses' | 'picture'> {
  const { width, height, pixelFormat } = facts?.video ?? {}
  return {
    courses: facts?.courses,
    picture: width && height && pixelFormat ? { width, height, pixelFormat } : undefined,
  }
}

/** Does something with a disc folder or disc image of a volume. @throws VolumeProblem when it is not there, not inside the volume, or no disc that can be read */
export async function onDisc<Result>(
  volumePath: string,
  relativePath: string,
  work: (disc: OpenDisc) => Promise<Result>,
): Promise<Result> {
  const target = await resolveInside(volumePath, relativePath)
  try {
    return await work(await OpenDisc.open(target))
  } catch (error) {
    throw error instanceof DiscProblem ? new VolumeProblem(error.message, 'unreadable') : error
  }
}
