import { open } from 'node:fs/promises'

/** Bytes after which what was written is handed to the disk. */
const step = 32_000_000

/**
 * Hands a file that grows quickly to its disk while it grows, so that the disk does not wait until all of it is there: a result is written through before it
 * is placed, and of one that is only copied that takes as long as the rest.
 */
export class EarlyFlush {
  private handed = 0
  private running: Promise<void> | null = null

  constructor(private readonly path: string) {}

  /** Told how many bytes the file has. */
  note(bytes: number): void {
    if (this.running || bytes - this.handed < step) return
    this.handed = bytes
    this.running = this.flush().finally(() => (this.running = null))
  }

  /** What goes wrong here goes wrong again when the whole is written through, and is told then. */
  private async flush(): Promise<void> {
    try {
      const file = await open(this.path, 'r')
      await file.datasync().finally(() => file.close())
    } catch {
      // See above.
    }
  }

  async end(): Promise<void> {
    await this.running
  }
}
