import { defineEventHandler, getRequestHeader, setResponseHeaders } from 'h3'
import { answersTo } from '../utils/names'
import { contentPolicy } from '../utils/content-policy'
import { RequestProblem } from '../utils/problems'

/**
 * Headers for every answer; only names that are this server's are answered to, so that another site cannot have its own name lead here; and requests that
 * change something are taken from this application's own pages only.
 */
export default defineEventHandler(event => {
  setResponseHeaders(event, {
    'content-security-policy': contentPolicy([]),
    'x-content-type-options': 'nosniff',
    'referrer-policy': 'no-referrer',
    'x-frame-options': 'DENY',
    'cross-origin-resource-policy': 'same-origin',
  })
  const host = getRequestHeader(event, 'host') ?? ''
  if (!answersTo(`http://${host}`) && !answersTo(`https://${host}`))
    throw new RequestProblem(
      421,
      'wrong-host',
      'This server does not answer to that name. Open it by the address that its start command printed, or add the name to the setting HEMATINE_NAMES.',
    )
  if (event.method === 'GET' || event.method === 'HEAD' || event.method === 'OPTIONS') return
  const origin = getRequestHeader(event, 'origin')
  if (!origin) return
  const isOwn = answersTo(origin) && origin.replace(/^https?:\/\//, '') === host
  if (!isOwn) throw new RequestProblem(403, 'foreign-origin', 'Another site may not change anything here.')
})
