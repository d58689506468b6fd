import { networkInterfaces } from 'node:os'
import { readSettings } from '@hematine/core'

/** Names of this machine that need no setting: itself, and every address that it has. */
function ownNames(): string[] {
  return [
    'localhost',
    ...Object.values(networkInterfaces())
      .flatMap(entries => entries ?? [])
      .map(({ address, family }) => (family === 'IPv6' ? `[${address.replace(/%.*$/, '')}]` : address)),
  ]
}

let named: { host: string; scheme: string | null; port: string | null }[] | null = null

function settingNames() {
  const { HEMATINE_HOST, HEMATINE_NAMES = [] } = readSettings(process.env)
  return [HEMATINE_HOST.includes(':') ? `[${HEMATINE_HOST}]` : HEMATINE_HOST.toLowerCase(), ...HEMATINE_NAMES].map(
    name => {
      const [, scheme, host, port] = /^(?:(https?):\/\/)?(\[.*\]|[^:]*)(?::(\d+))?$/.exec(name)!
      return { scheme: scheme ?? null, host: host!, port: port ?? null }
    },
  )
}

/**
 * Whether an origin ("http://farm:4180") is this server's own. Names that the settings give with a scheme hold for that scheme; all others for plain HTTP,
 * which is what the server itself speaks.
 */
export function answersTo(origin: string): boolean {
  let url: URL
  try {
    url = new URL(origin)
  } catch {
    return false
  }
  const scheme = url.protocol.slice(0, -1)
  const host = url.hostname.toLowerCase()
  named ??= settingNames()
  if (
    named.some(
      name =>
        name.host === host && (name.scheme ?? 'http') === scheme && (name.port === null || name.port === url.port),
    )
  )
    return true
  return scheme === 'http' && ownNames().includes(host)
}
