/** Before what failed for the database's sake is tried again. */
const waitMilliseconds = 1000

/** PostgreSQL's classes of errors that pass by themselves: connections (08), shutdowns and restarts (57P), rolled back for another's sake (40), no room at the moment (53). */
const passing = /^(08|57P|40|53)/
/** What the driver, the pool and the network say when no answer came. */
const noAnswer =
  /ECONN(REFUSED|RESET|ABORTED)|EPIPE|ETIMEDOUT|Connection terminated|Connection ended|timeout.*(acquiring|exceeded when trying to connect)|Timeout acquiring a connection|Client has encountered a connection error|not queryable/i

/** Whether an error means that the database is away for a while, and not that what was asked of it is wrong. */
export function isAway(error: unknown): boolean {
  for (
    let cause: unknown = error;
    cause instanceof Error;
    cause = cause.cause ?? (cause as { previous?: unknown }).previous
  ) {
    const { code, message } = cause as Error & { code?: unknown }
    if (typeof code === 'string' && passing.test(code)) return true
    if (noAnswer.test(message) || (typeof code === 'string' && noAnswer.test(code))) return true
    if (cause instanceof AggregateError && cause.errors.some(isAway)) return true
  }
  return false
}

export interface Patience {
  /** Errors after which it is tried again; those of a database that is away, unless said otherwise. */
  retries?: (error: unknown) => boolean
  /** Asked before each further try; the error is thrown when it says so. */
  givesUp?: () => boolean
  onWait?: (error: unknown) => void
}

/** Does something with the database, and does it again, for as long as it takes, while the database is away. What is done must bear being done twice. */
export async function patiently<Result>(
  work: () => Promise<Result>,
  { retries = isAway, givesUp = () => false, onWait = () => undefined }: Patience = {},
): Promise<Result> {
  for (;;) {
    try {
      return await work()
    } catch (error) {
      if (!retries(error) || givesUp()) throw error
      onWait(error)
      await new Promise(resolve => setTimeout(resolve, waitMilliseconds))
    }
  }
}
