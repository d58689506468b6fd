import { randomBytes } from 'node:crypto'
import { send, setResponseHeader, setResponseStatus, type H3Error, type H3Event } from 'h3'
import { useLog } from './utils/log'
import { errorBody, RequestProblem } from './utils/problems'

const plain: Record<number, [code: string, message: string]> = {
  404: ['not-found', 'There is nothing at this address. See /api/openapi.json for what there is.'],
  405: ['wrong-method', 'This address does not take that method. See /api/openapi.json for what it takes.'],
}

/** Answers every error in the one shape; what is not the asker's fault is logged, and its inside is not shown. */
export default function answerError(error: H3Error, event: H3Event): Promise<void> {
  const cause = error.cause instanceof RequestProblem ? error.cause : error instanceof RequestProblem ? error : null
  const status = cause?.statusCode ?? error.statusCode ?? 500
  const number = randomBytes(4).toString('hex')
  const [code, message] =
    plain[status] ??
    (status < 500
      ? ['bad-request', 'The request cannot be answered as it is.']
      : [
          'internal',
          `This was not done: Hematine met an error that it does not know. Try again; if it stays, the server's log says more under number ${number}.`,
        ])
  if (status >= 500 && !cause)
    useLog().error(
      { number, address: event.path, error: String((error.cause as Error | undefined)?.stack ?? error.stack ?? error) },
      'a request failed',
    )
  setResponseStatus(event, status)
  setResponseHeader(event, 'content-type', 'application/json; charset=utf-8')
  return send(event, JSON.stringify(errorBody(status, cause?.code ?? code, cause?.message ?? message, cause?.details)))
}
