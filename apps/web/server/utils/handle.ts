import { MissingAsset } from '@hematine/core'
import { isAway, Problem } from '@hematine/database'
import { VolumeProblem } from '@hematine/media/volumes/volume-files'
import {
  defineEventHandler,
  getQuery,
  getRouterParams,
  setResponseHeader,
  setResponseStatus,
  type EventHandler,
  type H3Event,
} from 'h3'
import type { z } from 'zod'
import { api, awayCode, type Route, type RouteName } from '#shared/api'
import { leftOutHeader, readable } from '#shared/readable'
import { useLog } from './log'
import { RequestProblem } from './problems'
import { useApplication, type Application } from './application'

type Parsed<Schema> = Schema extends z.ZodType ? z.output<Schema> : undefined
type Part<Name extends RouteName, Key extends 'parameters' | 'query' | 'body'> = (typeof api)[Name] extends {
  [key in Key]: infer Schema
}
  ? Parsed<Schema>
  : undefined
type Answer<Name extends RouteName> = (typeof api)[Name] extends { answer: infer Schema extends z.ZodType }
  ? z.input<Schema>
  : unknown

export interface Request<Name extends RouteName> {
  parameters: Part<Name, 'parameters'>
  query: Part<Name, 'query'>
  body: Part<Name, 'body'>
  event: H3Event
  application: Application
  /** Aborted when the caller leaves before the answer is there. */
  signal: AbortSignal
}

/** Room for the largest lookup table. */
const mostBodyBytes = 16_000_000

/** A route by its name in the interface's description: the request is checked before `work` sees it, the answer before it leaves. */
export function handle<Name extends RouteName>(
  name: Name,
  work: (request: Request<Name>) => Promise<Answer<Name>>,
): EventHandler {
  const route: Route = api[name]
  return defineEventHandler(async event => {
    const problems: { where: string; message: string }[] = []
    const parse = (schema: z.ZodType | undefined, value: unknown, where: string) => {
      if (!schema) return undefined
      const parsed = schema.safeParse(value)
      if (parsed.success) return parsed.data
      for (const issue of parsed.error.issues)
        problems.push({ where: [where, ...issue.path].join('.'), message: issue.message })
    }
    const parameters = parse(route.parameters, getRouterParams(event, { decode: true }), 'path')
    const query = parse(route.query, getQuery(event), 'query')
    const body = route.body ? parse(route.body, await readJson(event), 'body') : undefined
    if (problems.length > 0)
      throw new RequestProblem(
        400,
        'bad-request',
        `The request cannot be understood: ${problems.map(({ where, message }) => `${where} ${message}`).join('; ')}.`,
        problems,
      )

    const leaving = new AbortController()
    event.node.res.on('close', () => {
      if (!event.node.res.writableFinished) leaving.abort()
    })
    const application = await useApplication()
    const request = { parameters, query, body, event, application, signal: leaving.signal } as Request<Name>
    let answer: unknown
    try {
      answer = await work(request)
    } catch (error) {
      throw asRequestProblem(error, route.method !== 'get')
    } finally {
      // A caller sees what it has just written, before the database has announced it.
      if (route.method !== 'get') application.lists.forget()
    }
    if (route.status) setResponseStatus(event, route.status)
    if (!route.answer) return answer
    const { answer: read, leftOut } = readable(route.answer, answer)
    if (leftOut > 0) setResponseHeader(event, leftOutHeader, leftOut)
    if (leftOut > 0) useLog().error({ route: name, leftOut }, 'rows that cannot be read are left out of an answer')
    return read
  })
}

async function readJson(event: H3Event): Promise<unknown> {
  if (!(event.node.req.headers['content-type'] ?? '').startsWith('application/json'))
    throw new RequestProblem(415, 'not-json', 'The body must be JSON, with the content type application/json.')
  const text = await readBody(event)
  let body: unknown
  try {
    body = JSON.parse(text)
  } catch {
    throw new RequestProblem(400, 'not-json', 'The body is not valid JSON.')
  }
  // JSON may hold a character that the database cannot keep.
  if (text.includes('\\u0000') && holdsNul(body))
    throw new RequestProblem(
      400,
      'bad-request',
      'A text of the request holds the character NUL, which no name or path has. Leave it out.',
    )
  return body
}

