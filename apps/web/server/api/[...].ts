import { defineEventHandler } from 'h3'
import { RequestProblem } from '../utils/problems'

/** Whatever no route answers: said as a problem, and not with the application's page. */
export default defineEventHandler(event => {
  throw new RequestProblem(
    404,
    'not-found',
    `There is nothing at this address for ${event.method}. See /api/openapi.json for what there is.`,
  )
})
