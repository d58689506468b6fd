import { nextTick, type Ref } from 'vue'

/**
 * Arrow keys in a table of rows: up and down open the row before or after, Space selects it.
 * @param rows what the table shows, in its order
 */
export function useRowKeys<Row extends { id: number }>(rows: Ref<readonly Row[]>, open: Ref<number | null>, toggle: (id: number) => void) {
  return async (event: KeyboardEvent): Promise<void> => {
    const target = event.target as HTMLElement
    if (event.altKey || event.ctrlKey || event.metaKey || target.tagName === 'INPUT' || target.tagName === 'BUTTON') return
    const at = rows.value.findIndex(row => row.id === open.value)
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      event.preventDefault()
      const next = rows.value[Math.min(rows.value.length - 1, Math.max(0, at + (event.key === 'ArrowDown' ? 1 : -1)))]
      if (!next) return
      open.value = next.id
      await nextTick()
      const row = document.querySelector<HTMLElement>(`tr[data-row="${next.id}"]`)
      row?.focus()
      row?.scrollIntoView({ block: 'nearest' })
    } else if (event.key === ' ' && open.value !== null) {
      event.preventDefault()
      toggle(open.value)
    }
  }
}
