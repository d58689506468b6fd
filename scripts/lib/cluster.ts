import { execFileSync, spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { createHash, randomBytes } from 'node:crypto'
import { chownSync, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:net'
import path from 'node:path'
import pg from 'pg'
import { postgresPrograms, SetUpProblem } from './bootstrap.mjs'

export interface Cluster {
  /** Address of a database of the cluster; the database is made when it is not there. */
  database(name: string): Promise<string>
  /** Process number of the server at this moment. */
  readonly pid: number | undefined
  stop(): Promise<void>
}

const user = 'hematine'

/** A port of the loopback address that nothing listens on. */
export async function freePort(host = '127.0.0.1', wanted = 0): Promise<number | null> {
  return new Promise(resolve => {
    const server = createServer()
    server.once('error', () => resolve(null))
    server.listen(wanted, host, () => {
      const { port } = server.address() as { port: number }
      server.close(() => resolve(port))
    })
  })
}

/** PostgreSQL refuses to run as root; then it runs as the user its package made. */
function databaseUser(): { uid: number; gid: number } | null {
  if (process.getuid?.() !== 0) return null
  const id = (flag: string) => Number(execFileSync('id', [flag, 'postgres'], { encoding: 'utf8' }))
  return { uid: id('-u'), gid: id('-g') }
}

/** The directory wished for, or one under /var/lib when the database's user cannot get to it (a clone in root's home). */
function reachable(directory: string, as: { uid: number; gid: number } | null): string {
  mkdirSync(directory, { recursive: true })
  if (!as || spawnSync('test', ['-x', directory], { ...as, cwd: '/' }).status === 0) return directory
  const elsewhere = path.join('/var/lib/hematine', createHash('sha256').update(directory).digest('hex').slice(0, 12))
  mkdirSync(elsewhere, { recursive: true })
  return elsewhere
}

/**
 * Starts a PostgreSQL cluster of Hematine's own: loopback only, a free port, a random password, no Unix socket. The system's clusters are not touched.
 * @param directory where it keeps its data; made when it is not there
 * A server that ends by itself is begun again.
 * @param options.lasting false for tests: nothing is flushed to disk, and the data goes when the cluster stops
 */
export async function startCluster(
  directory: string,
  options: { lasting: boolean; say?: (line: string) => void },
): Promise<Cluster> {
  const programs = postgresPrograms()
  if (!programs) throw new SetUpProblem('PostgreSQL is not installed: sudo apt-get install postgresql')
  const as = databaseUser()
  const home = reachable(directory, as)
  const data = path.join(home, 'cluster')
  const passwordFile = path.join(home, 'password')
  const run = { ...(as ?? {}), cwd: '/', env: { PATH: '/usr/bin:/bin', LANG: 'C.UTF-8' } }
  if (!existsSync(path.join(data, 'PG_VERSION'))) {
    // What an interrupted first start left is not a cluster.
    rmSync(data, { recursive: true, force: true })
    writeFileSync(passwordFile, randomBytes(24).toString('hex'), { mode: 0o600 })
    if (as) chownSync(passwordFile, as.uid, as.gid)
    mkdirSync(data, { mode: 0o700 })
    if (as) chownSync(data, as.uid, as.gid)
    const made = spawnSync(
      path.join(programs, 'initdb'),
      [
        '-D',
        data,
        '-U',
        user,
        `--pwfile=${passwordFile}`,
        '--auth=scram-sha-256',
        '--encoding=UTF8',
        '--locale=C.UTF-8',
        ...(options.lasting ? [] : ['--no-sync']),
      ],
      { ...run, encoding: 'utf8' },
    )
    if (made.status !== 0) throw new SetUpProblem(`The database could not be set up in ${data}:\n${made.stderr.trim()}`)
  }
  await endLeftOver(data)
  const port = (await freePort())!
  const settings = [
    'listen_addresses=127.0.0.1',
    'unix_socket_directories=',
    'max_connections=60',
    'log_min_messages=warning',
    ...(options.lasting ? [] : ['fsync=off', 'synchronous_commit=off', 'full_page_writes=off']),
  ]
  const log: string[] = []
  const begin = () => {
    const process = spawn(
      path.join(programs, 'postgres'),
      ['-D', data, '-p', String(port), ...settings.flatMap(setting => ['-c', setting])],
      {
        ...run,
        stdio: ['ignore', 'ignore', 'pipe'],
        // A group of its own: Ctrl-C must reach it last, after the processes that use it.
        detached: true,
      },
    )
    process.stderr.on('data', (text: Buffer) => {
      log.push(text.toString())
      if (log.length > 20) log.shift()
    })
    return process
  }
  let server = begin()
  let stopping = false
  let failures = 0
  let retry: NodeJS.Timeout | undefined
  /** Begins the server again when it ends by itself, on the same port: whoever uses it only has to connect anew. */
  const superviseServer = () => {
    const begun = Date.now()
    server.once('exit', (code, signal) => {
      if (stopping) return
      failures = Date.now() - begun > 30_000 ? 0 : failures + 1
      // Processes of the one that was killed may hold its memory for a moment more.
      const wait = Math.min(10_000, 200 * 2 ** failures)
      options.say?.(
        `The database ended (${signal ?? `code ${code}`}); it begins again in ${(wait / 1000).toFixed(1)} s. ${log.slice(-2).join(' ').trim()}`,
      )
      retry = setTimeout(() => {
        server = begin()
        superviseServer()
      }, wait)
    })
  }
  const url = (name: string) => `postgresql://${user}:${readFileSync(passwordFile, 'utf8')}@127.0.0.1:${port}/${name}`
  await untilReady(server, url('postgres'), log)
  superviseServer()
  return {
    get pid() {
      return server.pid
    },
    async database(name) {
      const client = new pg.Client({ connectionString: url('postgres') })
      await client.connect()
      try {
        const { rowCount } = await client.query('select 1 from pg_database where datname = $1', [name])
        if (rowCount === 0) await client.query(`create database ${client.escapeIdentifier(name)}`)
      } finally {
        await client.end()
      }
      return url(name)
    },
    async stop() {
      stopping = true
      clearTimeout(retry)
      await endServer(server)
      if (!options.lasting) rmSync(home, { recursive: true, force: true })
    },
  }
}

async function untilReady(server: ChildProcess, url: string, log: string[]): Promise<void> {
  for (let wait = 0; wait < 300; wait++) {
    if (server.exitCode !== null)
      throw new SetUpProblem(`The database ended right after its start:\n${log.join('').trim()}`)
    const client = new pg.Client({ connectionString: url })
    try {
      await client.connect()
      await client.end()
      return
    } catch {
      await new Promise(resolve => setTimeout(resolve, 100))
    }
  }
  server.kill('SIGINT')
  throw new SetUpProblem(`The database did not answer within 30 s:\n${log.join('').trim()}`)
}

/** SIGINT is PostgreSQL's fast shutdown: open transactions are rolled back, everything else is kept. */
async function endServer(server: ChildProcess): Promise<void> {
  if (server.exitCode !== null || server.signalCode !== null) return
  const ended = new Promise(resolve => server.once('exit', resolve))
  server.kill('SIGINT')
  const impatient = setTimeout(() => server.kill('SIGQUIT'), 10_000)
  await ended
  clearTimeout(impatient)
}

/** Ends a server that a killed start command left running on this data directory. */
async function endLeftOver(data: string): Promise<void> {
  const pidFile = path.join(data, 'postmaster.pid')
  if (!existsSync(pidFile)) return
  const pid = Number(readFileSync(pidFile, 'utf8').split('\n')[0])
  const isServer = () => {
    try {
      return readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes(data)
    } catch {
      return false
    }
  }
  if (!isServer()) return
  process.kill(pid, 'SIGINT')
  for (let wait = 0; wait < 100 && isServer(); wait++) await new Promise(resolve => setTimeout(resolve, 100))
}
