import { createHash, randomBytes } from 'node:crypto'
import { readdir, readFile } from 'node:fs/promises'
import { request as httpRequest } from 'node:http'
import path from 'node:path'
import { expect, test, type APIResponse } from '@playwright/test'
import { api, ErrorBody, type Route } from '../../apps/web/shared/api.ts'
import { clearLanes, dataDirectory, expectAccessible, sources } from './support.ts'

async function expectProblem(response: APIResponse, status: number, words: string | RegExp): Promise<void> {
  const { error } = ErrorBody.parse(await response.json())
  expect(response.status()).toBe(status)
  expect(error.status).toBe(status)
  expect(error.message).toMatch(words)
  expect(error.message).toMatch(/[.!]$/)
  expect(JSON.stringify(error)).not.toMatch(/node_modules|\bat .*\.(m?js|ts):/)
}

test('the description names every route, and every route answers to its schema', async ({ request }) => {
  const document = await (await request.get('/api/openapi.json')).json()
  expect(document.openapi).toBe('3.1.0')
  for (const route of Object.values(api) as Route[])
    expect(document.paths[route.path]?.[route.method], `${route.method} ${route.path}`).toBeTruthy()
  for (const name of ['listOrders', 'listVolumes', 'listSpecs', 'listWorkers'] as const)
    expect(api[name].answer.safeParse(await (await request.get(api[name].path)).json()).success).toBe(true)
  for (const name of ['listSources', 'listJobs', 'listEvents'] as const)
    expect(api[name].answer.safeParse(await (await request.get(`${api[name].path}?orderId=1`)).json()).success).toBe(
      true,
    )
})

test('every route of the description has its file, and every file its description', async () => {
  const root = path.resolve('apps/web/server/api')
  const files = (await readdir(root, { recursive: true })).filter(
    name => name.endsWith('.ts') && !/uploads\/|\[\.\.\.\]/.test(name),
  )
  const described = (Object.values(api) as Route[]).map(
    ({ path: address, method }) => `${address.replace('/api/', '').replace(/\{(\w+)\}/g, '[$1]')} ${method}`,
  )
  const filed = files.map(name => name.replace(/^(.*?)(\/index)?\.(get|post|put|patch|delete)\.ts$/, '$1 $3'))
  expect(filed.sort()).toEqual(described.sort())
})

test('a connection is kept open for longer than a page or a program pauses between two requests', async ({
  request,
}) => {
  await request.get('/api/orders')
  const { 'keep-alive': kept } = (await request.get('/api/orders')).headers()
  expect(Number(/timeout=(\d+)/.exec(kept ?? '')?.[1])).toBeGreaterThanOrEqual(60)
})

