import { cpus } from 'node:os'
import {
  choose,
  outlook,
  planByDueTime,
  rehearsals,
  WaysAsked,
  waysOf,
  WhatIf,
  type Choosing,
  type DuePlan,
  type OutlookGround,
  type Turns,
  type WorkToOrder,
} from '@hematine/core'
import loadSolver from 'highs'
import { around, extent, forecast, job } from '../../packages/core/tests/outlines.ts'
import { numbersFrom } from './chance.ts'
import { areWithin, choicesOfChance } from '../../tests/support/choices.ts'
import { takesJob, workOfChance, wrongIn } from '../../tests/support/order-of-work.ts'

/** Cases of each family. */
const casesEach = 5
const exactCases = 30
/** The exact solver is given up on after so long, in seconds. */
const mostSeconds = 60

const middle = (values: readonly number[]) =>
  [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] ?? Number.NaN
const percent = (part: number) => `${(100 * part).toFixed(2)} %`

/** What an order of jobs comes to, by a plain list of lanes. */
function comesTo({ lanes, orders }: WorkToOrder, jobs: WorkToOrder['jobs']): { late: number; end: number } {
  const free = [...lanes]
  const ends = new Map(orders.map(({ orderId, begunUntil }) => [orderId, begunUntil]))
  for (const job of jobs) {
    const lane = free.indexOf(Math.min(...free))
    free[lane]! += job.seconds
    ends.set(job.orderId, Math.max(ends.get(job.orderId)!, free[lane]!))
  }
  const late = orders.reduce(
    (sum, { orderId, dueSeconds, lateWeight = 1 }) =>
      sum + lateWeight * Math.max(0, ends.get(orderId)! - (dueSeconds ?? Number.POSITIVE_INFINITY)),
    0,
  )
  return { late, end: Math.max(...ends.values()) }
}

/** The task as a mixed-integer programme: jobs have lanes and starts, and of two on one lane one comes first. */
function programme(work: WorkToOrder, of: 'late' | 'end'): string {
  const { jobs, orders, lanes } = work
  const most = Math.max(...lanes) + jobs.reduce((sum, { seconds }) => sum + seconds, 0)
  const rules: string[] = []
  const placed = jobs.map((_, job) => lanes.map((_, lane) => `x${job}_${lane}`))
  const pairs: string[] = []
  for (const [job, { seconds, orderId }] of jobs.entries()) {
    rules.push(`${placed[job]!.join(' + ')} = 1`)
    for (const lane of lanes.keys()) if (!takesJob(work, lane, jobs[job]!)) rules.push(`x${job}_${lane} = 0`)
    rules.push(`s${job} ${lanes.map((free, lane) => `- ${free} x${job}_${lane}`).join(' ')} >= 0`)
    rules.push(`c${orderId} - s${job} >= ${seconds}`)
    for (let other = 0; other < job; other++) {
      const pair = `y${other}_${job}`
      pairs.push(pair)
      for (const lane of lanes.keys()) {
        // Either the other ends before this begins, or the other way round, where both are on this lane.
        const both = `- ${most} x${job}_${lane} - ${most} x${other}_${lane}`
        rules.push(`s${job} - s${other} ${both} - ${most} ${pair} >= ${jobs[other]!.seconds - 3 * most}`)
        rules.push(`s${other} - s${job} ${both} + ${most} ${pair} >= ${seconds - 2 * most}`)
      }
    }
  }
  for (const { orderId, dueSeconds, begunUntil } of orders) {
    rules.push(`c${orderId} >= ${begunUntil}`)
    rules.push(`e - c${orderId} >= 0`)
    if (dueSeconds !== null) rules.push(`t${orderId} - c${orderId} >= ${-dueSeconds}`)
  }
  const due = orders.filter(({ dueSeconds }) => dueSeconds !== null)
  const goal =
    of === 'end' || due.length === 0
      ? of === 'end'
        ? 'e'
        : '0 e'
      : due.map(({ orderId, lateWeight = 1 }) => `${lateWeight} t${orderId}`).join(' + ')
  return [
    'Minimize',
    ` ${goal}`,
    'Subject To',
    ...rules.map(rule => ` ${rule}`),
    'Binary',
    ` ${[...placed.flat(), ...pairs].join(' ')}`,
    'End',
  ].join('\n')
}

/**
 * Holds orders of work by due times against exact answers on small cases and against their bound on large ones, beside three rules of thumb: the order of
 * arrival, the longest job first, and the order that is due first. Every plan is gone through by a checker that shares nothing with the planner.
 */
/** Drives work to its end. @returns how long that took and how long the longest turn was, in milliseconds */
function driven<Made>(turns: Turns<Made>): { made: Made; milliseconds: number; longest: number } {
  const begun = performance.now()
  let [longest, last] = [0, begun]
  for (;;) {
    const turn = turns.next()
    const now = performance.now()
    longest = Math.max(longest, now - last)
    last = now
    if (turn.done) return { made: turn.value, milliseconds: now - begun, longest }
  }
}

