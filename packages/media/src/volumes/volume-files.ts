import { createHash } from 'node:crypto'
import { createReadStream, type Stats } from 'node:fs'
import {
  access,
  constants,
  link,
  lstat,
  mkdir,
  open,
  readdir,
  realpath,
  rename,
  stat,
  statfs,
  unlink,
} from 'node:fs/promises'
import path from 'node:path'
import { findSequences, frameFileName, presentNumbers, type NumberedSequence } from '@hematine/core'
import { answering } from './answering.ts'
import { isDiscFolder, isImageName } from '../discs/disc.ts'
import type { MediaInput } from '../ground/media-input.ts'
import { VolumeProblem } from './volume-problem.ts'

export { VolumeProblem }

/** Directory inside a volume for what is being written. Its name is hidden and never listed. */
export const workDirectoryName = '.hematine'

/**
 * The real absolute path of something in a volume. Links are followed, and refused when they lead out.
 * @param root the volume's absolute path
 * @param relative path in the volume with "/" between its parts; "" is the volume itself
 * @throws VolumeProblem
 */
export async function resolveInside(root: string, relative: string): Promise<string> {
  if (relative.includes('\0') || path.posix.isAbsolute(relative))
    throw new VolumeProblem('The path must lie in the volume.')
  const parts = relative.split('/')
  if (relative !== '' && parts.some(part => part === '' || part === '.' || part === '..'))
    throw new VolumeProblem('The path must lie in the volume.')
  return answering(root, () => resolveReal(root, relative))
}

async function resolveReal(root: string, relative: string): Promise<string> {
  const realRoot = await real(root, `The volume at ${root} is not there. Is its disk connected?`, 'away')
  const target = await real(
    path.join(realRoot, relative),
    `There is no ${JSON.stringify(relative)} in the volume.`,
  ).catch(async (error: unknown) => {
    const isEmpty = (await readdir(realRoot).catch(() => ['?'])).length === 0
    throw isEmpty
      ? new VolumeProblem(
          `The volume at ${root} is empty: its disk is probably not mounted. Connect it, then try again.`,
          'away',
        )
      : error
  })
  if (target !== realRoot && !target.startsWith(realRoot + path.sep))
    throw new VolumeProblem('The path is a link that leads out of the volume.')
  return target
}

async function real(target: string, missing: string, problem: 'missing' | 'away' = 'missing'): Promise<string> {
  try {
    return await realpath(target)
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException
    throw code === 'ELOOP'
      ? new VolumeProblem('The path is a link that leads round in a circle.', 'unreadable')
      : code === 'EACCES'
        ? new VolumeProblem('The path may not be read by the user that Hematine runs as.', 'unreadable')
        : new VolumeProblem(missing, problem)
  }
}

/** What a directory holds. Names come sorted, hidden ones are left out. */
export interface Listing {
  directories: string[]
  /** Those of the directories that are links; whoever goes through all that lies below leaves them out, since they may lead in a circle. */
  linkedDirectories: string[]
  files: { name: string; bytes: number; modifiedAt: Date }[]
  sequences: NumberedSequence[]
  /** Names of directories and files that are a disc folder or may be a disc image; the directories stand among the directories too. */
  discs: { name: string; isImage: boolean; bytes: number | null }[]
  /** Entries that cannot be used, with the reason as a sentence. */
  refused: { name: string; reason: string }[]
}

/** The names of a hundred thousand frames come in one answer, and a slow disk takes its time for it. */
const listMilliseconds = 120_000

/** Lists a directory of a volume; numbered pictures appear as sequences. @throws VolumeProblem */
export function listDirectory(root: string, relative: string): Promise<Listing> {
  return answering(root, heard => listReal(root, relative, heard), listMilliseconds)
}

async function listReal(root: string, relative: string, heard: () => void): Promise<Listing> {
  const directory = await resolveInside(root, relative)
  const realRoot = await realpath(root)
  const listing: Listing = { directories: [], linkedDirectories: [], files: [], sequences: [], discs: [], refused: [] }
  const entries = (await entriesOf(directory)).filter(entry => !entry.name.startsWith('.'))
  // Folders of a hundred thousand frames are common, so many are asked for at a time.
  for (let first = 0; first < entries.length; first += entriesAtOnce) {
    const parts = await Promise.all(
      entries.slice(first, first + entriesAtOnce).map(entry => sorted(entry, directory, realRoot)),
    )
    for (const part of parts) part(listing)
    heard()
  }
  const { sequences, rest } = findSequences(listing.files.map(file => file.name))
  const alone = new Set(rest)
  listing.sequences = sequences
  const ofDiscs = listing.files.filter(file => isImageName(file.name))
  listing.files = listing.files.filter(file => alone.has(file.name) && !isImageName(file.name))
  const folders = await Promise.all(
    listing.directories.map(async name => ((await isDiscFolder(path.join(directory, name))) ? [name] : [])),
  )
  listing.discs = [
    ...folders.flat().map(name => ({ name, isImage: false, bytes: null })),
    ...ofDiscs.map(({ name, bytes }) => ({ name, isImage: true, bytes })),
  ]
  return listing
}

