import {
  areOthersQuiet,
  doOthersMeasure,
  endMeasuringTurn,
  sayQuiet,
  takeMeasuringTurn,
  type EntityManager,
} from '@hematine/database'
import type { SharedMachine, Turnstile } from './turnstile.ts'

/** Between two looks whether it is this worker's turn, or the others are quiet. */
const lookMilliseconds = 100
/** Others that do not answer for so long are not waited for. */
const mostQuietingMilliseconds = 5000

const soon = () => new Promise(resolve => setTimeout(resolve, lookMilliseconds))

/** What a worker lends to agree with the others on its machine. */
interface OfWorker {
  em(): EntityManager
  host: string
  workerId(): string
  isStopping(): boolean
}

/** Agrees through the database with the other workers on a machine whose turn it is to measure. Without a database everybody goes on as if alone. */
export class MachineTurns implements SharedMachine {
  /** As which worker it said that it is quiet; null while it did not. */
  private quietAs: string | null = null

  constructor(private readonly of: OfWorker) {}

  async enter(): Promise<() => Promise<void>> {
    const { em, host, workerId, isStopping } = this.of
    const id = workerId()
    while (!isStopping() && !(await takeMeasuringTurn(em(), host, id).catch(() => true))) await soon()
    const begun = performance.now()
    while (
      !isStopping() &&
      performance.now() - begun < mostQuietingMilliseconds &&
      !(await areOthersQuiet(em(), host, id).catch(() => true))
    )
      await soon()
    const measured = performance.now()
    return () => endMeasuringTurn(em(), id, (performance.now() - measured) / 1000).catch(() => undefined)
  }

  /** Pauses work here while another worker measures, and says so once all is quiet. */
  async obey(turnstile: Turnstile): Promise<void> {
    const { em, host, workerId } = this.of
    const id = workerId()
    const doMeasure = await doOthersMeasure(em(), host, id)
    const quiet = turnstile.letOthersMeasure(doMeasure)
    if (doMeasure) {
      // A short task may take its time, and must not put off that work goes on.
      void quiet.then(() => (turnstile.isQuietForOthers ? this.say(id, true) : undefined)).catch(() => undefined)
    } else if (this.quietAs === id) await this.say(id, false)
  }

  private async say(id: string, isQuiet: boolean): Promise<void> {
    this.quietAs = isQuiet ? id : null
    await sayQuiet(this.of.em(), id, isQuiet)
  }
}
