import { createReadStream } from 'node:fs'
import { stat } from 'node:fs/promises'
import { getRequestHeader, sendStream, setResponseHeaders, setResponseStatus, type H3Event } from 'h3'
import { parseRange } from './byte-range'
import { RequestProblem } from './problems'

/** Sets the answer up for bytes of which a range may be asked for. @returns the range, or null for all. @throws RequestProblem 416 when no byte of it exists */
export function beginRanged(
  event: H3Event,
  size: number,
  headers: Record<string, string>,
): { start: number; end: number } | null {
  const range = parseRange(getRequestHeader(event, 'range'), size)
  if (range === 'outside') throw new RequestProblem(416, 'bad-range', `The file has ${size} bytes.`)
  setResponseHeaders(event, {
    ...headers,
    'accept-ranges': 'bytes',
    'content-length': range ? range.end - range.start + 1 : size,
  })
  if (range) {
    setResponseStatus(event, 206)
    setResponseHeaders(event, { 'content-range': `bytes ${range.start}-${range.end}/${size}` })
  }
  return range
}

/** Sends a file, or the range of it that was asked for. */
export async function sendFile(event: H3Event, file: string, headers: Record<string, string>): Promise<void> {
  const range = beginRanged(event, (await stat(file)).size, headers)
  return sendStream(event, createReadStream(file, range ?? {}))
}
