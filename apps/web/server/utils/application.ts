import { homedir } from 'node:os'
import path from 'node:path'
import { readSettings, type Settings } from '@hematine/core'
import { connect, listen, TaskQueue, type Database, type EntityManager } from '@hematine/database'
import { Agendas } from './agendas'
import { HealthWatch } from './health'
import { KeptLists } from './kept-lists'
import { KnownDisks } from './known-disks'
import { LiveHub } from './live'
import { useLog } from './log'
import { Stills } from './stills'

/** What the web server holds open while it runs. */
export interface Application {
  settings: Settings
  database: Database
  queue: TaskQueue
  live: LiveHub
  lists: KeptLists
  agendas: Agendas
  stills: Stills
  /** Pieces of proxies: apart from the stills, which would wait behind them. */
  proxies: Stills
  health: HealthWatch
  /** Absolute directories below which volumes may be registered. */
  volumeRoots: string[]
  /** A fresh unit of work. */
  em(): EntityManager
  close(): Promise<void>
}

let opening: Promise<Application> | null = null

/** The running application; opened by the first caller. */
export function useApplication(): Promise<Application> {
  opening ??= open().catch(error => {
    opening = null
    throw error
  })
  return opening
}

async function open(): Promise<Application> {
  const settings = readSettings(process.env)
  const url = settings.HEMATINE_DATABASE_URL
  if (!url) throw new Error('The web server needs HEMATINE_DATABASE_URL; "npm start" sets it.')
  const database = await connect(url)
  const queue = await TaskQueue.open(url, false, error =>
    useLog().error({ error: error.message }, 'the task queue reports an error'),
  )
  const live = new LiveHub(() => database.em.fork())
  const lists = new KeptLists()
  const disks = new KnownDisks(() => database.em.fork())
  const agendas = new Agendas(
    () => database.em.fork(),
    () => listening.catchUp(),
    () => disks.get(),
  )
  const listening = await listen(
    url,
    change => {
      lists.noteChange(change)
      agendas.noteChange(change)
      live.noteChange(change)
    },
    () => {
      lists.forget()
      agendas.forget()
      live.tellAllToReload()
    },
    () => live.tellAllToWait(),
  )
  const stills = new Stills(settings.HEMATINE_BUILD_DIR ?? null)
  const proxies = new Stills(settings.HEMATINE_BUILD_DIR ?? null)
  const health = new HealthWatch()
  return {
    settings,
    database,
    queue,
    live,
    lists,
    agendas,
    stills,
    proxies,
    health,
    volumeRoots: settings.HEMATINE_VOLUME_ROOTS ?? defaultRoots(settings),
    em: () => database.em.fork(),
    async close() {
      live.close()
      stills.close()
      proxies.close()
      health.close()
      await listening.end()
      await queue.close()
      await database.close()
    },
  }
}

function defaultRoots(settings: Settings): string[] {
  const own = settings.HEMATINE_DATA_DIR ? [path.join(settings.HEMATINE_DATA_DIR, 'volumes')] : []
  return [...own, homedir(), '/media', '/mnt', '/srv']
}