const entriesAtOnce = 64
const byName = new Intl.Collator('en', { numeric: true })

async function entriesOf(directory: string): Promise<{ name: string; isLink: boolean }[]> {
  try {
    const entries = (await readdir(directory, { withFileTypes: true })).map(entry => ({
      name: entry.name,
      isLink: entry.isSymbolicLink(),
    }))
    return entries.sort((a, b) => byName.compare(a.name, b.name))
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException
    throw code === 'ENOTDIR'
      ? new VolumeProblem('This is a file and not a directory.', 'missing')
      : new VolumeProblem('The directory may not be read by the user that Hematine runs as.', 'unreadable')
  }
}

/** Where an entry belongs in a listing, as the step that puts it there. */
async function sorted(
  { name, isLink }: { name: string; isLink: boolean },
  directory: string,
  realRoot: string,
): Promise<(listing: Listing) => void> {
  const refuse = (reason: string) => (listing: Listing) => {
    listing.refused.push({ name, reason })
  }
  if (name.includes('\uFFFD')) return refuse('The name is not valid UTF-8. Rename it first.')
  let facts: Stats
  try {
    const target = path.join(directory, name)
    if (isLink && !`${await realpath(target)}${path.sep}`.startsWith(realRoot + path.sep))
      return refuse('It is a link that leads out of the volume.')
    facts = await stat(target)
  } catch {
    return refuse('It cannot be read: a broken link, or no permission.')
  }
  if (facts.isDirectory()) {
    return listing => {
      listing.directories.push(name)
      if (isLink) listing.linkedDirectories.push(name)
    }
  }
  return facts.isFile()
    ? listing => {
        listing.files.push({ name, bytes: facts.size, modifiedAt: facts.mtime })
      }
    : refuse('It is neither a file nor a directory.')
}

const unknownSpace = { disk: null, freeBytes: null, totalBytes: null }

/** The disk that a volume lies on, its free and total bytes, and why it cannot serve. A volume that is not mounted has no free bytes. */
export async function spaceOfVolume(volume: MarkedVolume, mustWrite: boolean): ReturnType<typeof spaceOf> {
  try {
    // A page waits no longer than this for a disk to say how full it is.
    return await answering(volume.path, async () => spaceOf(await realRoot(volume), mustWrite), 3000)
  } catch (error) {
    if (!(error instanceof VolumeProblem)) throw error
    return { ...unknownSpace, problem: error.message }
  }
}

/** The disk that a directory lies on, its free and total bytes, and why it cannot serve. */
export async function spaceOf(
  directory: string,
  mustWrite: boolean,
): Promise<{ disk: string | null; freeBytes: number | null; totalBytes: number | null; problem: string | null }> {
  try {
    const [disk, { dev }] = await Promise.all([statfs(directory), stat(directory)])
    const space = { disk: String(dev), freeBytes: disk.bavail * disk.bsize, totalBytes: disk.blocks * disk.bsize }
    try {
      await access(
        directory,
        mustWrite ? constants.R_OK | constants.W_OK | constants.X_OK : constants.R_OK | constants.X_OK,
      )
    } catch {
      return {
        ...space,
        problem: `The directory may not be ${mustWrite ? 'written' : 'read'} by the user that Hematine runs as.`,
      }
    }
    return { ...space, problem: null }
  } catch {
    return { ...unknownSpace, problem: 'The directory is not there. Is its disk connected?' }
  }
}

/**
 * Tells the state of an input's files: changes when a file is replaced or written to.
 * @param heard called as each of its files has answered; there may be a hundred thousand
 * @throws VolumeProblem when one of them is not a regular file
 */
