import { mkdirSync } from 'node:fs'
import path from 'node:path'
import { readSettings, standInDevices, WrongSettings, type Settings } from '@hematine/core'
import { connect, TaskQueue } from '@hematine/database'
import { migrate } from '@hematine/database/migrating'
import { makeDemoMaterial, makeShelf, ownVolumes, seedDemo, seedDrive, seedEmpty } from '@hematine/demo'
import { projectDirectory, SetUpProblem } from './bootstrap.mjs'
import { build, built } from './build.ts'
import { freePort, startCluster, type Cluster } from './cluster.ts'
import { holdData } from './data-hold.ts'
import { supervise, type Supervised } from './supervise.ts'

export interface Running {
  address: string
  databaseUrl: string
  /** Process number of the database's server at this moment, when it is the application's own. */
  readonly databasePid: number | undefined
  web: Supervised
  workers: Supervised[]
  stop(): Promise<void>
}

function settingsOrProblem(): Settings {
  try {
    return readSettings(process.env)
  } catch (error) {
    throw error instanceof WrongSettings ? new SetUpProblem(error.message) : error
  }
}

/** The wished port, or the next one that is free. */
async function choosePort(settings: Settings): Promise<number> {
  for (let port = settings.HEMATINE_PORT; port < Math.min(65_536, settings.HEMATINE_PORT + 100); port++) {
    if (await freePort(settings.HEMATINE_HOST, port)) return port
  }
  throw new SetUpProblem(
    `No port from ${settings.HEMATINE_PORT} on is free on ${settings.HEMATINE_HOST}. Set HEMATINE_PORT or HEMATINE_HOST.`,
  )
}

async function untilAnswers(address: string): Promise<void> {
  for (let wait = 0; wait < 300; wait++) {
    try {
      // One that asks for the passphrase answers, too.
      if ([200, 401].includes((await fetch(`${address}/api/workers`)).status)) return
    } catch {
      // Not listening yet.
    }
    await new Promise(resolve => setTimeout(resolve, 100))
  }
  throw new SetUpProblem('The web server did not answer within 30 s; the lines above say why.')
}

export interface RunOptions {
  /** Without demo material, in a data directory of its own. */
  empty: boolean
  dataDirectory: string
  settings: Settings
  /** Stand-in GPUs, each a worker of its own; none unless said. */
  standIns?: number
  /** False for tests: the database does not wait for the disk. */
  lasting: boolean
  say: (line: string) => void
}

