import pg from 'pg'

/** Channel on which the tables' triggers announce "table:id", with ":progress" behind it when only a job's progress changed. */
export const changeChannel = 'hematine_change'

export interface Change {
  table: string
  id: string
  /** Only how far a job is has changed. */
  isProgress: boolean
}

/**
 * Listens for changes on a connection of its own and connects again when it breaks.
 * `onGap` is called after a reconnection: changes may have been missed, so read everything again. `onLost` is called when the connection breaks.
 * @returns a function that ends the listening
 */
export async function listen(
  url: string,
  onChange: (change: Change) => void,
  onGap: () => void,
  onLost: () => void = () => undefined,
): Promise<() => Promise<void>> {
  let client: pg.Client | null = null
  let ended = false
  let retry: NodeJS.Timeout | undefined

  const open = async () => {
    const fresh = new pg.Client({ connectionString: url, keepAlive: true })
    fresh.on('error', () => undefined)
    fresh.on('end', () => {
      if (ended) return
      onLost()
      reopenSoon()
    })
    fresh.on('notification', message => {
      const [table, id, detail] = (message.payload ?? '').split(':')
      if (table && id) onChange({ table, id, isProgress: detail === 'progress' })
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
  return async () => {
    ended = true
    clearTimeout(retry)
    await client?.end()
  }
}
