import type { Change } from '@hematine/database'

/** Answers kept at once; beyond it the one read longest ago is dropped. */
const mostKept = 200

/**
 * Answers to lists that many callers ask for at once, kept until something in them changes. Reading an order's jobs whole costs tens of
 * milliseconds; with it, every browser but the first gets the same answer for nothing.
 */
export class KeptLists {
  private version = 0
  private readonly kept = new Map<string, { version: number; answer: Promise<unknown> }>()

  /** Notes what the database says has changed. */
  noteChange({ table }: Change): void {
    if (['job', 'source', 'sample', 'lot'].includes(table)) this.forget()
  }

  /** Everything is read anew: after a write of this server, whose announcement may still be on its way, or a gap in what was heard. */
  forget(): void {
    this.version++
    this.kept.clear()
  }

  /** The answer for a key, read once between two changes. A read that failed is not kept. */
  get<T>(key: string, read: () => Promise<T>): Promise<T> {
    const found = this.kept.get(key)
    if (found?.version === this.version) return found.answer as Promise<T>
    const entry = { version: this.version, answer: read() }
    entry.answer.catch(() => {
      if (this.kept.get(key) === entry) this.kept.delete(key)
    })
    this.kept.set(key, entry)
    if (this.kept.size > mostKept) this.kept.delete(this.kept.keys().next().value!)
    return entry.answer
  }
}
