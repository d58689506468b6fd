import { mkdir } from 'node:fs/promises'
import { hostname, tmpdir } from 'node:os'
import path from 'node:path'
import { readSettings, segmentLengthOf, standInDevices, WrongSettings, type Settings } from '@hematine/core'
import { connect, TaskQueue } from '@hematine/database'
import pino from 'pino'
import { Devices, findDevicesInChild } from './devices.ts'
import { Worker } from './worker.ts'

/** The worker process: `HEMATINE_DATABASE_URL` says where the work is. Ends on SIGTERM, SIGINT, or when the process that started it is gone. */

function settingsOrEnd(): Settings {
  try {
    return readSettings(process.env)
  } catch (error) {
    if (!(error instanceof WrongSettings)) throw error
    console.error(error.message)
    process.exit(2)
  }
}

const settings = settingsOrEnd()
const log = pino({ level: settings.HEMATINE_LOG_LEVEL, base: { process: 'worker' } })
if (!settings.HEMATINE_DATABASE_URL) {
  console.error('A worker needs HEMATINE_DATABASE_URL: the address of the database that the web server uses.')
  process.exit(2)
}
const scratchDirectory = path.join(settings.HEMATINE_DATA_DIR ?? path.join(tmpdir(), 'hematine'), 'scratch')
await mkdir(scratchDirectory, { recursive: true })
const database = await connect(settings.HEMATINE_DATABASE_URL)
const queue = await TaskQueue.open(settings.HEMATINE_DATABASE_URL, true, error =>
  log.error({ error: error.message }, 'the task queue reports an error'),
)
const standIn = standInDevices.find(({ key }) => key === settings.HEMATINE_DEVICE)
const nothingFound = { devices: [], missing: [] }
const devices = new Devices(
  standIn ? { ...nothingFound, devices: [standIn] } : nothingFound,
  standIn !== undefined,
  path.join(scratchDirectory, '..', 'stand-in'),
)
const worker = new Worker({
  database,
  queue,
  databaseUrl: settings.HEMATINE_DATABASE_URL,
  name: standIn?.name ?? settings.HEMATINE_WORKER_NAME ?? hostname(),
  host: hostname(),
  lanes: standIn?.sessions ?? settings.HEMATINE_LANES,
  ready: standIn ? 0 : settings.HEMATINE_READY,
  devices,
  scratchDirectory,
  segmentLength: segmentLengthOf(settings),
  log,
})
await worker.start()
if (settings.HEMATINE_DEVICE === undefined)
  void findDevicesInChild()
    .then(found => worker.equip(found))
    .catch((error: Error) => log.error({ error: error.message }, 'graphics devices were not looked for'))

let ending = false
async function end(): Promise<void> {
  if (ending) return
  ending = true
  // Whatever hangs, the process ends; the database then notices a lost worker.
  setTimeout(() => process.exit(1), 8000).unref()
  try {
    await worker.stop()
    await queue.close()
    await database.close()
  } finally {
    process.exit(0)
  }
}
process.on('SIGTERM', () => void end())
process.on('SIGINT', () => void end())
process.on('disconnect', () => void end())
