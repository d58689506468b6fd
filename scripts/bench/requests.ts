import { readFileSync, rmSync } from 'node:fs'
import { request as httpRequest } from 'node:http'
import { cpus } from 'node:os'
import path from 'node:path'
import { readSettings } from '@hematine/core'
import { z } from 'zod'
import { api, type Route } from '../../apps/web/shared/api.ts'
import { temporaryDirectory } from '../lib/bootstrap.mjs'
import { build } from '../lib/build.ts'
import { freePort } from '../lib/cluster.ts'
import { run } from '../lib/run.ts'
import { numbersFrom } from './chance.ts'

/** What nobody should send: each at the place of any value. */
const hostile: unknown[] = [
  null,
  true,
  -1,
  0,
  1.5,
  1,
  2,
  2_147_483_647,
  2_147_483_648,
  9_007_199_254_740_991,
  1e308,
  '',
  ' ',
  '\u0000',
  'a\u0000b',
  '../../../etc/passwd',
  '/etc/passwd',
  '%2e%2e%2f',
  "'; drop table job; --",
  '${7*7}',
  '<script>alert(1)</script>',
  '\ud800',
  '灯'.repeat(4000),
  'x'.repeat(100_000),
  '1'.repeat(20_000),
  '9999-99-99T99:99:99Z',
  [],
  {},
  [[[[[[]]]]]],
  Array.from({ length: 20_000 }, (_, index) => index + 1),
  { constructor: { prototype: {} } },
  '[{"field":"name"}]',
]

interface Schema {
  type?: string | string[]
  properties?: Record<string, Schema>
  items?: Schema
  anyOf?: Schema[]
  oneOf?: Schema[]
  enum?: unknown[]
  const?: unknown
}

export interface RequestsResult {
  sent: number
  /** Requests answered with each status. */
  statuses: Record<string, number>
  /** Requests that got an answer of 500 or more, or none. */
  broken: string[]
  slowestMilliseconds: number
  slowest: string
  memoryRatio: number
}

/** Sends requests that no page would send to every route, and watches what the server answers, how soon, and what it keeps of it. */
export class HostileRequests {
  private readonly chance: () => number

  constructor(
    private readonly address: string,
    private readonly webProcess: () => number,
    seed: number,
  ) {
    this.chance = numbersFrom(seed)
  }

  private pick<Value>(values: readonly Value[]): Value {
    return values[Math.floor(this.chance() * values.length)]!
  }

  /** Something like what a schema asks for, with something else at some places. */
  private made(schema: Schema, depth = 0): unknown {
    if (this.chance() < 0.25 || depth > 6) return this.pick(hostile)
    if ('const' in schema) return schema.const
    if (schema.enum) return this.pick(schema.enum)
    const choices = schema.anyOf ?? schema.oneOf
    if (choices) return this.made(this.pick(choices), depth + 1)
    const type = Array.isArray(schema.type) ? schema.type[0] : schema.type
    if (type === 'object') {
      return Object.fromEntries(
        Object.entries(schema.properties ?? {}).map(([name, part]) => [name, this.made(part, depth + 1)]),
      )
    }
    if (type === 'array')
      return Array.from({ length: Math.floor(this.chance() * 3) }, () => this.made(schema.items ?? {}, depth + 1))
    if (type === 'integer' || type === 'number') return this.pick([0, 1, 2, 3, 17, 4000])
    if (type === 'boolean') return this.chance() < 0.5
    return this.pick(['a', 'playback-box', '2027-01-01T00:00:00Z', 'Approach render', '25'])
  }

  private residentBytes(): number {
    return Number(/VmRSS:\s+(\d+) kB/.exec(readFileSync(`/proc/${this.webProcess()}/status`, 'utf8'))?.[1] ?? 0) * 1024
  }

  private ask(
    method: string,
    route: string,
    headers: Record<string, string>,
    body: string | null,
  ): Promise<{ status: number; milliseconds: number }> {
    const begun = performance.now()
    return new Promise(resolve => {
      const answer = (status: number) => resolve({ status, milliseconds: performance.now() - begun })
      const { hostname, port } = new URL(this.address)
      const asked = httpRequest({ hostname, port, method, path: route, headers }, response => {
        // Streams of events are not read to their end.
        if (String(response.headers['content-type']).startsWith('text/event-stream')) {
          answer(response.statusCode!)
          response.destroy()
          return
        }
        response
          .resume()
          .on('end', () => answer(response.statusCode!))
          .on('error', () => answer(0))
      })
      asked.on('error', () => answer(0))
      asked.setTimeout(30_000, () => asked.destroy())
      asked.end(body ?? undefined)
    })
  }