export async function identityOf(input: MediaInput, heard: () => void = () => undefined): Promise<string> {
  const one = async (file: string) => {
    const facts = await stat(file)
    heard()
    // A pipe would hold up whoever opens it for good.
    if (!facts.isFile())
      throw new VolumeProblem(
        `${JSON.stringify(path.basename(file))} is not a regular file, so it is not opened.`,
        'unreadable',
      )
    return `${facts.size}:${facts.mtimeMs}`
  }
  if (input.kind === 'file') return one(input.path)
  if (input.kind === 'join')
    return createHash('sha256')
      .update((await Promise.all(input.parts.map(part => identityOf(part.input, heard)))).join('\n'))
      .digest('hex')
  if (input.kind === 'title') {
    const files = [...new Set(input.parts.map(part => part.path))]
    return `${(await Promise.all(files.map(one))).join(',')}:${input.title}:${input.angle}`
  }
  const hash = createHash('sha256')
  const { sequence } = input
  hash.update(`${sequence.first}-${sequence.last}@${input.frameRate.num}/${input.frameRate.den}\n`)
  const names = new Set(await readdir(input.directory))
  // A gap that was filled since is another sequence.
  for (const { from, to } of sequence.missing) {
    for (let number = from; number <= to; number += sequence.step ?? 1)
      if (names.has(frameFileName(sequence, number))) hash.update(`filled:${number}\n`)
  }
  for (const number of presentNumbers(sequence))
    hash.update(`${number}:${await one(path.join(input.directory, frameFileName(sequence, number)))}\n`)
  return hash.digest('hex')
}

/** A volume as it was registered. */
export interface MarkedVolume {
  name: string
  path: string
  /** Name of the directory in the work directory that is this installation's own. */
  marker: string
  /** When it was made; null while it is not there yet. */
  markedAt?: Date | null
}

/**
 * The real path of a volume's root. A volume that has its marker is known by it: the empty directory that its disk is mounted on has none.
 * @throws VolumeProblem when the volume is not there
 */
export function volumeRoot(volume: MarkedVolume): Promise<string> {
  return answering(volume.path, () => realRoot(volume))
}

async function realRoot({ name, path: registered, marker, markedAt }: MarkedVolume): Promise<string> {
  const root = await real(registered, `The volume ${name} is not there. Is its disk connected?`, 'away')
  if (markedAt && !(await exists(path.join(root, workDirectoryName, marker))))
    throw new VolumeProblem(
      `What lies at ${registered} is not the volume ${name}: its marker is missing. Its disk is probably not mounted; connect it, then try again.`,
      'away',
    )
  return root
}

/** What this installation keeps in a volume, made when it is not there yet. @throws VolumeProblem when the volume is not there */
export async function workDirectory(volume: MarkedVolume): Promise<string> {
  const directory = path.join(await volumeRoot(volume), workDirectoryName, volume.marker)
  if (!volume.markedAt) await mkdir(directory, { recursive: true })
  return directory
}

/** Names that work directories had before they were named after their installation. */
const earlierName = /^(trials|uploads|job-\d+-\d+\..+|disc-\d+\.part)$/

/** Gives a volume its marker; what an earlier Hematine left in its work directory moves along. @throws VolumeProblem when the volume is not there */
export async function markVolume(volume: MarkedVolume): Promise<void> {
  const directory = await workDirectory({ ...volume, markedAt: null })
  const around = path.dirname(directory)
  for (const name of await readdir(around)) {
    if (earlierName.test(name) && !(await exists(path.join(directory, name))))
      await rename(path.join(around, name), path.join(directory, name))
  }
  await flushToDisk(directory)
}

/** Where a trial's files lie in a volume; it need not be there yet. Pictures of the sources themselves lie in the directory above it. */
export async function trialDirectory(volume: MarkedVolume, trialId: number): Promise<string> {
  return path.join(await workDirectory(volume), 'trials', String(trialId))
}

/** Where the pictures of a curve lie in a volume, made anew for each time that it is measured; it need not be there yet. */
export async function curveDirectory(volume: MarkedVolume, { id, run }: { id: number; run: number }): Promise<string> {
  return path.join(await workDirectory(volume), 'curves', `${id}-${run}`)
}

/** Name of a picture of a curve in its directory: of its treated frame (null), or as that is at a value of the codec's scale. */
export const curvePicture = (value: number | null) => (value === null ? 'treated.png' : `at-${value}.png`)

/** Writes everything of a file or directory to the disk itself. */
export async function flushToDisk(target: string): Promise<void> {
  const handle = await open(target, 'r')
  try {
    await handle.sync()
  } finally {
    await handle.close()
  }
}