/** Starts the database, the web server and the workers. */
export async function run(options: RunOptions): Promise<Running> {
  const { settings, dataDirectory, say } = options
  mkdirSync(dataDirectory, { recursive: true })
  let cluster: Cluster | null = null
  const started: Supervised[] = []
  const stop = async () => {
    await Promise.all(started.map(process => process.stop()))
    await cluster?.stop()
  }
  try {
    if (!settings.HEMATINE_DATABASE_URL)
      cluster = await startCluster(path.join(dataDirectory, 'postgres'), {
        lasting: options.lasting,
        say: line => console.error(line),
      })
    const databaseUrl = settings.HEMATINE_DATABASE_URL ?? (await cluster!.database('hematine'))
    await prepare(options, databaseUrl)

    const port = await choosePort(settings)
    const host = settings.HEMATINE_HOST
    const environment = {
      HEMATINE_DATABASE_URL: databaseUrl,
      HEMATINE_DATA_DIR: dataDirectory,
      HEMATINE_BUILD_DIR: built.directory,
      HEMATINE_LANES: String(settings.HEMATINE_LANES),
      HEMATINE_READY: String(settings.HEMATINE_READY),
      HEMATINE_SEGMENT_SECONDS: String(settings.HEMATINE_SEGMENT_SECONDS),
      HEMATINE_LOG_LEVEL: settings.HEMATINE_LOG_LEVEL,
      HEMATINE_DEVICE: settings.HEMATINE_DEVICE,
      NODE_ENV: 'production',
      // A volume that does not answer holds up a thread or two, and not all there are.
      UV_THREADPOOL_SIZE: '16',
    }
    const web = supervise('web server', built.web, {
      ...environment,
      NITRO_HOST: host,
      NITRO_PORT: String(port),
      NITRO_SHUTDOWN_TIMEOUT: '4000',
      HEMATINE_HOST: host,
      HEMATINE_NAMES: settings.HEMATINE_NAMES?.join(','),
      HEMATINE_PASSPHRASE: settings.HEMATINE_PASSPHRASE,
    })
    const workers = Array.from({ length: settings.HEMATINE_WORKERS }, (_, index) =>
      supervise('worker', built.worker, {
        ...environment,
        ...(index > 0 && settings.HEMATINE_WORKER_NAME
          ? { HEMATINE_WORKER_NAME: `${settings.HEMATINE_WORKER_NAME} ${index + 1}` }
          : {}),
      }),
    )
    const standIns = standInDevices
      .slice(0, options.standIns ?? 0)
      .map(({ key }) => supervise('stand-in GPU', built.worker, { ...environment, HEMATINE_DEVICE: key }))
    started.push(web, ...workers, ...standIns)
    const address = `http://${host.includes(':') ? `[${host}]` : host === '0.0.0.0' ? '127.0.0.1' : host}:${port}`
    await untilAnswers(address)
    if (port !== settings.HEMATINE_PORT) say(`Port ${settings.HEMATINE_PORT} is taken; ${port} is used instead.`)
    return {
      address,
      databaseUrl,
      web,
      workers,
      stop,
      get databasePid() {
        return cluster?.pid
      },
    }
  } catch (error) {
    await stop()
    throw error
  }
}

async function prepare({ empty, dataDirectory, say }: RunOptions, databaseUrl: string): Promise<void> {
  const database = await connect(databaseUrl)
  try {
    await migrate(database)
    // The queue's tables are made here once: the web server and the worker, begun together, would lock each other out over them.
    const queue = await TaskQueue.open(databaseUrl, false, error => say(error.message))
    try {
      if (empty) return await seedEmpty(database, dataDirectory)
      if (await makeDemoMaterial(ownVolumes(dataDirectory).source, undefined, say)) say('The demo material is drawn.')
      await makeShelf(ownVolumes(dataDirectory).shelf)
      await seedDemo(database, queue, dataDirectory, inThreeDays())
      await seedDrive(database, dataDirectory)
    } finally {
      await queue.close()
    }
  } finally {
    await database.close()
  }
}

/** Eight in the morning, three days from now. */
function inThreeDays(): Date {
  const due = new Date()
  due.setDate(due.getDate() + 3)
  due.setHours(8, 0, 0, 0)
  return due
}

/** The start command: runs until Ctrl-C or SIGTERM. */
export async function start({ empty }: { empty: boolean }): Promise<void> {
  const settings = settingsOrProblem()
  const begun = Date.now()
  const base = settings.HEMATINE_DATA_DIR ?? path.join(projectDirectory, '.hematine')
  const dataDirectory = path.join(base, empty ? 'empty' : 'demo')
  const say = (line: string) => console.log(line)
  let running: Running | null = null
  let ending = false
  const hold = await holdData(dataDirectory, say)
  const stop = async () => {
    hold.ending()
    await running?.stop()
    hold.release()
  }
  const end = async () => {
    if (ending) return
    ending = true
    say('Ending ...')
    await stop()
    process.exit(0)
  }
  process.on('SIGINT', () => void end())
  process.on('SIGTERM', () => void end())
  try {
    await build()
    running = await run({
      empty,
      dataDirectory,
      settings,
      standIns: empty ? 0 : settings.HEMATINE_STAND_IN,
      lasting: true,
      say,
    })
  } catch (error) {
    hold.release()
    throw error
  }
  if (ending) return void (await stop())
  say(
    `\nHematine runs at ${running.address}  (ready in ${((Date.now() - begun) / 1000).toFixed(1)} s)\nResults: ${ownVolumes(dataDirectory).delivery}\nCtrl-C ends it.`,
  )
}