  async run(count: number): Promise<RequestsResult> {
    const routes = Object.entries(api) as [string, Route][]
    const schemas = new Map(
      routes.map(([name, route]) => [
        name,
        route.body ? (z.toJSONSchema(route.body, { io: 'input', unrepresentable: 'any' }) as Schema) : null,
      ]),
    )
    const result: RequestsResult = {
      sent: 0,
      statuses: {},
      broken: [],
      slowestMilliseconds: 0,
      slowest: '',
      memoryRatio: 0,
    }
    // The first requests open what the server opens once, and let it find its size.
    for (const [, route] of routes)
      if (route.method === 'get') await this.ask('GET', route.path.replace(/\{\w+\}/g, '1'), {}, null)
    await this.send(routes, schemas, Math.ceil(count / 10), {
      sent: 0,
      statuses: {},
      broken: [],
      slowestMilliseconds: 0,
      slowest: '',
      memoryRatio: 0,
    })
    const before = this.residentBytes()
    await this.send(routes, schemas, count, result)
    // What was needed for a moment is given back.
    await new Promise(resolve => setTimeout(resolve, 10_000))
    result.memoryRatio = this.residentBytes() / before
    return result
  }

  private async send(
    routes: readonly [string, Route][],
    schemas: ReadonlyMap<string, Schema | null>,
    count: number,
    result: RequestsResult,
  ): Promise<void> {
    while (result.sent < count) {
      const [name, route] = routes[result.sent % routes.length]!
      const filled = route.path.replace(/\{\w+\}/g, () =>
        encodeURIComponent(this.chance() < 0.5 ? '1' : safe(this.pick(hostile))),
      )
      const query = route.query
        ? Object.keys(route.query.shape)
            .map(key => `${key}=${encodeURIComponent(this.chance() < 0.5 ? '1' : safe(this.pick(hostile)))}`)
            .join('&')
        : ''
      const schema = schemas.get(name)
      const body = schema
        ? this.chance() < 0.1
          ? this.pick(['{', '[1,', '"', 'null', '\u0000', '{"a":'.repeat(5000)])
          : JSON.stringify(this.made(schema))
        : null
      const headers: Record<string, string> =
        body === null ? {} : { 'content-type': this.chance() < 0.05 ? 'text/plain' : 'application/json' }
      const address = (query ? `${filled}?${query}` : filled).slice(0, 12_000)
      const { status, milliseconds } = await this.ask(route.method.toUpperCase(), address, headers, body)
      const words = `${route.method} ${address.slice(0, 120)} ${body?.slice(0, 200) ?? ''}`
      result.sent++
      result.statuses[status] = (result.statuses[status] ?? 0) + 1
      // 503 with a sentence is an answer, for pictures that no process could make; none, or 500, is not.
      if (status === 0 || status === 500) result.broken.push(`${status} ${words}`)
      if (milliseconds > result.slowestMilliseconds)
        Object.assign(result, { slowestMilliseconds: milliseconds, slowest: words })
    }
  }
}

/** Text of a value that may stand in an address. */
function safe(value: unknown): string {
  const text = typeof value === 'string' ? value : JSON.stringify(value)
  // Half of a pair of surrogates has no form in an address.
  return text.slice(0, 3000).replace(/\p{Surrogate}/gu, 'x')
}

export async function benchRequests(count: number, seed: number): Promise<void> {
  await build()
  const directory = temporaryDirectory('hematine-requests-')
  const running = await run({
    empty: true,
    dataDirectory: path.join(directory, 'data'),
    settings: readSettings({ HEMATINE_PORT: String(await freePort()), HEMATINE_LOG_LEVEL: 'error' }),
    lasting: false,
    say: () => undefined,
  })
  try {
    console.log(
      `Machine: ${cpus()[0]!.model.trim()}, ${cpus().length} cores, Node.js ${process.versions.node}; seed ${seed}`,
    )
    const result = await new HostileRequests(running.address, () => running.web.pid!, seed).run(count)
    console.log(
      `${result.sent} requests: ${Object.entries(result.statuses)
        .map(([status, times]) => `${times} x ${status}`)
        .join(', ')}`,
    )
    for (const broken of result.broken.slice(0, 20)) console.log(`  broken: ${broken}`)
    console.log(
      `slowest answer ${result.slowestMilliseconds.toFixed(0)} ms (${result.slowest.slice(0, 160)}); memory after it ${result.memoryRatio.toFixed(2)} times that before`,
    )
    process.exitCode =
      result.broken.length === 0 && result.slowestMilliseconds < 2000 && result.memoryRatio < 1.2 ? 0 : 1
  } finally {
    await running.stop()
    rmSync(directory, { recursive: true, force: true })
  }
}
