/**
 * A short queue between a producer and a consumer that run side by side: the producer waits while it is full, the
 * consumer while it is empty. An error of the producer comes out at the consumer.
 */
export class BoundedQueue<T> {
  private readonly items: T[] = []
  private ended = false
  private failure: unknown = null
  private wake: (() => void)[] = []

  constructor(private readonly limit: number) {}

  /** @returns false when the consumer has left and nothing more is wanted */
  async put(item: T): Promise<boolean> {
    while (this.items.length >= this.limit && !this.ended) await this.change()
    if (this.ended) return false
    this.items.push(item)
    this.changed()
    return true
  }

  /** The next item, or undefined at the end. */
  async take(): Promise<T | undefined> {
    while (this.items.length === 0 && !this.ended) await this.change()
    const item = this.items.shift()
    if (item === undefined && this.failure) throw this.failure
    this.changed()
    return item
  }

  end(failure: unknown = null): void {
    this.ended = true
    this.failure ??= failure
    this.changed()
  }

  /** Takes out what was never consumed, so that it can be freed. */
  remains(): T[] {
    return this.items.splice(0)
  }

  private change(): Promise<void> {
    return new Promise(resolve => this.wake.push(resolve))
  }

  private changed(): void {
    const waiting = this.wake
    this.wake = []
    for (const resolve of waiting) resolve()
  }
}