test.describe('requests that cannot be met', () => {
  test('have one shape, a fitting status and a sentence', async ({ request }) => {
    await expectProblem(await request.get('/api/nowhere'), 404, 'There is nothing at this address')
    await expectProblem(await request.get('/api/jobs/4711'), 404, 'There is no job 4711')
    await expectProblem(await request.get('/api/jobs/abc'), 400, 'path.id')
    await expectProblem(await request.get('/api/sources'), 400, 'query.orderId')
    await expectProblem(
      await request.post('/api/orders', { data: { code: '', name: 'x', dueAt: 'tomorrow' } }),
      400,
      /body\.code is empty; body\.dueAt is not a time/,
    )
    await expectProblem(await request.patch('/api/orders/1', { data: { lateWeight: 10 } }), 400, 'is more than 9')
    await expectProblem(
      await request.post('/api/orders', {
        headers: { 'content-type': 'application/json' },
        data: Buffer.from('{"code":'),
      }),
      400,
      'not valid JSON',
    )
    await expectProblem(
      await request.post('/api/orders', { headers: { 'content-type': 'text/plain' }, data: 'x' }),
      415,
      'must be JSON',
    )
    await expectProblem(await request.delete('/api/volumes/1'), 409, 'stays registered')
    await expectProblem(await request.get('/api/jobs/999999999999'), 400, 'is too large')
  })

  test("under a name that is not the server's are refused, and so are those of its own name by another scheme", async ({
    request,
    baseURL,
  }) => {
    await expectProblem(
      await request.get('/api/orders', { headers: { host: 'rebound.example' } }),
      421,
      'does not answer to that name',
    )
    await expectProblem(
      await request.post('/api/orders', {
        headers: { origin: baseURL!.replace('http:', 'https:') },
        data: { code: 'X', name: 'X', dueAt: null },
      }),
      403,
      'Another site',
    )
  })

  test('with characters or numbers that nothing has are told so', async ({ request }) => {
    await expectProblem(
      await request.post('/api/orders', { data: { code: 'X', name: 'a\u0000b', dueAt: null } }),
      400,
      'NUL',
    )
    await expectProblem(
      await request.post('/api/jobs/actions', { data: { ids: [4_000_000_000], action: 'hold' } }),
      400,
      'is too large',
    )
    await expectProblem(
      await request.post('/api/jobs', {
        data: { deliveryVolumeId: 2_147_483_647, wishes: [{ sourceId: 1, specKey: 'web-mp4' }] },
      }),
      404,
      'There is no volume',
    )
  })

  test('with a body that never ends are ended at 16 MB, whatever length they state', async ({ baseURL }) => {
    const { status, sent } = await new Promise<{ status: number; sent: number }>((resolve, reject) => {
      const going = httpRequest(`${baseURL}/api/orders`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', 'transfer-encoding': 'chunked' },
      })
      let bytes = 0
      let ended = false
      going
        .on('response', response => {
          ended = true
          resolve({ status: response.statusCode!, sent: bytes })
          going.destroy()
        })
        .on('error', error => {
          if (!ended) reject(error)
        })
      const piece = Buffer.alloc(1 << 20, ' ')
      const write = () => {
        if (ended || bytes > 200e6) return
        bytes += piece.length
        going.write(piece, () => setImmediate(write))
      }
      write()
    })
    expect(status).toBe(413)
    expect(sent).toBeLessThan(100e6)
  })

  test('from other sites are refused', async ({ request }) => {
    await expectProblem(
      await request.post('/api/orders', {
        headers: { origin: 'http://elsewhere.example' },
        data: { code: 'X', name: 'X', dueAt: null },
      }),
      403,
      'Another site',
    )
  })
})

test.describe('paths', () => {
  for (const bad of ['..', '../..', '/etc', 'Approach render/../..', 'Approach render/./', 'a\u0000b', '%2e%2e']) {
    test(`${JSON.stringify(bad)} leads nowhere`, async ({ request }) => {
      const response = await request.get(`/api/volumes/1/entries?path=${encodeURIComponent(bad)}`)
      expect([400, 403, 404]).toContain(response.status())
      ErrorBody.parse(await response.json())
    })
  }

  test('outside the allowed roots cannot become volumes', async ({ request }) => {
    await expectProblem(
      await request.post('/api/volumes', { data: { name: 'Keys', role: 'source', path: '/etc' } }),
      409,
      'Volumes may lie in',
    )
    await expectProblem(await request.get('/api/volume-roots?path=/etc'), 409, 'HEMATINE_VOLUME_ROOTS')
    await expectProblem(
      await request.post('/api/volumes', {
        data: { name: 'Again', role: 'delivery', path: path.join(dataDirectory, 'volumes/sources') },
      }),
      409,
      'Choose one apart from it',
    )
  })

  test('of arrivals are checked too', async ({ request }) => {
    await expectProblem(
      await request.post('/api/sources', {
        data: { orderId: 1, arrivals: [{ kind: 'file', volumeId: 1, path: '../postgres/password' }] },
      }),
      403,
      'must lie in the volume',
    )
    await expectProblem(
      await request.post('/api/sources', {
        data: {
          orderId: 1,
          arrivals: [{ kind: 'sequence', volumeId: 1, path: 'Approach render/approach-[0001-9999].png' }],
        },
      }),
      404,
      'There is no sequence',
    )
  })
})