/** SHA-256 of a file, as 64 hexadecimal digits, read in pieces. */
export async function sha256OfFile(path: string, gate?: { turn(): Promise<void> }): Promise<string> {
  const hash = createHash('sha256')
  for await (const piece of createReadStream(path, { highWaterMark: 1 << 20 })) {
    await gate?.turn()
    hash.update(piece as Buffer)
  }
  return hash.digest('hex')
}

/** Whether something of this name exists, links included. */
export async function exists(target: string): Promise<boolean> {
  return lstat(target).then(
    () => true,
    () => false,
  )
}

/**
 * Gives a finished file, or folder, its place in one step, never replacing anything.
 * Of a file a second name is made first and the temporary one dropped after, so that a stop in between leaves the file under both and a repetition finishes
 * the move. A folder is renamed, which the system refuses where anything but an empty folder is.
 * @returns false when the name is taken by another file
 */
export async function placeFile(temporary: string, place: string): Promise<boolean> {
  if ((await lstat(temporary)).isDirectory()) return placeFolder(temporary, place)
  try {
    await link(temporary, place)
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException
    if (code === 'EEXIST') {
      if (!(await sameFile(temporary, place))) return false
    } else if (['EPERM', 'ENOTSUP', 'EOPNOTSUPP', 'ENOSYS', 'EMLINK'].includes(code ?? '')) {
      // Disks without a second name for a file (exFAT, some network shares) can only be asked first and renamed after.
      if (await exists(place)) return false
      await rename(temporary, place)
      await flushToDisk(path.dirname(place))
      return true
    } else {
      throw error
    }
  }
  await unlink(temporary)
  await flushToDisk(path.dirname(place))
  return true
}

async function placeFolder(temporary: string, place: string): Promise<boolean> {
  if (await exists(place)) return false
  try {
    await rename(temporary, place)
  } catch (error) {
    if (['EEXIST', 'ENOTEMPTY', 'ENOTDIR'].includes((error as NodeJS.ErrnoException).code ?? '')) return false
    throw error
  }
  await flushToDisk(path.dirname(place))
  return true
}

/**
 * Makes a folder in a volume, with those above it, one after the other: none is made where a link has led out of the volume.
 * @param relative its path in the volume; "." is the volume itself
 * @throws VolumeProblem when one of them is a file, or leads out
 */
export async function makeFolder(root: string, relative: string): Promise<void> {
  for (const some of foldersDownTo(relative)) {
    await answering(root, () => mkdir(path.join(root, some))).catch((error: NodeJS.ErrnoException) => {
      if (error.code !== 'EEXIST') throw error
    })
    await checkFolder(root, some)
  }
}

/**
 * Looks whether a folder could be made in a volume, and makes none: what fails or is cancelled afterwards leaves nothing behind.
 * @param relative its path in the volume
 * @throws VolumeProblem when what is there of it is a file, or leads out
 */
export async function checkFolders(root: string, relative: string): Promise<void> {
  for (const some of foldersDownTo(relative)) {
    if (!(await answering(root, () => exists(path.join(root, some))))) return
    await checkFolder(root, some)
  }
}

/** A folder and those above it in its volume, the highest first; none for the volume itself. */
function foldersDownTo(relative: string): string[] {
  if (relative === '.') return []
  const parts = relative.split('/')
  return parts.map((_, index) => parts.slice(0, index + 1).join('/'))
}

/** @throws VolumeProblem when what has its name is no folder in the volume */
async function checkFolder(root: string, some: string): Promise<void> {
  const folder = await resolveInside(root, some).catch((error: unknown) => {
    throw error instanceof VolumeProblem && error.code === 'outside'
      ? new VolumeProblem(
          `The folder ${JSON.stringify(some)} is a link that leads out of the volume. Remove it, or name results otherwise in the spec.`,
        )
      : error
  })
  if (!(await stat(folder)).isDirectory())
    throw new VolumeProblem(
      `${JSON.stringify(some)} is a file, so no result can be put into it. Rename it, or name results otherwise in the spec.`,
    )
}

/** The name, or the next like it ("tape-2.mov"), that nothing in a directory has. */
export async function freeNameIn(directory: string, name: string): Promise<string> {
  const { name: stem, ext } = path.parse(name)
  for (let counter = 1; ; counter++) {
    const candidate = counter === 1 ? name : `${stem}-${counter}${ext}`
    if (!(await exists(path.join(directory, candidate)))) return candidate
  }
}

async function sameFile(a: string, b: string): Promise<boolean> {
  const [first, second] = [await lstat(a), await lstat(b)]
  return first.ino === second.ino && first.dev === second.dev
}
