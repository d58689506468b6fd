import { stat } from 'node:fs/promises'
import { isDeepStrictEqual } from 'node:util'
import {
  describeSequence,
  frameFileName,
  titlePath,
  titlesToBringIn,
  type NumberedSequence,
  type Rational,
} from '@hematine/core'
import type { Arrival, ScannedDirectory, WatchRow } from '@hematine/database'
import { onDisc } from '@hematine/media/volumes/source-input'
import { listDirectory, resolveInside, VolumeProblem, type Listing } from '@hematine/media/volumes/volume-files'

const inside = (directory: string, name: string) => (directory === '' ? name : `${directory}/${name}`)

/** Files beside material that are none themselves and would only fill the list of what cannot be used. */
const bystanders = /\.(ifo|bup|txt|md|pdf|docx?|xlsx?|csv|xml|json|md5|sha256|nfo|srt|vtt|url|db|ini|lnk|tmp|part)$/i

/** What one directory of a volume holds, as material for an order. A directory that cannot be read becomes a refusal, and the scan goes on. */
export async function scanDirectory(
  volume: { id: number; path: string },
  directory: string,
  frameRate: Rational,
): Promise<ScannedDirectory> {
  let listing: Listing
  try {
    listing = await listDirectory(volume.path, directory)
  } catch (error) {
    if (!(error instanceof VolumeProblem)) throw error
    return {
      directory,
      below: [],
      arrivals: [],
      files: 0,
      refused: [{ path: directory === '' ? '/' : directory, reason: error.message }],
    }
  }
  const linked = new Set(listing.linkedDirectories)
  const discs = discsIn(listing, directory)
  const opened = await Promise.all(discs.map(disc => titlesOf(volume, disc.path)))
  const empty = listing.files.filter(file => file.bytes === 0)
  const files = listing.files.filter(
    file => file.bytes > 0 && !bystanders.test(file.name) && !(isDiscDirectory(directory) && isVob(file.name)),
  )
  return {
    directory,
    below: listing.directories
      .filter(name => !linked.has(name) && !discs.some(disc => disc.path === inside(directory, name)))
      .map(name => inside(directory, name)),
    arrivals: [
      ...listing.sequences.map((sequence): Arrival => ({
        kind: 'sequence',
        volumeId: volume.id,
        directory,
        sequence,
        frameRate,
      })),
      ...files.map((file): Arrival => ({ kind: 'file', volumeId: volume.id, path: inside(directory, file.name) })),
      ...opened.flatMap(disc => disc.arrivals),
    ],
    files: listing.files.length + listing.sequences.length + discs.length,
    refused: [
      ...opened.flatMap(disc => disc.refused),
      ...listing.refused.map(({ name, reason }) => ({ path: inside(directory, name), reason })),
      ...listing.linkedDirectories.map(name => ({
        path: inside(directory, name),
        reason: 'It is a link to a directory, which may lead in a circle. Bring in the directory itself.',
      })),
      ...empty.map(({ name }) => ({ path: inside(directory, name), reason: 'The file is empty.' })),
    ],
  }
}

const isDiscDirectory = (directory: string) => /(^|\/)VIDEO_TS$/i.test(directory)
const isVob = (name: string) => /\.vob$/i.test(name)

/** Disc folders and disc images in a directory, or the directory itself when somebody chose the inside of a disc. */
function discsIn(listing: Listing, directory: string): { path: string; bytes: number | null }[] {
  const linked = new Set(listing.linkedDirectories)
  const found = listing.discs
    .filter(disc => !linked.has(disc.name))
    .map(({ name, bytes }) => ({ path: inside(directory, name), bytes }))
  return isDiscDirectory(directory) && listing.files.some(file => /^video_ts\.ifo$/i.test(file.name))
    ? [...found, { path: directory, bytes: null }]
    : found
}

/** Titles of a disc that come in without being chosen; a disc that cannot be read becomes a refusal. */
export async function titlesOf(
  volume: { id: number; path: string },
  path: string,
): Promise<Pick<ScannedDirectory, 'arrivals' | 'refused'>> {
  try {
    const { numbers, leftOut } = titlesToBringIn(await onDisc(volume.path, path, disc => disc.describe()))
    return {
      arrivals: numbers.map(title => ({ kind: 'title', volumeId: volume.id, disc: { path, title, angle: 1 } })),
      refused: leftOut.map(({ number, reason }) => ({ path: titlePath({ path, title: number, angle: 1 }), reason })),
    }
  } catch (error) {
    if (!(error instanceof VolumeProblem)) throw error
    return { arrivals: [], refused: [{ path, reason: error.message }] }
  }
}

