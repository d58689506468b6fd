import type { OnTheWay, TaskProcess } from '../child-process.ts'
import type { Hands } from './kind.ts'

/** Keeps how far a measurement is, one report after the other, and ends it when it is no longer wanted. */
export class KeptParts {
  private keeping: Promise<unknown> = Promise.resolve()

  /** @param keep says whether the measurement is still wanted */
  constructor(
    private readonly hands: Pick<Hands, 'persist' | 'log'>,
    private readonly what: string,
    private readonly keep: (part: number) => Promise<boolean>,
  ) {}

  readonly onTheWay = (report: OnTheWay, task: TaskProcess): void => {
    if (report.say !== 'measuring') return
    this.keeping = this.keeping
      .then(async () => {
        if (!(await this.hands.persist(() => this.keep(report.part)))) task.stop()
      })
      .catch((error: Error) =>
        this.hands.log.error({ error: error.message }, `how far ${this.what} is could not be kept`),
      )
  }

  /** Waits until all that was told is kept. */
  async done(): Promise<void> {
    await this.keeping
  }
}
