import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import type { LotRecord, SourceRow } from '@hematine/core'
import type { Line } from '../app/composables/useLines.ts'
import { useIntake } from '../app/stores/intake.ts'
import { useOrder } from '../app/stores/order.ts'

/** A made-up server: lots with their sources, which answers the routes that the list asks. */
class MadeUpServer {
  sources: { id: number; name: string; lotId: number | null }[] = []
  asked: string[] = []
  /** Held answers: each is let go by hand. */
  held: (() => void)[] | null = null

  lots(): LotRecord[] {
    const ids = [...new Set(this.sources.flatMap(source => source.lotId ?? []))].sort((a, b) => a - b)
    return ids.map(id => ({
      id,
      orderId: 1,
      name: `Lot ${id}`,
      reason: 'alike',
      byHand: false,
      oddOneOut: null,
      count: this.sources.filter(source => source.lotId === id).length,
      seconds: 1,
      bytes: 1,
      treatmentId: null,
    }))
  }

  answer(address: string): unknown {
    const { pathname, searchParams } = new URL(address, 'http://made.up')
    if (pathname === '/api/lots') return this.lots()
    if (pathname === '/api/source-counts')
      return { all: this.sources.length, undecided: 0, reading: 0, measuring: 0, refused: 0 }
    if (pathname === '/api/source-ids') return this.sources.map(source => source.id)
    if (pathname !== '/api/sources') throw new Error(`${pathname} was not expected`)
    const lotId = searchParams.get('lotId') === 'none' ? null : Number(searchParams.get('lotId'))
    const found = this.sources.filter(source => source.lotId === lotId)
    const [offset, limit] = [Number(searchParams.get('offset') ?? 0), Number(searchParams.get('limit') ?? 100)]
    return { total: found.length, rows: found.slice(offset, offset + limit).map(row) }
  }

  readonly fetch = async (address: string) => {
    this.asked.push(address)
    const answer = this.answer(address)
    if (this.held)
      await new Promise<void>(resolve => {
        this.held!.push(resolve)
      })
    return new Response(JSON.stringify(answer), { headers: { 'content-type': 'application/json' } })
  }
}

function row(source: { id: number; name: string; lotId: number | null }): SourceRow {
  return {
    ...source,
    relativePath: source.name,
    state: 'ready',
    reason: null,
    picture: '',
    motion: '',
    codec: '',
    sound: '',
    seconds: 1,
    bytes: 1,
    lotByHand: false,
    measureState: 'ready',
    faults: [],
    remarks: 0,
    jobCount: 0,
  }
}

