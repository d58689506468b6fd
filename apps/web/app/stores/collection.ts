import { shallowRef, type ShallowRef } from 'vue'
import { askingOrder } from '~/composables/askingOrder'

/** Rows of one kind as the server has them: fetched whole, then kept up to date by what it tells. */
export interface Collection<Row> {
  rows: ShallowRef<readonly Row[]>
  /** Fetches the rows of an order; null empties it. An answer that comes after a later call is dropped. @throws what the call throws */
  load(orderId: number | null): Promise<void>
  /** Takes in what the server's events tell: new and changed rows, and numbers of those that are gone. */
  tell(changed: readonly Row[], gone?: readonly number[]): void
  /** Asks the server something that answers with rows, and takes those in of which no event told meanwhile. @throws what the call throws */
  ask<Answer>(question: Promise<Answer>, rowsOf: (answer: Answer) => readonly Row[]): Promise<Answer>
}

/**
 * A collection. An answer to a call may have been read before an event and be there after it: what an event told of meanwhile is newer, and
 * every change is told of in the end, so that what was told of since a call began is kept.
 * @param fetch asks for all rows of an order
 * @param compare the order that the rows are kept in
 */
export function collection<Row extends { id: number }>(
  fetch: (orderId: number) => Promise<readonly Row[]>,
  compare: (a: Row, b: Row) => number,
): Collection<Row> {
  const rows = shallowRef<readonly Row[]>([])
  const toldAt = new Map<number, number>()
  let moment = 0
  const loading = askingOrder()
  let loadedFor: number | null = null

  const put = (fresh: readonly Row[]) => {
    const ids = new Set(fresh.map(row => row.id))
    rows.value = [...rows.value.filter(row => !ids.has(row.id)), ...fresh].sort(compare)
  }
  const isToldSince = (begun: number, id: number) => (toldAt.get(id) ?? 0) > begun

  return {
    rows,
    async load(orderId) {
      if (orderId !== loadedFor) loading.forget()
      loadedFor = orderId
      const [counts, begun] = [loading.ask(), moment]
      const fetched = orderId === null ? [] : await fetch(orderId)
      if (!counts()) return
      rows.value = [
        ...fetched.filter(row => !isToldSince(begun, row.id)),
        ...rows.value.filter(row => isToldSince(begun, row.id)),
      ].sort(compare)
    },
    tell(changed, gone = []) {
      if (changed.length + gone.length === 0) return
      moment++
      for (const { id } of changed) toldAt.set(id, moment)
      for (const id of gone) toldAt.set(id, moment)
      if (gone.length > 0) rows.value = rows.value.filter(row => !gone.includes(row.id))
      if (changed.length > 0) put(changed)
    },
    async ask(question, rowsOf) {
      const begun = moment
      const answer = await question
      put(rowsOf(answer).filter(row => !isToldSince(begun, row.id)))
      return answer
    },
  }
}

/** One value as the server last gave it. */
export interface Latest<Value> {
  value: ShallowRef<Value>
  /** @throws what the call throws */
  load(orderId: number | null): Promise<void>
}

/** @param fetch asks for the value; without an order it stays as it was at first */
export function latest<Value>(initial: Value, fetch: (orderId: number) => Promise<Value>): Latest<Value> {
  const value = shallowRef(initial) as ShallowRef<Value>
  const loading = askingOrder()
  let loadedFor: number | null = null
  let newest: Promise<void> = Promise.resolve()
  const ask = async (orderId: number | null): Promise<void> => {
    const counts = loading.ask()
    const fresh = orderId === null ? initial : await fetch(orderId)
    if (counts()) value.value = fresh
    // Whoever asked for another order's goes on when the value is there, and not with none.
    else await newest
  }
  return {
    value,
    load(orderId) {
      if (orderId !== loadedFor) loading.forget()
      loadedFor = orderId
      newest = ask(orderId)
      return newest
    },
  }
}
