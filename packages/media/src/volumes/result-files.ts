import { createHash } from 'node:crypto'
import { readdir, readFile, stat } from 'node:fs/promises'
import path from 'node:path'
import { checksumsFile, findSequences, type Rational } from '@hematine/core'
import type { PlainInput } from '../ground/media-input.ts'
import { flushToDisk, sha256OfFile } from './volume-files.ts'

/** A result is a file, or a folder of files: what is asked of either. */

/** Such a list, as `sha256sum` writes and reads it, in the order of names. */
export function checksumList(checksums: ReadonlyMap<string, string>): string {
  return [...checksums.keys()]
    .sort()
    .map(name => `${checksums.get(name)}  ${name}\n`)
    .join('')
}

/** Names of the files of a folder, without its list of checksums; null for a file. */
async function filesOf(result: string): Promise<string[] | null> {
  if (!(await stat(result)).isDirectory()) return null
  return (await readdir(result)).filter(name => name !== checksumsFile)
}

/**
 * Where a result's picture is: a folder holds one sequence and nothing else that is a picture; of one picture alone it is that.
 * @param rate in which a sequence is played
 * @returns null for a folder that holds no pictures, or those of several sequences. @throws as the file system does
 */
export async function pictureOf(result: string, rate: Rational): Promise<PlainInput | null> {
  const files = await filesOf(result)
  if (files === null) return { kind: 'file', path: result }
  const [sequence, ...others] = findSequences(files).sequences
  if (others.length > 0) return null
  if (sequence) return { kind: 'sequence', directory: result, sequence, frameRate: rate }
  const [picture, ...more] = files.filter(name => !name.endsWith('.wav'))
  return picture && more.length === 0 ? { kind: 'file', path: path.join(result, picture) } : null
}

/** Folder in which the files beside a result wait until it gets its place. */
export const filesBeside = (outputPath: string): string => `${outputPath}.beside`

/** Path of a file beside a result that has not got its place. @param name what is added to the result's name: ".en.srt" */
export const fileBeside = (outputPath: string, name: string): string =>
  path.join(filesBeside(outputPath), `result${name}`)

/** Bytes of a result. */
export async function sizeOfResult(result: string): Promise<number> {
  const files = await filesOf(result)
  if (files === null) return (await stat(result)).size
  let bytes = 0
  for (const name of [...files, checksumsFile]) bytes += (await stat(path.join(result, name))).size
  return bytes
}

/**
 * SHA-256 of a result. That of a folder is its list's: the list is made anew from what the files hold, so that a file that changed, came or went makes another.
 */
export async function sha256OfResult(result: string, gate?: { turn(): Promise<void> }): Promise<string> {
  const files = await filesOf(result)
  if (files === null) return sha256OfFile(result, gate)
  const checksums = new Map<string, string>()
  for (const name of files) checksums.set(name, await sha256OfFile(path.join(result, name), gate))
  return createHash('sha256').update(checksumList(checksums)).digest('hex')
}

/** Whether the list of checksums in a folder is what its files come to; true for a file. @param sha256 as `sha256OfResult` has it */
export async function matchesItsList(result: string, sha256: string): Promise<boolean> {
  if ((await filesOf(result)) === null) return true
  const list = await readFile(path.join(result, checksumsFile))
  return createHash('sha256').update(list).digest('hex') === sha256
}

/** Files that are flushed at a time. */
const flushedAtOnce = 8

/** Sees to it that a result is on the disk. @throws as the file system does */
export async function flushResult(result: string): Promise<void> {
  const files = await filesOf(result)
  const left = files === null ? [] : [...files, checksumsFile]
  const take = async () => {
    for (let name = left.pop(); name !== undefined; name = left.pop()) await flushToDisk(path.join(result, name))
  }
  await Promise.all(Array.from({ length: flushedAtOnce }, take))
  await flushToDisk(result)
}