/** What looking ahead at all orders takes: as it is, with what would help, and as is supposed. */
function timeOutlooks(seed: number): void {
  const [lanes, orders] = [8, 10]
  const cores = 16
  const random = numbersFrom(seed)
  console.log(
    `\n## All orders ahead, ${orders} orders on ${lanes} lanes that share ${cores} cores, ${rehearsals} rehearsals; long jobs in segments\n`,
  )
  console.log('| jobs | question | milliseconds | longest turn |')
  console.log('|---|---|---|---|')
  for (const jobs of [100, 1000, 10_000]) {
    const work = workOfChance(seed * 31 + jobs, { jobs, orders, lanes })
    const at = new Date()
    const ground: OutlookGround = {
      jobs: work.jobs.map(({ id, orderId, seconds }) =>
        job({
          ...{ id, orderId, state: 'waiting' },
          extent: { ...extent(100_000), isDivisible: true },
          measured: { ...forecast(around(seconds, 0.3), around(100, 0.1)), busyCores: 0.5 + random() * cores * 0.5 },
        }),
      ),
      forecasts: { rates: new Map(), calibrations: new Map() },
      machine: { lanes, cores },
      orders: work.orders.map(({ orderId, dueSeconds }) => ({
        id: orderId,
        code: `${orderId}`,
        name: '',
        dueAt: dueSeconds === null ? null : new Date(at.getTime() + dueSeconds * 1000).toISOString(),
        lateWeight: 1,
      })),
      volumes: [{ id: 3, freeBytes: 1e6 }],
      repeats: { begun: 100, lost: 1 },
      announced: { items: [], specs: new Map(), known: new Map(), likes: new Map() },
    }
    for (const [question, supposed] of [
      ['as it is, and what would help', {}],
      ['a lane more', { lanesMore: 1 }],
      ['jobs by due times', { byDueTimes: true }],
    ] as const) {
      const { milliseconds, longest } = driven(outlook(ground, WhatIf.parse(supposed), at))
      console.log(`| ${jobs} | ${question} | ${milliseconds.toFixed(0)} | ${longest.toFixed(0)} |`)
    }
  }
}

/** The choice of ways as a binary programme. */
function choiceProgramme({ lots, limits }: Choosing): string {
  const name = (lot: number, pick: number) => `x${lot}_${pick}`
  const terms = (value: (lot: number, pick: number) => number) =>
    lots
      .flatMap((options, lot) => options.map((_, pick) => `${value(lot, pick).toFixed(9)} ${name(lot, pick)}`))
      .join(' + ')
  return [
    'Maximize',
    ` ${terms((lot, pick) => lots[lot]![pick]!.worth)}`,
    'Subject To',
    ...lots.map((options, lot) => ` ${options.map((_, pick) => name(lot, pick)).join(' + ')} = 1`),
    ...limits.map((limit, index) => ` ${terms((lot, pick) => lots[lot]![pick]!.takes[index]!)} <= ${limit.toFixed(9)}`),
    'Binary',
    ` ${lots.flatMap((options, lot) => options.map((_, pick) => name(lot, pick))).join(' ')}`,
    'End',
  ].join('\n')
}

/** Ways of lots that were chosen, against the exact optimum and the bound that comes with them. */
function benchChoices(seed: number, solve: (programme: string) => number | null): boolean {
  console.log(`\n## Ways of lots, five for each, three limits; ${casesEach} cases of each family\n`)
  console.log(
    '| lots | under the optimum (HiGHS), median | at worst | under the bound, at worst | milliseconds | longest turn |',
  )
  console.log('|---|---|---|---|---|---|')
  let isSound = true
  for (const lots of [5, 10, 20, 60, 150, 400]) {
    const rows = Array.from({ length: casesEach }, (_, number) => {
      const choosing = choicesOfChance(seed * 100 + number, { lots, ways: 5, limits: 3 })
      const { made, milliseconds, longest } = driven(choose(choosing))
      const best = made.best!
      const optimum = lots <= 150 ? solve(choiceProgramme(choosing)) : null
      if (!areWithin(choosing, best.picks) || (optimum !== null && made.bound < optimum * (1 - 1e-6))) isSound = false
      return {
        under: optimum === null ? Number.NaN : 1 - best.worth / optimum,
        bound: 1 - best.worth / made.bound,
        milliseconds,
        longest,
      }
    })
    const known = rows.map(({ under }) => under).filter(under => !Number.isNaN(under))
    console.log(
      `| ${lots} | ${known.length > 0 ? `${percent(middle(known))} | ${percent(Math.max(...known))}` : '- | -'} | ${percent(Math.max(...rows.map(({ bound }) => bound)))} | ${middle(rows.map(({ milliseconds }) => milliseconds)).toFixed(0)} | ${Math.max(...rows.map(({ longest }) => longest)).toFixed(0)} |`,
    )
  }
  return isSound
}

