import { readdir, realpath } from 'node:fs/promises'
import path from 'node:path'
import { Problem } from '@hematine/database'

interface Roots {
  path: string | null
  parent: string | null
  directories: { name: string; path: string }[]
}

/** Roots that exist, links followed. */
async function realRoots(roots: readonly string[]): Promise<string[]> {
  const found = await Promise.all(roots.map(root => realpath(root).catch(() => null)))
  return [...new Set(found.filter((root): root is string => root !== null))]
}

const inside = (root: string, target: string) => target === root || target.startsWith(root + path.sep)
/** Hidden directories hold settings and keys, not material. */
const isHidden = (root: string, target: string) =>
  path
    .relative(root, target)
    .split(path.sep)
    .some(part => part.startsWith('.'))

/** The real path of a directory below an allowed root. @throws Problem */
export async function resolveUnderRoots(roots: readonly string[], target: string): Promise<string> {
  if (!path.isAbsolute(target) || target.includes('\0'))
    throw new Problem(400, 'bad-path', 'Give the absolute path of a directory.')
  const allowed = await realRoots(roots)
  const refusal = new Problem(
    409,
    'outside-roots',
    `Volumes may lie in ${allowed.join(', ')}. The setting HEMATINE_VOLUME_ROOTS names other places.`,
  )
  // What lies outside is refused before it is looked at, so that nothing is told of it.
  const named = path.resolve(target)
  if (![...roots, ...allowed].some(root => inside(root, named))) throw refusal
  const real = await realpath(named).catch(() => {
    throw new Problem(404, 'no-directory', `There is no directory ${target}.`)
  })
  if (!allowed.some(root => inside(root, real) && !isHidden(root, real))) throw refusal
  return real
}

/** Keeps volumes out of what Hematine itself keeps: its database, its keys. Only the volumes that it made there lie in it. @throws Problem 409 */
export async function keepApart(dataDirectory: string | undefined, target: string): Promise<void> {
  if (!dataDirectory) return
  const own = await realpath(dataDirectory).catch(() => path.resolve(dataDirectory))
  if (inside(target, own) || (inside(own, target) && !target.startsWith(path.join(own, 'volumes') + path.sep)))
    throw new Problem(
      409,
      'own-data',
      'Hematine keeps its own database in or around this directory. Choose another one.',
    )
}

/** The allowed roots, or the directories inside one of them. */
export async function listRoots(roots: readonly string[], target: string | null): Promise<Roots> {
  const allowed = await realRoots(roots)
  if (target === null)
    return { path: null, parent: null, directories: allowed.map(root => ({ name: root, path: root })) }
  const real = await resolveUnderRoots(roots, target)
  const entries = await readdir(real, { withFileTypes: true }).catch(() => {
    throw new Problem(409, 'unreadable', `The directory ${target} may not be read by the user that Hematine runs as.`)
  })
  const directories = entries
    .filter(entry => entry.isDirectory() && !entry.name.startsWith('.'))
    .map(entry => ({ name: entry.name, path: path.join(real, entry.name) }))
  return {
    path: real,
    parent: allowed.includes(real) ? null : path.dirname(real),
    directories: directories.sort((a, b) => a.name.localeCompare(b.name, 'en', { numeric: true })),
  }
}
