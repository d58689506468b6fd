import { createHash, randomBytes, scrypt, timingSafeEqual } from 'node:crypto'
import { mkdir, readFile, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { promisify } from 'node:util'
import { readSettings } from '@hematine/core'
import { clearSession, getRequestHeader, getRequestIP, setResponseHeader, useSession, type H3Event } from 'h3'
import { passphraseCode } from '#shared/api'
import { RequestProblem } from './problems'

/**
 * The one place where a request is let through. Without a passphrase everybody who reaches the server may use it; with one, browsers give it once and carry
 * a sealed cookie from then on, and programs send it with each request. People with roles would be told apart here.
 */

const derive = promisify(scrypt) as (secret: string, salt: Buffer, bytes: number) => Promise<Buffer>
const sessionName = 'hematine'
const sessionSeconds = 30 * 24 * 3600
/** Wrong passphrases that one address may give in a minute, and all together. */
const triesEach = 5
const triesInAll = 30
const minuteMilliseconds = 60_000

interface Lock {
  salt: Buffer
  hash: Buffer
  sealing: string
  tag: string
}

let lock: Promise<Lock | null> | null = null

async function makeLock(): Promise<Lock | null> {
  const { HEMATINE_PASSPHRASE: passphrase, HEMATINE_DATA_DIR: directory } = readSettings(process.env)
  if (!passphrase) return null
  const key = await sealingKey(directory)
  const salt = createHash('sha256').update(`passphrase ${key}`).digest()
  const hash = await derive(passphrase, salt, 32)
  // Sessions given under another passphrase end with it.
  return { salt, hash, sealing: key, tag: createHash('sha256').update(hash).digest('hex').slice(0, 16) }
}

/** Seals cookies; kept with the data, so that a restart does not ask everybody again. */
async function sealingKey(directory: string | undefined): Promise<string> {
  const fresh = randomBytes(32).toString('hex')
  if (!directory) return fresh
  const file = path.join(directory, 'session-key')
  try {
    const kept = (await readFile(file, 'utf8')).trim()
    if (kept.length >= 64) return kept
  } catch {
    // Made below.
  }
  await mkdir(directory, { recursive: true })
  await writeFile(file, fresh, { mode: 0o600 })
  return fresh
}

const failures: { at: number; address: string }[] = []

/** @throws RequestProblem 429 when too many wrong ones were given */
function countTries(event: H3Event, address: string): void {
  const since = Date.now() - minuteMilliseconds
  while (failures[0] && failures[0].at < since) failures.shift()
  if (failures.length < triesInAll && failures.filter(failure => failure.address === address).length < triesEach) return
  setResponseHeader(event, 'retry-after', 60)
  throw new RequestProblem(
    429,
    'too-many-tries',
    'Too many wrong passphrases were given. Wait a minute, then try again.',
  )
}

/** Tokens that were found right, by their hash, so that programs do not wait for the slow comparison each time. */
const known = new Set<string>()

async function isRight(event: H3Event, { salt, hash }: Lock, passphrase: string): Promise<boolean> {
  const short = createHash('sha256').update(passphrase).digest('hex')
  if (known.has(short)) return true
  const address = getRequestIP(event) ?? '?'
  countTries(event, address)
  if (!timingSafeEqual(await derive(passphrase, salt, 32), hash)) {
    failures.push({ at: Date.now(), address })
    return false
  }
  known.add(short)
  return true
}

const sessionOf = (event: H3Event, { sealing }: Lock) =>
  useSession<{ tag?: string }>(event, {
    password: sealing,
    name: sessionName,
    maxAge: sessionSeconds,
    cookie: { sameSite: 'strict', httpOnly: true, path: '/', secure: false },
  })

/** Lets a request to the interface through, or not. @throws RequestProblem 401 or 429 */
export async function letThrough(event: H3Event): Promise<void> {
  const now = await (lock ??= makeLock())
  if (!now) return
  const token = /^Bearer (.+)$/i.exec(getRequestHeader(event, 'authorization') ?? '')?.[1]
  if (token !== undefined && (await isRight(event, now, token))) return
  if (token === undefined && (await sessionOf(event, now)).data.tag === now.tag) return
  throw new RequestProblem(
    401,
    passphraseCode,
    'This Hematine asks for its passphrase. Give it in the browser, or send it as "Authorization: Bearer ..." with the request.',
  )
}

/** Takes the passphrase from a browser. @throws RequestProblem 401 or 429 */
export async function giveSession(event: H3Event, passphrase: string): Promise<void> {
  const now = await (lock ??= makeLock())
  if (!now) return
  if (!(await isRight(event, now, passphrase)))
    throw new RequestProblem(
      401,
      'wrong-passphrase',
      'That is not the passphrase. It is the value of HEMATINE_PASSPHRASE that the server was started with.',
    )
  await (await sessionOf(event, now)).update({ tag: now.tag })
}

/** Forgets that a browser gave the passphrase. */
export async function endSession(event: H3Event): Promise<void> {
  const now = await (lock ??= makeLock())
  if (now) await clearSession(event, { password: now.sealing, name: sessionName })
}
