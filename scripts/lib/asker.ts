/** Asks an application that runs, by its routes: what is sent makes it a POST, unless said. Whoever uses it throws on what is refused, with the answer's own words. */
export function askerOf({ address }: { address: string }) {
  return async <Answer>(route: string, body?: unknown, method: 'POST' | 'PATCH' = 'POST'): Promise<Answer> => {
    const response = await fetch(
      address + route,
      body === undefined ? {} : { method, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) },
    )
    if (!response.ok) throw new Error(`${route}: ${await response.text()}`)
    // Some answers have no body.
    return (response.status === 204 ? undefined : await response.json()) as Answer
  }
}
