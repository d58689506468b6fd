import { randomUUID } from 'node:crypto'
import pg from 'pg'

/** Channel on which the tables' triggers announce "table:id", with ":progress" behind it when only a job's progress changed. */
export const changeChannel = 'hematine_change'

export interface Change {
  table: string
  id: string
  /** Only how far a job is has changed. */
  isProgress: boolean
}

export interface Listening {
  /** Returns when everything that was written before the call has been announced here; at the latest after two seconds. */
  catchUp(): Promise<void>
  end(): Promise<void>
}

/** Table of announcements that only say how far the listening is. */
const mark = 'mark'
const catchUpMilliseconds = 2000

/**
 * Listens for changes on a connection of its own and connects again when it breaks.
 * `onGap` is called after a reconnection: changes may have been missed, so read everything again. `onLost` is called when the connection breaks.
 */
export async function listen(
  url: string,
  onChange: (change: Change) => void,
  onGap: () => void,
  onLost: () => void = () => undefined,
): Promise<Listening> {
  let client: pg.Client | null = null
  let ended = false
  let retry: NodeJS.Timeout | undefined
  const marks = new Map<string, () => void>()

  const open = async () => {
    const fresh = new pg.Client({ connectionString: url, keepAlive: true })
    fresh.on('error', () => undefined)
    fresh.on('end', () => {
      if (ended) return
      client = null
      onLost()
      reopenSoon()
    })
    fresh.on('notification', message => {
      const [table, id, detail] = (message.payload ?? '').split(':')
      if (table === mark && id) marks.get(id)?.()
      else if (table && id) onChange({ table, id, isProgress: detail === 'progress' })
    })
    await fresh.connect()
    await fresh.query(`listen ${changeChannel}`)
    client = fresh
  }
  const reopenSoon = () => {
    clearTimeout(retry)
    retry = setTimeout(() => {
      if (ended) return
      open().then(onGap, reopenSoon)
    }, 1000)
  }
  await open()
  return {
    async catchUp() {
      // Without a line there is nothing to wait for: what was missed is read anew when it is back.
      if (!client) return
      const name = randomUUID()
      // Announcements arrive in the order in which their transactions were written, and ours after them.
      await new Promise<void>(resolve => {
        const late = setTimeout(resolve, catchUpMilliseconds)
        marks.set(name, () => {
          clearTimeout(late)
          resolve()
        })
        client?.query('select pg_notify($1, $2)', [changeChannel, `${mark}:${name}`]).catch(() => undefined)
      })
      marks.delete(name)
    },
    async end() {
      ended = true
      clearTimeout(retry)
      await client?.end()
    },
  }
}
