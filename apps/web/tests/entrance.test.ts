import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { createApp, createRouter, defineEventHandler, readBody, toNodeListener } from 'h3'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

/** The entrance before a small application: what it lets through, over real HTTP. */

const directory = scratchDirectory()
let server: Server
let address: string

beforeAll(async () => {
  Object.assign(process.env, { HEMATINE_PASSPHRASE: 'fog signal at dawn', HEMATINE_DATA_DIR: directory })
  const { endSession, giveSession, letThrough } = await import('../server/utils/entrance.ts')
  const router = createRouter()
    .get(
      '/list',
      defineEventHandler(async event => {
        await letThrough(event)
        return { rows: [] }
      }),
    )
    .post(
      '/session',
      defineEventHandler(async event => {
        await giveSession(event, (await readBody<{ passphrase: string }>(event)).passphrase)
        return {}
      }),
    )
    .delete(
      '/session',
      defineEventHandler(async event => {
        await endSession(event)
        return {}
      }),
    )
  server = createServer(toNodeListener(createApp().use(router)))
  await new Promise<void>(resolve => server.listen(0, '127.0.0.1', resolve))
  address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
})
afterAll(() => {
  server.close()
  delete process.env.HEMATINE_PASSPHRASE
})

const list = (headers: Record<string, string> = {}) => fetch(`${address}/list`, { headers })
const give = (passphrase: string) =>
  fetch(`${address}/session`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ passphrase }),
  })

describe('with a passphrase', () => {
  test('nothing is told before it is given; then a sealed cookie stands for it, which no script can read and no other site sends', async () => {
    expect((await list()).status).toBe(401)
    const given = await give('fog signal at dawn')
    expect(given.status).toBe(200)
    const cookie = given.headers.get('set-cookie')!
    expect(cookie).toMatch(/^hematine=.+HttpOnly.*SameSite=Strict/i)
    expect(cookie).not.toContain('fog')
    const pair = cookie.split(';')[0]!
    expect((await list({ cookie: pair })).status).toBe(200)
    // One that was changed is none.
    expect((await list({ cookie: `${pair.slice(0, -4)}AAAA` })).status).toBe(401)
    const ended = await fetch(`${address}/session`, { method: 'DELETE', headers: { cookie: pair } })
    expect(ended.headers.get('set-cookie')).toMatch(/^hematine=;|Max-Age=0|Expires=Thu, 01 Jan 1970/i)
  })

  test('programs send it with each request', async () => {
    expect((await list({ authorization: 'Bearer fog signal at dawn' })).status).toBe(200)
    expect((await list({ authorization: 'Bearer fog signal at dusk' })).status).toBe(401)
  })

  test('after five wrong ones an address waits, even with the right one; who is in stays in', async () => {
    const pair = (await give('fog signal at dawn')).headers.get('set-cookie')!.split(';')[0]!
    const statuses = []
    for (let time = 0; time < 7; time++) statuses.push((await give(`wrong passphrase ${time}`)).status)
    // One wrong one was given above.
    expect(statuses).toEqual([401, 401, 401, 401, 429, 429, 429])
    expect((await give('wrong passphrase')).headers.get('retry-after')).toBe('60')
    expect((await list({ cookie: pair })).status).toBe(200)
  })
})
