import { Problem } from '@hematine/database'
import { defineEventHandler, getRouterParam } from 'h3'
import { RequestProblem } from '../../../../utils/problems'
import { answerUpload } from '../../../../utils/uploads'

/** Uploads speak the tus protocol, which has its own rules for requests and answers. */
export default defineEventHandler(async event => {
  const volumeId = Number(getRouterParam(event, 'id'))
  if (!Number.isInteger(volumeId) || volumeId < 1)
    throw new RequestProblem(400, 'bad-request', 'The volume in the address must be a whole number.')
  try {
    await answerUpload(volumeId, event.node.req, event.node.res)
  } catch (error) {
    if (error instanceof Problem) throw new RequestProblem(error.status, error.code, error.message)
    throw error
  }
})
