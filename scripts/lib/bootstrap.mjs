// Runs before anything is installed: plain Node.js, no packages.
import { execFileSync, spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { chmodSync, existsSync, mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { fileURLToPath } from 'node:url'

export const projectDirectory = path.resolve(fileURLToPath(new URL('../..', import.meta.url)))

/** A set-up step that cannot go on; the message says what to do. */
export class SetUpProblem extends Error {}

/** Directory of PostgreSQL's own programs, or null. */
export function postgresPrograms() {
  const base = '/usr/lib/postgresql'
  if (!existsSync(base)) return null
  const versions = readdirSync(base)
    .filter(version => existsSync(path.join(base, version, 'bin', 'postgres')))
    .sort((a, b) => Number(b) - Number(a))
  return versions[0] ? path.join(base, versions[0], 'bin') : null
}

/** What each Debian package is there for: how to see that it is installed. */
const debianPackages = {
  postgresql: () => postgresPrograms() !== null,
  chromium: () => existsSync('/usr/bin/chromium'),
  // Authoring programs: tests make discs with them that are not of our own making.
  dvdauthor: () => existsSync('/usr/bin/dvdauthor'),
  genisoimage: () => existsSync('/usr/bin/genisoimage'),
  // With Chromium's software driver it stands in for a graphics processor.
  libvulkan1: () => ['x86_64', 'aarch64'].some(machine => existsSync(`/usr/lib/${machine}-linux-gnu/libvulkan.so.1`)),
}

/** Installs Debian packages that are missing, as root; otherwise says which line to run. */
function ensureDebianPackages(names) {
  const missing = names.filter(name => !debianPackages[name]())
  if (missing.length === 0) return
  const line = `apt-get install -y --no-install-recommends ${missing.join(' ')}`
  if (process.getuid?.() !== 0)
    throw new SetUpProblem(
      `Debian packages are missing. Run this line, then start again:\n  sudo apt-get update && sudo ${line}`,
    )
  console.log(`Installing ${missing.join(', ')} ...`)
  const environment = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' }
  for (const command of ['apt-get update', line]) {
    const [program, ...words] = command.split(' ')
    const run = spawnSync(program, words, { env: environment, encoding: 'utf8' })
    if (run.status !== 0)
      throw new SetUpProblem(
        `"${command}" failed:\n${(run.stderr || run.stdout || String(run.error)).trim().split('\n').slice(-5).join('\n')}\nMend that, then start again.`,
      )
  }
}

/** Installs the npm packages of the lock file unless they are there. */
function ensureNodeModules() {
  const stamp = path.join(projectDirectory, 'node_modules', '.hematine-lock')
  const lock = createHash('sha256')
    .update(readFileSync(path.join(projectDirectory, 'package-lock.json')))
    .digest('hex')
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === lock) return
  console.log('Installing the npm packages (about a minute, once) ...')
  try {
    execFileSync('npm', ['ci', '--loglevel=error'], { cwd: projectDirectory, stdio: ['ignore', 'ignore', 'inherit'] })
  } catch {
    throw new SetUpProblem('"npm ci" failed; the lines above say why. Mend that, then start again.')
  }
  writeFileSync(stamp, lock)
}

/** A temporary directory that the database's user can get to, for the caller to remove. */
export function temporaryDirectory(prefix) {
  const directory = mkdtempSync(path.join(tmpdir(), prefix))
  chmodSync(directory, 0o755)
  return directory
}

/** Refuses a Node.js that the packages do not run on. */
function checkNode() {
  const [major, minor] = process.versions.node.split('.').map(Number)
  if (major < 20 || (major === 20 && minor < 19) || major === 21)
    throw new SetUpProblem(
      `Hematine needs Node.js 20.19 or later (22.12 or later of newer ones); this is ${process.versions.node}.`,
    )
}

/**
 * Runs a script: checks Node.js, installs what is missing, lets TypeScript sources be imported, then does the work.
 * A known problem is printed as it is, without a stack.
 * @param debian packages that the work needs
 */
export async function runScript(debian, work) {
  try {
    checkNode()
    ensureDebianPackages(debian)
    ensureNodeModules()
    const { register } = await import('tsx/esm/api')
    register()
    await work()
  } catch (error) {
    console.error(error instanceof SetUpProblem ? error.message : error)
    process.exit(1)
  }
}