/** How long what is still coming of a body is thrown away, so that its sender can read the answer, before the connection is taken away. */
const lingerMilliseconds = 2000

/** A connection that is taken away while its other side still sends may lose the answer that was on its way to it. */
function lingerAfterAnswer({ node: { req, res } }: H3Event): void {
  req.resume()
  res.once('finish', () => {
    if (req.complete) return
    const timer = setTimeout(() => req.socket.destroy(), lingerMilliseconds).unref()
    // Sent whole after all, the connection can be used again.
    req.once('end', () => clearTimeout(timer))
  })
}

/** Reads a body, counting its bytes as they come: a stated length may be missing, or wrong. */
async function readBody(event: H3Event): Promise<string> {
  const tooLarge = () => {
    lingerAfterAnswer(event)
    return new RequestProblem(413, 'too-large', 'The body is larger than 16 MB. Split the request.')
  }
  const { req } = event.node
  if (Number(req.headers['content-length'] ?? 0) > mostBodyBytes) throw tooLarge()
  return new Promise((resolve, reject) => {
    let pieces: Buffer[] = []
    let bytes = 0
    const take = (piece: Buffer) => {
      bytes += piece.length
      if (bytes <= mostBodyBytes) return void pieces.push(piece)
      pieces = []
      req.off('data', take)
      reject(tooLarge())
    }
    // Not by iterating: leaving an iteration early takes the connection away before it has been answered.
    req
      .on('data', take)
      .on('end', () => resolve(Buffer.concat(pieces).toString('utf8')))
      .on('error', reject)
  })
}

function holdsNul(value: unknown): boolean {
  if (typeof value === 'string') return value.includes('\0')
  return (
    typeof value === 'object' &&
    value !== null &&
    Object.entries(value).some(([key, entry]) => key.includes('\0') || holdsNul(entry))
  )
}

/** What the database says of requests that do not fit what is there now: two that were made at once, or a reference to what was just removed. */
const conflicts: Record<string, [status: number, code: string, message: string]> = {
  23505: [
    409,
    'conflict',
    'The same was made by somebody else a moment ago. Load the page again, then try again if it is still needed.',
  ],
  23503: [
    409,
    'conflict',
    'Something that this refers to was removed meanwhile, or is still needed by something else. Load the page again.',
  ],
  '40P01': [409, 'conflict', 'Somebody else changed the same things at this moment, so this was not done. Try again.'],
  40001: [409, 'conflict', 'Somebody else changed the same things at this moment, so this was not done. Try again.'],
  '22P05': [400, 'bad-request', 'A text of the request holds a character that cannot be kept. Leave it out.'],
  22021: [400, 'bad-request', 'A text of the request holds a character that cannot be kept. Leave it out.'],
  22003: [404, 'not-found', 'A number in the request is larger than any that there is. Load the page again.'],
}

/** Known problems with their status; anything else is passed on and becomes a plain 500. */
function asRequestProblem(error: unknown, changes: boolean): unknown {
  const conflict = conflicts[String((error as { code?: unknown }).code)]
  if (conflict) return new RequestProblem(...conflict)
  if (isAway(error))
    return new RequestProblem(
      503,
      awayCode,
      `The database does not answer at the moment; it is being started again. ${changes ? 'See whether this was done before you ask for it again.' : 'The page asks again by itself.'}`,
    )
  if (error instanceof Problem) return new RequestProblem(error.status, error.code, error.message)
  if (error instanceof VolumeProblem)
    return new RequestProblem(
      error.code === 'outside' ? 403 : error.code === 'missing' || error.code === 'away' ? 404 : 409,
      `volume-${error.code}`,
      error.message,
    )
  if (error instanceof MissingAsset) return new RequestProblem(409, 'missing-asset', error.message)
  return error
}
