import { describe, expect, test } from 'vitest'
import { PausableGate, Stopped } from '../src/gate.ts'
import { Turnstile } from '../src/turnstile.ts'

const soon = (milliseconds = 20) => new Promise(resolve => setTimeout(resolve, milliseconds))

describe('the turnstile', () => {
  test('pauses running work for a measurement and lets it go on after', async () => {
    const log: string[] = []
    const turnstile = new Turnstile()
    turnstile.join({ pause: () => log.push('pause'), goOn: () => log.push('go on') })
    await turnstile.alone(async () => {
      log.push('measure')
    })
    expect(log).toEqual(['pause', 'measure', 'go on'])
  })

  test('waits for short tasks that run, and keeps new ones out', async () => {
    const log: string[] = []
    const turnstile = new Turnstile()
    let end = () => undefined as void
    const short = turnstile.beside(() =>
      new Promise<void>(resolve => {
        end = resolve
      }).then(() => {
        log.push('short')
      }),
    )
    const measured = turnstile.alone(async () => {
      await soon()
      log.push('measured')
    })
    await soon()
    const late = turnstile.beside(async () => {
      log.push('late')
    })
    end()
    await Promise.all([short, measured, late])
    expect(log).toEqual(['short', 'measured', 'late'])
  })

  test('measures one at a time', async () => {
    const turnstile = new Turnstile()
    let [inside, most] = [0, 0]
    await Promise.all(
      [1, 2, 3].map(() =>
        turnstile.alone(async () => {
          most = Math.max(most, ++inside)
          await soon(5)
          inside--
        }),
      ),
    )
    expect(most).toBe(1)
  })

  test('gives paused work as long a turn as the last measurement took', async () => {
    const turnstile = new Turnstile()
    const leave = turnstile.join({ pause: () => undefined, goOn: () => undefined })
    await turnstile.alone(() => soon(80).then(() => undefined))
    const begin = performance.now()
    await turnstile.alone(async () => undefined)
    expect(performance.now() - begin).toBeGreaterThan(60)
    leave()
  })

  test('leaves the machine to the next measurement at once where nothing works any more, or all that does rests', async () => {
    let now = 0
    const turnstile = new Turnstile(() => now)
    const work = { pause: () => undefined, goOn: () => undefined }
    const hours = 3600_000
    const measured = () =>
      turnstile.alone(async () => {
        now += hours
      })
    const leave = turnstile.join(work)
    await measured()
    let next = measured()
    await soon()
    expect(now).toBe(hours)
    leave()
    await next
    expect(now).toBe(2 * hours)
    turnstile.join(work, 'measurements and hours')
    next = measured()
    await soon()
    expect(now).toBe(2 * hours)
    turnstile.isOpen = false
    await next
    expect(now).toBe(3 * hours)
  })

  test('opens again when a measurement fails', async () => {
    const turnstile = new Turnstile()
    await expect(
      turnstile.alone(async () => {
        throw new Error('no')
      }),
    ).rejects.toThrow('no')
    expect(await turnstile.beside(async () => 'in')).toBe('in')
  })

  test('lets jobs rest out of hours, and measurements go on beside them without a turn for who rests', async () => {
    const log: string[] = []
    let now = 0
    const turnstile = new Turnstile(() => now)
    const work = (name: string) => ({
      pause: () => log.push(`${name} pauses`),
      goOn: () => log.push(`${name} goes on`),
    })
    turnstile.join(work('job'), 'measurements and hours')
    const leave = turnstile.join(work('curve'))
    const take = () => log.splice(0)
    turnstile.isOpen = false
    turnstile.isOpen = false
    expect(take()).toEqual(['job pauses'])
    turnstile.join(work('late job'), 'measurements and hours')
    expect(take()).toEqual(['late job pauses'])
    await turnstile.alone(async () => {
      log.push('measure')
    })
    expect(take()).toEqual(['curve pauses', 'measure', 'curve goes on'])
    leave()
    // A turn for who works would be three hours now.
    await turnstile.alone(async () => {
      now += 1e7
    })
    await turnstile.alone(async () => undefined)
    turnstile.isOpen = true
    expect(take()).toEqual(['job goes on', 'late job goes on'])
  })

  test('hours that begin or end during a measurement count when it is over', async () => {
    const log: string[] = []
    const turnstile = new Turnstile()
    turnstile.join({ pause: () => log.push('pause'), goOn: () => log.push('go on') }, 'measurements and hours')
    await turnstile.alone(async () => {
      turnstile.isOpen = false
    })
    expect(log).toEqual(['pause'])
    await turnstile.alone(async () => {
      turnstile.isOpen = true
      expect(log).toEqual(['pause'])
    })
    expect(log).toEqual(['pause', 'go on'])
  })

  test('work that joins during a measurement is paused at once', async () => {
    const turnstile = new Turnstile()
    let paused = false
    await turnstile.alone(async () => {
      turnstile.join({
        pause: () => {
          paused = true
        },
        goOn: () => {
          paused = false
        },
      })
    })
    expect(paused).toBe(false)
  })
})

