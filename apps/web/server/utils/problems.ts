import type { ErrorBody } from '#shared/api'

/** A request that is answered with a problem; `message` is a sentence for a person. */
export class RequestProblem extends Error {
  constructor(
    readonly statusCode: number,
    readonly code: string,
    message: string,
    readonly details: ErrorBody['error']['details'] = [],
  ) {
    super(message)
    this.name = 'RequestProblem'
  }
}

/** The one shape in which every problem is answered. */
export function errorBody(
  status: number,
  code: string,
  message: string,
  details: ErrorBody['error']['details'] = [],
): ErrorBody {
  return { error: { status, code, message, details } }
}
