/** A request that cannot be done as things are. `message` is a sentence for the person who asked; `status` the fitting HTTP one. */
export class Problem extends Error {
  constructor(
    readonly status: 400 | 404 | 409 | 413 | 422 | 503 | 507,
    readonly code: string,
    message: string,
  ) {
    super(message)
    this.name = 'Problem'
  }
}

/** Passes a found row on. @throws Problem 404 when there is none */
export function found<T>(row: T | null, what: string, id: number | string): T {
  if (row === null)
    throw new Problem(404, 'not-found', `There is no ${what} ${id}. It may have been removed; reload the page.`)
  return row
}