test.describe('uploads', () => {
  const headers = { 'tus-resumable': '1.0.0' }
  const metadata = (name: string) =>
    `filename ${Buffer.from(name).toString('base64')},orderId ${Buffer.from('1').toString('base64')}`

  test('go on where they broke off, never replace a file, and become sources', async ({ request }) => {
    const content = await readFile(path.join(dataDirectory, 'volumes/sources/Harbour log (cut short).mp4'))
    const name = `../odd "name" – ${randomBytes(3).toString('hex')}.mp4`
    for (const expected of [1, 2]) {
      const created = await request.post('/api/volumes/1/uploads', {
        headers: { ...headers, 'upload-length': String(content.length), 'upload-metadata': metadata(name) },
      })
      expect(created.status()).toBe(201)
      const { location } = created.headers()
      const patch = (from: number, to: number) =>
        request.patch(location!, {
          headers: { ...headers, 'upload-offset': String(from), 'content-type': 'application/offset+octet-stream' },
          data: content.subarray(from, to),
        })
      expect((await patch(0, 50_000)).status()).toBe(204)
      const offset = Number((await request.head(location!, { headers })).headers()['upload-offset'])
      expect(offset).toBe(50_000)
      expect((await patch(offset, content.length)).status()).toBe(204)
      const stem = name.slice(3, -4)
      const placed = path.join(dataDirectory, 'volumes/sources', `${stem}${expected === 2 ? '-2' : ''}.mp4`)
      expect(
        createHash('sha256')
          .update(await readFile(placed))
          .digest('hex'),
      ).toBe(createHash('sha256').update(content).digest('hex'))
      await expect
        .poll(async () => (await sources(request)).find(source => source.name === path.basename(placed))?.state)
        .toBe('ready')
    }
  })

  test('into a delivery volume are refused', async ({ request }) => {
    await expectProblem(
      await request.post('/api/volumes/3/uploads', {
        headers: { ...headers, 'upload-length': '5', 'upload-metadata': metadata('x.mp4') },
      }),
      409,
      'Upload into a source volume',
    )
  })

  test('by hand show their progress and end as a row', async ({ page }) => {
    await page.goto('/intake')
    const name = `hand ${randomBytes(3).toString('hex')}.avi`
    await page.getByLabel('Files to upload').setInputFiles([
      {
        name,
        mimeType: 'video/x-msvideo',
        buffer: await readFile(path.join(dataDirectory, 'volumes/sources/Fog-signal interview 1.avi')),
      },
    ])
    await expect(page.getByText(`${name} is uploaded and being read.`)).toBeVisible()
    await expect(page.locator('[data-row]').filter({ hasText: name })).toContainText('320x240 4:3')
    await expectAccessible(page)
  })
})

test.describe('a finished file', () => {
  test('is downloaded whole or in part, and its frames are shown', async ({ request }) => {
    await clearLanes(request)
    const done = (
      (await (await request.get('/api/jobs?orderId=1&limit=500')).json()) as {
        jobs: { id: number; state: string; outputPath: string }[]
      }
    ).jobs.find(job => job.state === 'done')!
    const file = await readFile(path.join(dataDirectory, 'volumes/delivery', done.outputPath))
    expect((await (await request.get(`/api/jobs/${done.id}/output`)).body()).equals(file)).toBe(true)
    const part = await request.get(`/api/jobs/${done.id}/output`, { headers: { range: 'bytes=10-19' } })
    expect([part.status(), part.headers()['content-range'], (await part.body()).equals(file.subarray(10, 20))]).toEqual(
      [206, `bytes 10-19/${file.length}`, true],
    )
    await expectProblem(
      await request.get(`/api/jobs/${done.id}/output`, { headers: { range: `bytes=${file.length}-` } }),
      416,
      `The file has ${file.length} bytes`,
    )
    const frame = await request.get(`/api/jobs/${done.id}/frames/0?side=result`)
    expect((await frame.body()).subarray(1, 4).toString()).toBe('PNG')
    await expectProblem(await request.get(`/api/jobs/${done.id}/frames/99999?side=result`), 404, 'numbered from 0')
  })
})

test('nothing is fetched from elsewhere', async ({ page }) => {
  const foreign: string[] = []
  page.on('request', request => {
    if (
      !request.url().startsWith(process.env.E2E_ADDRESS!) &&
      !request.url().startsWith('data:') &&
      !request.url().startsWith('blob:')
    )
      foreign.push(request.url())
  })
  for (const station of ['intake', 'balance', 'shift', 'handover', 'equipment', 'library'])
    await page.goto(`/${station}`)
  expect(foreign).toEqual([])
})