let server: MadeUpServer
beforeEach(() => {
  vi.useFakeTimers()
  server = new MadeUpServer()
  vi.stubGlobal('fetch', server.fetch)
  setActivePinia(createPinia())
  useOrder().orders = [{ id: 1, code: 'T', name: 'Test', dueAt: null, lateWeight: 1, lotFineness: 'usual' as const }]
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

const settle = (milliseconds = 50) => vi.advanceTimersByTimeAsync(milliseconds)
const fill = (lotId: number | null, count: number, first = 1) =>
  Array.from({ length: count }, (_, index) => ({ id: first + index, name: `reel ${first + index}`, lotId }))
const names = (lines: readonly Line<number | null, LotRecord | null>[], intake: ReturnType<typeof useIntake>) =>
  lines.map(line =>
    line.kind === 'group' ? `[${line.group?.name ?? 'none'}]` : (intake.list.rowOf(line)?.name ?? '...'),
  )

/** The store with what is on screen: all its lines, asked for as the table does it. */
async function opened() {
  const intake = useIntake()
  await settle()
  intake.list.need(intake.list.lines.value)
  await settle()
  return intake
}

describe('the lines', () => {
  test('are lots with their sources, and what is in no lot at the end', async () => {
    server.sources = [...fill(1, 2), ...fill(2, 1, 10), ...fill(null, 1, 20)]
    const intake = await opened()
    expect(names(intake.list.lines.value, intake)).toEqual([
      '[Lot 1]',
      'reel 1',
      'reel 2',
      '[Lot 2]',
      'reel 10',
      '[none]',
      'reel 20',
    ])
    expect(intake.total).toBe(4)
  })

  test('of a lot that is closed are left out, and come back', async () => {
    server.sources = [...fill(1, 2), ...fill(2, 1, 10)]
    const intake = await opened()
    intake.list.turn(1)
    expect(names(intake.list.lines.value, intake)).toEqual(['[Lot 1]', '[Lot 2]', 'reel 10'])
    intake.list.turn(1, true)
    expect(intake.list.isOpen(1)).toBe(true)
    intake.list.turn(1, true)
    expect(intake.list.isOpen(1)).toBe(true)
  })

  test('of a large order begin closed, and nothing of the sources is asked for', async () => {
    server.sources = [...fill(1, 600)]
    const intake = await opened()
    expect(intake.list.lines.value).toHaveLength(1)
    expect(server.asked.some(address => address.includes('lotId=1'))).toBe(false)
    intake.list.turn(1)
    expect(intake.list.lines.value).toHaveLength(601)
  })

  test('are fetched by the hundred, each page once, and only those in view', async () => {
    server.sources = [...fill(1, 600)]
    const intake = await opened()
    intake.list.turn(1)
    server.asked = []
    intake.list.need(intake.list.lines.value.slice(250, 290))
    intake.list.need(intake.list.lines.value.slice(255, 310))
    await settle()
    expect(
      server.asked
        .filter(address => address.includes('lotId=1'))
        .map(address => new URL(address, 'http://x').searchParams.get('offset')),
    ).toEqual(['200', '300'])
    expect(names(intake.list.lines.value.slice(249, 252), intake)).toEqual(['reel 249', 'reel 250', 'reel 251'])
    expect(names(intake.list.lines.value.slice(500, 501), intake)).toEqual(['...'])
  })
})

describe('changes', () => {
  test('a single one is shown at once, not lost for want of a second', async () => {
    server.sources = fill(1, 1)
    const intake = await opened()
    await settle(5000)
    server.sources = fill(1, 2)
    useOrder().noteSources([2])
    await settle()
    intake.list.need(intake.list.lines.value)
    await settle()
    expect(names(intake.list.lines.value, intake)).toEqual(['[Lot 1]', 'reel 1', 'reel 2'])
  })

  test('by the dozen are gathered, and the last of them is shown', async () => {
    server.sources = fill(1, 1)
    const intake = await opened()
    await settle(5000)
    server.asked = []
    for (let count = 2; count <= 30; count++) {
      server.sources = fill(1, count)
      useOrder().noteSources([count])
      await settle(50)
    }
    await settle(1500)
    expect(intake.total).toBe(30)
    expect(server.asked.filter(address => address.startsWith('/api/lots')).length).toBeLessThanOrEqual(4)
  })

  test('a source that moves to a new lot while pages are on their way is loaded there', async () => {
    server.sources = [...fill(1, 2)]
    const intake = await opened()
    await settle(5000)
    server.held = []
    server.sources = [...fill(1, 1), ...fill(7, 1, 2)]
    useOrder().noteSources([2])
    await settle(10)
    server.sources = [...fill(1, 1), ...fill(8, 1, 2)]
    useOrder().noteSources([2])
    await settle(10)
    // The answers come late, and in the order in which they were asked for.
    for (let turn = 0; turn < 40; turn++) {
      server.held?.splice(0).forEach(letGo => letGo())
      intake.list.need(intake.list.lines.value)
      await settle(100)
    }
    expect(names(intake.list.lines.value, intake)).toEqual(['[Lot 1]', 'reel 1', '[Lot 8]', 'reel 2'])
  })

  test('an older answer never overwrites a newer one', async () => {
    server.sources = fill(1, 1)
    const intake = await opened()
    server.held = []
    const first = intake.refresh()
    await settle(1)
    const late = server.held.splice(0)
    server.sources = fill(1, 3)
    const second = intake.refresh()
    await settle(1)
    server.held.splice(0).forEach(letGo => letGo())
    server.held = null
    await settle()
    late.forEach(letGo => letGo())
    await Promise.all([first, second])
    expect(intake.total).toBe(3)
  })
})

describe('narrowing', () => {
  test('asks with the conditions and the words of the name together', async () => {
    server.sources = fill(1, 1)
    const intake = await opened()
    intake.filter = [{ field: 'finding', how: 'has', value: 'hum' }]
    void intake.searchSoon('reel ')
    await settle(1000)
    const asked = new URL(server.asked.filter(address => address.startsWith('/api/lots')).at(-1)!, 'http://x')
      .searchParams
    expect(JSON.parse(asked.get('filter')!)).toEqual([
      { field: 'finding', how: 'has', value: 'hum' },
      { field: 'name', how: 'contains', value: 'reel' },
    ])
  })

  test('leaves the lines as they are until the answer is there, so that a row can still be opened', async () => {
    server.sources = fill(1, 2)
    const intake = await opened()
    server.held = []
    server.sources = fill(1, 1, 2)
    void intake.searchSoon('reel 2')
    await settle(300)
    expect(names(intake.list.lines.value, intake)).toEqual(['[Lot 1]', 'reel 1', 'reel 2'])
    for (let turn = 0; turn < 5; turn++) {
      server.held?.splice(0).forEach(letGo => letGo())
      intake.list.need(intake.list.lines.value)
      await settle(50)
    }
    expect(names(intake.list.lines.value, intake)).toEqual(['[Lot 1]', 'reel 2'])
  })

  test('a failure is told, and the next answer takes it back', async () => {
    server.sources = fill(1, 1)
    const intake = await opened()
    vi.stubGlobal('fetch', async () => {
      throw new TypeError('no line')
    })
    await intake.refresh()
    expect(intake.failed).toContain('The server does not answer')
    vi.stubGlobal('fetch', server.fetch)
    await intake.refresh()
    expect(intake.failed).toBeNull()
  })
})
