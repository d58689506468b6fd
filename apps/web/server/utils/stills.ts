import { fork, type ChildProcess } from 'node:child_process'
import path from 'node:path'
import type { StillAnswer, StillQuestion, StillRequest } from '@hematine/media/previews/stills-process'
import { RequestProblem } from './problems'

const keptBytes = 96_000_000
const patienceMilliseconds = 60_000

/** Single frames, or pieces of proxies, made by a process of their own and kept for a while, so that stepping back is quick. */
export class Stills {
  private child: ChildProcess | null = null
  private lastId = 0
  private readonly waiting = new Map<number, { take: (answer: StillAnswer) => void }>()
  private readonly asked = new Map<string, Promise<Buffer>>()
  /** Answers by request, the one unused for longest first. */
  private readonly kept = new Map<string, Buffer>()
  private bytes = 0

  constructor(private readonly buildDirectory: string | null) {}

  /** PNG of a frame, or MP4 of a proxy's piece. @throws RequestProblem 422 with the reason when there is none */
  async make(request: StillRequest): Promise<Buffer> {
    const key = JSON.stringify(request)
    const kept = this.kept.get(key)
    if (kept) {
      this.kept.delete(key)
      this.kept.set(key, kept)
      return kept
    }
    const asked =
      this.asked.get(key) ??
      this.ask(request)
        .then(data => this.keep(key, data))
        .finally(() => this.asked.delete(key))
    this.asked.set(key, asked)
    return asked
  }

  private keep(key: string, data: Buffer): Buffer {
    this.kept.set(key, data)
    this.bytes += data.length
    for (const [oldest, buffer] of this.kept) {
      if (this.bytes <= keptBytes) break
      this.kept.delete(oldest)
      this.bytes -= buffer.length
    }
    return data
  }

  close(): void {
    this.child?.kill('SIGKILL')
  }

  private ask(request: StillRequest): Promise<Buffer> {
    const id = ++this.lastId
    const child = this.process()
    return new Promise<Buffer>((resolve, reject) => {
      const impatient = setTimeout(() => child.kill('SIGKILL'), patienceMilliseconds)
      this.waiting.set(id, {
        take: ({ data, reason }) => {
          clearTimeout(impatient)
          if (!data) return reject(new RequestProblem(422, 'no-frame', reason ?? 'The frame cannot be shown.'))
          resolve(Buffer.from(data))
        },
      })
      child.send({ id, request } satisfies StillQuestion)
    })
  }

  private process(): ChildProcess {
    if (this.child) return this.child
    if (!this.buildDirectory)
      throw new RequestProblem(
        503,
        'not-built',
        'Frames cannot be shown: the application was not started with "npm start".',
      )
    const child = fork(path.join(this.buildDirectory, 'stills/stills-process.mjs'), [], {
      serialization: 'advanced',
      stdio: ['ignore', 'ignore', 'ignore', 'ipc'],
    })
    child.on('message', (answer: StillAnswer) => {
      this.waiting.get(answer.id)?.take(answer)
      this.waiting.delete(answer.id)
    })
    child.on('exit', () => {
      if (this.child === child) this.child = null
      for (const { take } of this.waiting.values())
        take({
          id: 0,
          data: null,
          reason: 'The process that decodes frames broke off at this one. The file is probably damaged here.',
        })
      this.waiting.clear()
    })
    this.child = child
    return child
  }
}
