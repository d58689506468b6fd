import { spawnSync } from 'node:child_process'
import { existsSync } from 'node:fs'
import { createServer } from 'node:net'
import path from 'node:path'
import pg from 'pg'
import { describe, expect, test } from 'vitest'
import { projectDirectory } from '../lib/bootstrap.mjs'
import { freePort, startCluster } from '../lib/cluster.ts'
import { scratchDirectory } from '../../tests/support/scratch.ts'

const scratch = scratchDirectory()

async function ask(url: string, text: string): Promise<unknown[]> {
  const client = new pg.Client({ connectionString: url })
  await client.connect()
  try {
    return (await client.query(text)).rows
  } finally {
    await client.end()
  }
}

describe('the database cluster', () => {
  test('is on loopback with a password, keeps its data over a restart, and listens on no socket', async () => {
    const directory = path.join(scratch, 'lasting')
    const first = await startCluster(directory, { lasting: true })
    const url = await first.database('kept')
    await ask(url, 'create table note as select 7 as value')
    expect(
      await ask(
        url,
        "select current_setting('listen_addresses') as a, current_setting('unix_socket_directories') as s",
      ),
    ).toEqual([{ a: '127.0.0.1', s: '' }])
    await expect(ask(url.replace(/:[0-9a-f]{48}@/, ':wrong@'), 'select 1')).rejects.toThrow('password')
    await first.stop()
    const second = await startCluster(directory, { lasting: true })
    expect(await ask(await second.database('kept'), 'select value from note')).toEqual([{ value: 7 }])
    await second.stop()
  })

  test('that a killed start left behind is ended, and a new one works on its data', async () => {
    const directory = path.join(scratch, 'left')
    const first = await startCluster(directory, { lasting: true })
    await ask(await first.database('kept'), 'create table note as select 8 as value')
    // No stop: as if the start command had been killed.
    const second = await startCluster(directory, { lasting: true })
    expect(await ask(await second.database('kept'), 'select value from note')).toEqual([{ value: 8 }])
    await second.stop()
    await first.stop()
  })

  test('for tests goes with all its data', async () => {
    const cluster = await startCluster(path.join(scratch, 'passing'), { lasting: false })
    const [{ data }] = (await ask(await cluster.database('x'), "select current_setting('data_directory') as data")) as [
      { data: string },
    ]
    expect(existsSync(data)).toBe(true)
    await cluster.stop()
    expect(existsSync(data)).toBe(false)
  })
})

test('a port that is taken is not free', async () => {
  const server = createServer()
  const port = await new Promise<number>(resolve =>
    server.listen(0, '127.0.0.1', () => resolve((server.address() as { port: number }).port)),
  )
  expect(await freePort('127.0.0.1', port)).toBeNull()
  await new Promise(resolve => server.close(resolve))
  expect(await freePort('127.0.0.1', port)).toBe(port)
})

test('wrong settings stop the start with sentences and no stack', () => {
  const { status, stderr } = spawnSync(process.execPath, ['scripts/start.mjs'], {
    cwd: projectDirectory,
    encoding: 'utf8',
    env: { ...process.env, HEMATINE_PORT: 'eighty', HEMATINE_DATA_DIR: 'here' },
  })
  expect(status).toBe(1)
  expect(stderr).toContain('HEMATINE_PORT=eighty: is not a whole number.')
  expect(stderr).toContain('HEMATINE_DATA_DIR=here: is not an absolute path.')
  expect(stderr).not.toContain('    at ')
})