const stateOf = (file: { bytes: number; modifiedAt: Date }) => `${file.bytes}:${file.modifiedAt.getTime()}`

/** Directories below a watched one that one look goes through. */
const mostDirectories = 2000

/**
 * Looks at a watched folder: what is alike in two looks in a row has stopped growing and comes in; a sequence does when its newest frame has.
 * @param known paths that are in the order already
 * @param sequences those of them that are sequences, with the frames that are known: one whose gaps were filled since has the same path
 */
export async function lookAtWatch(
  watch: Pick<WatchRow, 'path' | 'frameRate' | 'growing'>,
  volume: { id: number; path: string },
  known: ReadonlySet<string>,
  sequences: ReadonlyMap<string, NumberedSequence> = new Map(),
): Promise<{ growing: Record<string, string>; arrivals: Arrival[]; problem: string | null }> {
  const growing: Record<string, string> = {}
  const arrivals: Arrival[] = []
  let problem: string | null = null
  try {
    await resolveInside(volume.path, watch.path)
  } catch (error) {
    if (!(error instanceof VolumeProblem)) throw error
    return { growing: watch.growing, arrivals, problem: error.message }
  }
  const pending = [watch.path]
  for (let count = 0; pending.length > 0 && count < mostDirectories; count++) {
    const directory = pending.pop()!
    let listing: Listing
    try {
      listing = await listDirectory(volume.path, directory)
    } catch (error) {
      if (!(error instanceof VolumeProblem)) throw error
      continue
    }
    const linked = new Set(listing.linkedDirectories)
    const discs = discsIn(listing, directory)
    pending.push(
      ...listing.directories
        .map(name => inside(directory, name))
        .filter((path, index) => !linked.has(listing.directories[index]!) && !discs.some(disc => disc.path === path)),
    )
    const consider = (path: string, state: string, arrival: Arrival, isKnown = known.has(path)) => {
      if (isKnown) return
      if (watch.growing[path] === state) arrivals.push(arrival)
      else growing[path] = state
    }
    for (const file of listing.files) {
      if (bystanders.test(file.name) || (isDiscDirectory(directory) && isVob(file.name))) continue
      // A file that just appeared has no bytes yet; it is waited for.
      if (file.bytes === 0) growing[inside(directory, file.name)] = stateOf(file)
      else
        consider(inside(directory, file.name), stateOf(file), {
          kind: 'file',
          volumeId: volume.id,
          path: inside(directory, file.name),
        })
    }
    for (const disc of discs) {
      const stem = titlePath({ path: disc.path, title: 1, angle: 1 }).replace(/\d+$/, '')
      if ([...known].some(path => path.startsWith(stem))) continue
      const state = `${disc.bytes ?? (await discBytes(volume.path, disc.path))}:${disc.path}`
      if (!watch.growing[disc.path]?.startsWith(state)) {
        growing[disc.path] = state
        continue
      }
      const titles = await titlesOf(volume, disc.path)
      arrivals.push(...titles.arrivals)
      if (titles.arrivals.length > 0) continue
      // It stays in the list until it can be read, and the reason is shown.
      growing[disc.path] = state
      problem = `${disc.path}: ${titles.refused[0]?.reason ?? 'It holds no title that can be used.'}`
    }
    for (const sequence of listing.sequences) {
      const path = inside(directory, describeSequence(sequence))
      consider(
        path,
        await sequenceState(volume.path, directory, sequence),
        { kind: 'sequence', volumeId: volume.id, directory, sequence, frameRate: watch.frameRate },
        known.has(path) && (!sequences.has(path) || isDeepStrictEqual(sequences.get(path), sequence)),
      )
    }
  }
  return { growing, arrivals, problem }
}

/** Bytes of the files of a disc folder: what changes while it is still being read in. */
async function discBytes(root: string, path: string): Promise<number> {
  const listing = await listDirectory(root, isDiscDirectory(path) ? path : inside(path, 'VIDEO_TS')).catch(() => null)
  return listing?.files.reduce((sum, file) => sum + file.bytes, 0) ?? 0
}

/** The bytes of a sequence's newest frame, and how many frames there are: what changes while it is still being rendered. */
async function sequenceState(root: string, directory: string, sequence: NumberedSequence): Promise<string> {
  try {
    const { size } = await stat(await resolveInside(root, inside(directory, frameFileName(sequence, sequence.last))))
    return `${size}:${describeSequence(sequence)}:${sequence.missing.length}`
  } catch {
    return `0:${describeSequence(sequence)}`
  }
}