/** What choosing the ways of a whole order takes, with its plan: sixty lots in three specs, with room and time for half of what could be wanted. */
function timeWays(seed: number): void {
  const [lots, specs, lanes, cores] = [60, 3, 8, 16]
  console.log(`\n## Ways of an order, ${lots} lots in ${specs} specs, ${lanes} lanes that share ${cores} cores\n`)
  console.log('| drafts | limits | milliseconds | longest turn | likeness | under the bound |')
  console.log('|---|---|---|---|---|---|')
  for (const drafts of [180, 1800, 9000]) {
    const random = numbersFrom(seed)
    const at = new Date()
    const sources = Array.from({ length: drafts / specs }, (_, source) => ({ source, size: 1 + 20 * random() ** 2 }))
    const jobs = sources.flatMap(({ source, size }) =>
      Array.from({ length: specs }, (_, spec) => {
        const effort = (spec + random()) / specs
        return job({
          ...{ orderId: 1, lotId: 1 + (source % lots), sourceId: source + 1, specKey: `spec ${spec}` },
          extent: { ...extent(Math.round(1000 * size)), isDivisible: true },
          measured: {
            ...forecast(around(20 * size * (0.5 + 2 * effort), 0.3), around(1e6 * size * (2 - effort), 0.2)),
            busyCores: 2 + random() * 6,
            quality: { xpsnr: 34 + 10 * effort, worstXpsnr: 33, ssim: 0.98 },
          },
        })
      }),
    )
    const ground = {
      ...{ orderId: 1, jobs, names: new Map<number, string>(), volumes: [] },
      forecasts: { rates: new Map(), calibrations: new Map() },
      machine: { lanes, cores },
    }
    const ask = (asked: WaysAsked) => driven(waysOf(ground, asked, at))
    const free = WaysAsked.parse({ bytes: null })
    const most = ask(free).made.chosen
    const limited = {
      ...free,
      bytes: most.bytes.expected * 1.25,
      dueAt: new Date(at.getTime() + most.end!.expected * 850).toISOString(),
    }
    for (const [name, asked] of [
      ['none', free],
      ['room and time', limited],
      ['too little of both', { ...limited, bytes: 1e6, dueAt: at.toISOString() }],
    ] as const) {
      const { made, milliseconds, longest } = ask(asked)
      const under = made.mostLikeness === null ? '-' : `${(made.mostLikeness - made.chosen.likeness!).toFixed(3)} dB`
      console.log(
        `| ${drafts} | ${name} | ${milliseconds.toFixed(0)} | ${longest.toFixed(0)} | ${made.chosen.likeness!.toFixed(2)} dB | ${under} |`,
      )
    }
  }
}

export async function benchPlanner(seed: number): Promise<void> {
  console.log(`Machine: ${cpus()[0]?.model}, ${cpus().length} cores, Node.js ${process.versions.node}; seed ${seed}\n`)
  let wrong = 0
  const check = (work: WorkToOrder, plan: DuePlan) => {
    for (const sentence of [...wrongIn(work, plan.now), ...wrongIn(work, plan.found)]) {
      wrong++
      console.log(`Wrong: ${sentence}`)
    }
  }

  const solver = await loadSolver()
  const solved = (work: WorkToOrder, of: 'late' | 'end') => {
    const { Status, ObjectiveValue } = solver.solve(programme(work, of), {
      time_limit: mostSeconds,
      output_flag: false,
    })
    return Status === 'Optimal' ? ObjectiveValue : null
  }
  for (const unlike of [false, true]) againstExact(seed, unlike, solved, check)
  benchBounds(seed, check)
  const areChoicesSound = benchChoices(seed, programme => {
    const { Status, ObjectiveValue } = solver.solve(programme, { time_limit: mostSeconds, output_flag: false })
    return Status === 'Optimal' ? ObjectiveValue : null
  })
  if (!areChoicesSound) {
    wrong++
    console.log('Wrong: a choice does not keep its limits, or its bound is below the optimum.')
  }
  timeWays(seed)
  timeOutlooks(seed)
  console.log(
    wrong === 0 ? 'The checker found every plan to be what it claims.' : `${wrong} claims of plans are wrong.`,
  )
  process.exitCode = wrong === 0 ? 0 : 1
}