describe('the gate', () => {
  test('holds work while paused and leaves the pause out of the time', async () => {
    const gate = new PausableGate()
    gate.pause()
    let passed = false
    const turn = gate.turn().then(() => {
      passed = true
    })
    await soon(60)
    expect(passed).toBe(false)
    gate.goOn()
    await turn
    expect(gate.workedSeconds).toBeLessThan(0.05)
  })

  test('stops work, paused or not', async () => {
    const gate = new PausableGate()
    gate.pause()
    const turn = gate.turn()
    gate.stop()
    await expect(turn).rejects.toThrow(Stopped)
    await expect(gate.turn()).rejects.toThrow(Stopped)
  })
})

describe('a machine with several workers', () => {
  test("is measured on when it is this one's turn, which ends with the measurement; work here goes on until then", async () => {
    const log: string[] = []
    let grant = () => undefined as void
    const turnstile = new Turnstile(undefined, {
      enter: () =>
        new Promise(resolve => {
          grant = () => resolve(async () => void log.push('turn ends'))
        }),
    })
    turnstile.join({ pause: () => log.push('pause'), goOn: () => log.push('go on') })
    const measured = turnstile.alone(async () => {
      log.push('measure')
    })
    await soon()
    expect(log).toEqual([])
    expect(await turnstile.beside(async () => 'short tasks, too')).toBe('short tasks, too')
    grant()
    await measured
    expect(log).toEqual(['pause', 'measure', 'go on', 'turn ends'])
  })

  test('is left to others while they measure: what works here is paused, and nothing short begins', async () => {
    const log: string[] = []
    const turnstile = new Turnstile()
    turnstile.join({ pause: () => log.push('pause'), goOn: () => log.push('go on') })
    let end = () => undefined as void
    const short = turnstile.beside(() => new Promise<void>(resolve => (end = resolve)))
    let isQuiet = false
    const quiet = turnstile.letOthersMeasure(true).then(() => {
      isQuiet = true
    })
    await soon()
    expect([log, isQuiet]).toEqual([['pause'], false])
    end()
    await Promise.all([short, quiet])
    turnstile.join({ pause: () => log.push('late one pauses'), goOn: () => log.push('late one goes on') })
    const late = turnstile.beside(async () => log.push('short'))
    await soon()
    expect(log).toEqual(['pause', 'late one pauses'])
    await turnstile.letOthersMeasure(false)
    await late
    expect(log).toEqual(['pause', 'late one pauses', 'go on', 'late one goes on', 'short'])
  })

  test('hears late that the others are through: what this one measures stays alone', async () => {
    const log: string[] = []
    const turnstile = new Turnstile()
    turnstile.join({ pause: () => log.push('pause'), goOn: () => log.push('go on') })
    await turnstile.letOthersMeasure(true)
    await turnstile.alone(async () => {
      await turnstile.letOthersMeasure(false)
      log.push('measured')
    })
    expect(log).toEqual(['pause', 'pause', 'measured', 'go on'])
  })
})
