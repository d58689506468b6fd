import { DraftingProgress, LiveChange } from '#shared/api'
import { readable } from '#shared/readable'
import { addressOf, databaseAway, tellLeftOut } from '~/composables/useCall'

/** What the stream of an order's changes leads to. */
export interface LinkEnds {
  /** Something may have been missed: everything is fetched anew. */
  reload(): void
  change(change: LiveChange): void
  drafting(progress: DraftingProgress): void
  connected(is: boolean): void
}

/** The stream of an order's changes. @returns a function that closes it; nothing of it is heard afterwards */
export function link(orderId: number, ends: LinkEnds): () => void {
  const source = new EventSource(addressOf('liveChanges', { query: { orderId } }))
  let isBroken = false
  const hear = (name: string, take: (data: unknown) => void) =>
    source.addEventListener(name, event => {
      const { data } = event as MessageEvent<string | undefined>
      take(data === undefined ? null : JSON.parse(data))
    })
  hear('ready', () => {
    ends.connected(true)
    // What happened while the line was down is fetched, not guessed.
    if (isBroken) ends.reload()
    isBroken = false
  })
  source.addEventListener('error', () => {
    ends.connected(false)
    isBroken = true
  })
  hear('away', () => {
    databaseAway.value = true
  })
  hear('reload', () => ends.reload())
  hear('change', data => {
    const { answer: change, leftOut } = readable(LiveChange, data)
    tellLeftOut(leftOut)
    ends.change(change)
  })
  hear('drafting', data => ends.drafting(DraftingProgress.parse(data)))
  return () => source.close()
}
