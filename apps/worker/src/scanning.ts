import { stat } from 'node:fs/promises'
import { describeSequence, frameFileName, type NumberedSequence, type Rational } from '@hematine/core'
import type { Arrival, ScannedDirectory, WatchRow } from '@hematine/database'
import { listDirectory, resolveInside, VolumeProblem, type Listing } from '@hematine/media/volume-files'

const inside = (directory: string, name: string) => directory === '' ? name : `${directory}/${name}`

/** Files beside material that are none themselves and would only fill the list of what cannot be used. */
const bystanders = /\.(txt|md|pdf|docx?|xlsx?|csv|xml|json|md5|sha256|nfo|srt|vtt|url|db|ini|lnk|tmp|part)$/i

/** What one directory of a volume holds, as material for an order. A directory that cannot be read becomes a refusal, and the scan goes on. */
export async function scanDirectory(volume: { id: number, path: string }, directory: string, frameRate: Rational): Promise<ScannedDirectory> {
  let listing: Listing
  try {
    listing = await listDirectory(volume.path, directory)
  } catch (error) {
    if (!(error instanceof VolumeProblem)) throw error
    return { directory, below: [], arrivals: [], files: 0, refused: [{ path: directory === '' ? '/' : directory, reason: error.message }] }
  }
  const linked = new Set(listing.linkedDirectories)
  const empty = listing.files.filter(file => file.bytes === 0)
  const files = listing.files.filter(file => file.bytes > 0 && !bystanders.test(file.name))
  return {
    directory,
    below: listing.directories.filter(name => !linked.has(name)).map(name => inside(directory, name)),
    arrivals: [
      ...listing.sequences.map((sequence): Arrival => ({ kind: 'sequence', volumeId: volume.id, directory, sequence, frameRate })),
      ...files.map((file): Arrival => ({ kind: 'file', volumeId: volume.id, path: inside(directory, file.name) })),
    ],
    files: listing.files.length + listing.sequences.length,
    refused: [
      ...listing.refused.map(({ name, reason }) => ({ path: inside(directory, name), reason })),
      ...listing.linkedDirectories.map(name => ({ path: inside(directory, name), reason: 'It is a link to a directory, which may lead in a circle. Bring in the directory itself.' })),
      ...empty.map(({ name }) => ({ path: inside(directory, name), reason: 'The file is empty.' })),
    ],
  }
}

const stateOf = (file: { bytes: number, modifiedAt: Date }) => `${file.bytes}:${file.modifiedAt.getTime()}`

/** Directories below a watched one that one look goes through. */
const mostDirectories = 2000

/**
 * Looks at a watched folder: what is alike in two looks in a row has stopped growing and comes in; a sequence does when its newest frame has.
 * @param known paths that are in the order already
 */
export async function lookAtWatch(watch: Pick<WatchRow, 'path' | 'frameRate' | 'growing'>, volume: { id: number, path: string }, known: ReadonlySet<string>): Promise<{ growing: Record<string, string>, arrivals: Arrival[], problem: string | null }> {
  const growing: Record<string, string> = {}
  const arrivals: Arrival[] = []
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
    pending.push(...listing.directories.filter(name => !linked.has(name)).map(name => inside(directory, name)))
    const consider = (path: string, state: string, arrival: Arrival) => {
      if (known.has(path)) return
      if (watch.growing[path] === state) arrivals.push(arrival)
      else growing[path] = state
    }
    for (const file of listing.files) {
      if (bystanders.test(file.name)) continue
      // A file that just appeared has no bytes yet; it is waited for.
      if (file.bytes === 0) growing[inside(directory, file.name)] = stateOf(file)
      else consider(inside(directory, file.name), stateOf(file), { kind: 'file', volumeId: volume.id, path: inside(directory, file.name) })
    }
    for (const sequence of listing.sequences) {
      consider(inside(directory, describeSequence(sequence)), await sequenceState(volume.path, directory, sequence), { kind: 'sequence', volumeId: volume.id, directory, sequence, frameRate: watch.frameRate })
    }
  }
  return { growing, arrivals, problem: null }
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