/** Small cases against their exact optimum. @param unlike whether lanes take unlike work */
function againstExact(
  seed: number,
  unlike: boolean,
  solved: (work: WorkToOrder, of: 'late' | 'end') => number | null,
  check: (work: WorkToOrder, plan: DuePlan) => void,
): void {
  const over = { late: [] as number[], end: [] as number[] }
  let unsolved = 0
  for (let number = 0; number < exactCases; number++) {
    const work = workOfChance(seed * 1000 + number, {
      jobs: 5 + (number % 4),
      orders: 1 + (number % 3),
      lanes: 2 + (number % 2),
      whole: true,
      weighted: number % 2 === 1,
      unlike,
    })
    const { made: plan } = driven(planByDueTime(work))
    check(work, plan)
    const undue = { ...work, orders: work.orders.map(order => ({ ...order, dueSeconds: null })) }
    const [late, end] = [solved(work, 'late'), solved(undue, 'end')]
    if (late === null || end === null) {
      unsolved++
      continue
    }
    over.late.push((plan.found.late - late) / end)
    over.end.push((driven(planByDueTime(undue)).made.found.end - end) / end)
  }
  console.log(
    `\n## ${exactCases} cases of 5 to 8 jobs${unlike ? ', of which some need a graphics device that some lanes have' : ''}, against the exact optimum (HiGHS)\n`,
  )
  console.log('| measure | over the optimum, median | at worst | cases that are optimal |')
  console.log('|---|---|---|---|')
  for (const [name, values] of [
    ['lateness of all orders, as a part of the time until all is done', over.late],
    ['time until all is done, without due times', over.end],
  ] as const)
    console.log(
      `| ${name} | ${percent(middle(values))} | ${percent(Math.max(...values))} | ${values.filter(value => value < 1e-6).length} of ${values.length} |`,
    )
  if (unsolved > 0) console.log(`\nThe solver gave no answer to ${unsolved} within ${mostSeconds} s.`)
}

/** Cases of all sizes against the bound, beside rules of thumb. */
function benchBounds(seed: number, check: (work: WorkToOrder, plan: DuePlan) => void): void {
  console.log(`\n## Against the bound, ${casesEach} cases of each family\n`)
  console.log(
    '| jobs | lanes | orders | late, over the bound | by arrival | longest first | due first | done, over the bound | longest first | milliseconds | longest turn |',
  )
  console.log('|---|---|---|---|---|---|---|---|---|---|---|')
  const all = { late: [] as number[], end: [] as number[] }
  for (const jobs of [10, 100, 1000, 3000, 10_000])
    for (const lanes of [2, 4, 8, 16]) {
      const orders = Math.max(1, Math.min(20, Math.round(jobs / 20)))
      const rows = Array.from({ length: casesEach }, (_, number) => {
        const work = workOfChance(seed * 7919 + jobs * 17 + lanes * 5 + number, {
          jobs,
          orders,
          lanes,
          weighted: number % 2 === 1,
        })
        const { made: plan, milliseconds, longest } = driven(planByDueTime(work))
        check(work, plan)
        const undue = { ...work, orders: work.orders.map(order => ({ ...order, dueSeconds: null })) }
        const soonest = driven(planByDueTime(undue)).made
        const bySize = [...work.jobs].sort((a, b) => b.seconds - a.seconds)
        const dueOf = new Map(work.orders.map(order => [order.orderId, order.dueSeconds ?? Number.POSITIVE_INFINITY]))
        const byDue = [...bySize].sort((a, b) => dueOf.get(a.orderId)! - dueOf.get(b.orderId)! || 0)
        // Lateness can be nothing; so it is told as a part of what all orders' times together come to at best.
        const scale = plan.bound.end * work.orders.reduce((sum, { lateWeight = 1 }) => sum + lateWeight, 0)
        const late = (value: number) => (value - plan.bound.late) / scale
        return {
          late: late(plan.found.late),
          arrival: late(comesTo(work, work.jobs).late),
          size: late(comesTo(work, bySize).late),
          due: late(comesTo(work, byDue).late),
          end: soonest.found.end / soonest.bound.end - 1,
          endBySize: comesTo(undue, bySize).end / soonest.bound.end - 1,
          milliseconds,
          longest,
        }
      })
      const of = (key: keyof (typeof rows)[number]) => rows.map(row => row[key])
      all.late.push(...of('late'))
      all.end.push(...of('end'))
      console.log(
        `| ${jobs} | ${lanes} | ${orders} | ${percent(middle(of('late')))} | ${percent(middle(of('arrival')))} | ${percent(middle(of('size')))} | ${percent(middle(of('due')))} | ${percent(middle(of('end')))} | ${percent(middle(of('endBySize')))} | ${middle(of('milliseconds')).toFixed(0)} | ${Math.max(...of('longest')).toFixed(0)} |`,
      )
    }
  console.log(
    `\nAll families: late ${percent(middle(all.late))} over the bound in the median, ${percent(Math.max(...all.late))} at worst; done ${percent(middle(all.end))}, ${percent(Math.max(...all.end))} at worst.`,
  )
}
