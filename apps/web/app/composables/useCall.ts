import { ref } from 'vue'
import { api, awayCode, ErrorBody, passphraseCode, type Route, type RouteName } from '#shared/api'
import { leftOutHeader, readable } from '#shared/readable'
import type { z } from 'zod'

type Input<Name extends RouteName, Key extends 'parameters' | 'query' | 'body'> = (typeof api)[Name] extends {
  [key in Key]: infer Schema extends z.ZodType
}
  ? { [key in Key]: z.input<Schema> }
  : unknown
/** What a route wants from its caller. */
export type CallInput<Name extends RouteName> = Input<Name, 'parameters'> & Input<Name, 'query'> & Input<Name, 'body'>
export type CallAnswer<Name extends RouteName> = (typeof api)[Name] extends { answer: infer Schema extends z.ZodType }
  ? z.output<Schema>
  : undefined

/** A call that the server answered with a problem, or could not answer; the message is a sentence for the person. */
export class CallProblem extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
  ) {
    super(message)
  }
}

/** Address of a route with its parameters and query filled in. */
export function addressOf(
  name: RouteName,
  input: { parameters?: Record<string, unknown>; query?: Record<string, unknown> } = {},
): string {
  const path = api[name].path.replace(/\{(\w+)\}/g, (_, key: string) =>
    encodeURIComponent(String(input.parameters?.[key])),
  )
  const query = new URLSearchParams(
    Object.entries(input.query ?? {})
      .filter(([, value]) => value !== undefined)
      .map(([key, value]) => [key, String(value)]),
  )
  return query.size > 0 ? `${path}?${query}` : path
}

/** Whether the database is being started again; questions wait for it meanwhile. */
export const databaseAway = ref(false)
/** Whether the server asks for its passphrase before it answers anything. */
export const locked = ref(false)

const askAgainMilliseconds = 1000

/**
 * Calls a route; request and answer are checked by its schemas. A question that meets a database that is away is asked again until it is back.
 * @param signal leaves the call; what it was to do is not done, where the route says that it can be stopped
 * @throws CallProblem
 */
export async function call<Name extends RouteName>(
  name: Name,
  input: CallInput<Name>,
  signal?: AbortSignal,
): Promise<CallAnswer<Name>> {
  for (;;) {
    try {
      const answer = await callOnce(name, input, signal)
      databaseAway.value = false
      return answer
    } catch (error) {
      if (!(error instanceof CallProblem)) throw error
      if (error.code === passphraseCode) locked.value = true
      if (error.code !== awayCode) throw error
      databaseAway.value = true
      if (api[name].method !== 'get') throw error
      await new Promise(resolve => setTimeout(resolve, askAgainMilliseconds))
    }
  }
}

async function callOnce<Name extends RouteName>(
  name: Name,
  input: CallInput<Name>,
  signal: AbortSignal | undefined,
): Promise<CallAnswer<Name>> {
  const route: Route = api[name]
  const parts = input as { parameters?: Record<string, unknown>; query?: Record<string, unknown>; body?: unknown }
  let response: Response
  try {
    response = await fetch(addressOf(name, parts), {
      method: route.method.toUpperCase(),
      ...(signal ? { signal } : {}),
      ...(parts.body === undefined
        ? {}
        : { headers: { 'content-type': 'application/json' }, body: JSON.stringify(parts.body) }),
    })
  } catch {
    if (signal?.aborted) throw new CallProblem(0, 'stopped', 'Stopped: nothing was done.')
    throw new CallProblem(
      0,
      'no-answer',
      'The server does not answer. What you asked for was not done; try again when the connection is back.',
    )
  }
  if (!response.ok) throw await problemOf(response)
  if (!route.answer) return undefined as CallAnswer<Name>
  const { answer, leftOut } = readable(route.answer, await response.json())
  tellLeftOut(leftOut + Number(response.headers.get(leftOutHeader) ?? 0))
  return answer as CallAnswer<Name>
}

let hearLeftOut: (sentence: string) => void = () => undefined

/** Names who is told when rows of an answer could not be read. */
export function onLeftOut(hear: (sentence: string) => void): void {
  hearLeftOut = hear
}

/** Says that rows were left out, if any were. */
export function tellLeftOut(count: number): void {
  if (count > 0)
    hearLeftOut(
      `${count} ${count === 1 ? 'row' : 'rows'} could not be read and ${count === 1 ? 'is' : 'are'} left out; the others are shown. The server's log names the list.`,
    )
}

/** The problem that an answer describes. */
export async function problemOf(response: Response): Promise<CallProblem> {
  const body = ErrorBody.safeParse(await response.json().catch(() => null))
  return body.success
    ? new CallProblem(response.status, body.data.error.code, body.data.error.message)
    : new CallProblem(
        response.status,
        'unknown',
        `The server answered with status ${response.status} and no explanation. Try again.`,
      )
}
