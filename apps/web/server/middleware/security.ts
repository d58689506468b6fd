import { defineEventHandler, getRequestHeader, setResponseHeaders } from 'h3'
import { RequestProblem } from '../utils/problems'

const policy = [
  'default-src \'self\'', 'img-src \'self\' data: blob:', 'style-src \'self\' \'unsafe-inline\'', 'script-src \'self\' \'unsafe-inline\'', 'font-src \'self\'',
  'connect-src \'self\'', 'object-src \'none\'', 'base-uri \'self\'', 'form-action \'self\'', 'frame-ancestors \'none\'',
].join('; ')

/** Headers for every answer; and requests that change something are taken from this application's own pages only. */
export default defineEventHandler(event => {
  setResponseHeaders(event, { 'content-security-policy': policy, 'x-content-type-options': 'nosniff', 'referrer-policy': 'no-referrer', 'x-frame-options': 'DENY', 'cross-origin-resource-policy': 'same-origin' })
  if (event.method === 'GET' || event.method === 'HEAD' || event.method === 'OPTIONS') return
  const origin = getRequestHeader(event, 'origin')
  if (origin && origin.replace(/^https?:\/\//, '') !== getRequestHeader(event, 'host')) throw new RequestProblem(403, 'foreign-origin', 'Another site may not change anything here.')
})
