import { computed, ref, shallowRef, triggerRef, type Ref } from 'vue'

/** A line of a long list: the head of a group, or a row at a place of it. */
export type Line<Key, Group> =
  { kind: 'group'; key: Key; group: Group; count: number } | { kind: 'row'; key: Key; index: number }

/** Rows that belong together under a head. */
export interface LineGroup<Key, Group> {
  key: Key
  group: Group
  count: number
}

const pageSize = 100
/** Lists of up to so many rows are shown with all groups open. */
const openAllUpTo = 400

export interface Lines<Row, Key, Group> {
  lines: Readonly<Ref<readonly Line<Key, Group>[]>>
  total: Readonly<Ref<number>>
  isOpen(key: Key): boolean
  /** Opens or closes a group; turns it without a second word. */
  turn(key: Key, open?: boolean): void
  /** Null while it was not fetched. */
  rowOf(line: Line<Key, Group>): Row | null
  /** Fetches what some lines need that is not there yet. */
  need(seen: readonly Line<Key, Group>[]): void
  /** The lists are asked for anew: answers to earlier questions no longer count. @returns a mark for `renew` */
  begin(): number
  /** Whether no later question was begun. */
  isLatest(mark: number): boolean
  /** What is on screen is fetched anew; rows stay as they are until the answer is there, and those beyond are fetched when they come into view. Ends when it is there. */
  renew(): Promise<void>
}

/**
 * A list of any length in groups, of which only what is looked at is fetched, a page at a time.
 * @param groups in their order
 * @param fetch asks for some rows of a group
 * @param failed told when a page cannot be fetched
 * @param hasHeads whether groups have heads; without, all rows of all groups follow each other
 */
export function useLines<Row, Key, Group>(
  groups: Readonly<Ref<readonly LineGroup<Key, Group>[]>>,
  fetch: (key: Key, offset: number, limit: number) => Promise<readonly Row[]>,
  failed: (error: Error) => void,
  hasHeads: Readonly<Ref<boolean>> = ref(true),
): Lines<Row, Key, Group> {
  /** Groups whose state differs from the usual one. */
  const turned = ref(new Set<Key>()) as Ref<Set<Key>>
  const rows = shallowRef(new Map<string, Row>())
  const asked = new Set<string>()
  let version = 0
  let lastSeen: readonly Line<Key, Group>[] = []

  const total = computed(() => groups.value.reduce((sum, group) => sum + group.count, 0))
  const usuallyOpen = computed(() => total.value <= openAllUpTo)
  const isOpen = (key: Key) => !hasHeads.value || usuallyOpen.value !== turned.value.has(key)
  const lines = computed(() => {
    const all: Line<Key, Group>[] = []
    for (const { key, group, count } of groups.value) {
      if (hasHeads.value) all.push({ kind: 'group', key, group, count })
      if (isOpen(key)) for (let index = 0; index < count; index++) all.push({ kind: 'row', key, index })
    }
    return all
  })
  const placeOf = (key: Key, index: number) => `${String(key)}:${index}`

  async function fetchPage(key: Key, page: number): Promise<void> {
    const name = `${String(key)}:${page}`
    if (asked.has(name)) return
    asked.add(name)
    const mine = version
    try {
      const fetched = await fetch(key, page * pageSize, pageSize)
      // The lists were asked for anew meanwhile; with their answer comes another request for this page.
      if (mine !== version) return
      // Changed in place and announced once: a copy of ten thousand rows for each page would be felt.
      fetched.forEach((row, index) => rows.value.set(placeOf(key, page * pageSize + index), row))
      triggerRef(rows)
    } catch (error) {
      asked.delete(name)
      if (mine === version) failed(error as Error)
    }
  }

  async function need(seen: readonly Line<Key, Group>[]): Promise<void> {
    lastSeen = seen
    const pages = new Map<string, [Key, number]>()
    for (const line of seen)
      if (line.kind === 'row') {
        const page = Math.floor(line.index / pageSize)
        pages.set(`${String(line.key)}:${page}`, [line.key, page])
      }
    await Promise.all([...pages.values()].map(([key, page]) => fetchPage(key, page)))
  }

  return {
    lines,
    total,
    isOpen,
    turn(key, open = !isOpen(key)) {
      if (open === isOpen(key)) return
      const next = new Set(turned.value)
      if (!next.delete(key)) next.add(key)
      turned.value = next
    },
    rowOf: line => (line.kind === 'row' ? (rows.value.get(placeOf(line.key, line.index)) ?? null) : null),
    need: seen => void need(seen),
    begin: () => ++version,
    isLatest: mark => mark === version,
    renew() {
      asked.clear()
      const stale = rows.value
      const isThere = need(lastSeen)
      const seen = new Set(lastSeen.flatMap(line => (line.kind === 'row' ? [placeOf(line.key, line.index)] : [])))
      rows.value = new Map([...stale].filter(([place]) => seen.has(place)))
      return isThere
    },
  }
}
