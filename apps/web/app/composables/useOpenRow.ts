import { nextTick, type Ref } from 'vue'

/**
 * A table of rows of which one is open: attributes for the rows, and keys that go through them. Up and down open the row before or
 * after, Space does to the open one what `onSpace` does (usually select it).
 * @param rows what the table shows, in its order
 */
export function useOpenRow<Row extends { id: number }>(
  rows: Readonly<Ref<readonly Row[]>>,
  open: Ref<number | null>,
  onSpace: (id: number) => void,
) {
  async function onKey(event: KeyboardEvent): Promise<void> {
    const target = event.target as HTMLElement
    if (event.altKey || event.ctrlKey || event.metaKey || target.tagName === 'INPUT' || target.tagName === 'BUTTON')
      return
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      event.preventDefault()
      const at = rows.value.findIndex(row => row.id === open.value) + (event.key === 'ArrowDown' ? 1 : -1)
      const next = rows.value[Math.min(rows.value.length - 1, Math.max(0, at))]
      if (!next) return
      open.value = next.id
      await nextTick()
      const row = document.querySelector<HTMLElement>(`tr[data-row="${next.id}"]`)
      row?.focus()
      row?.scrollIntoView({ block: 'nearest' })
    } else if (event.key === ' ' && open.value !== null) {
      event.preventDefault()
      onSpace(open.value)
    }
  }

  function rowProps({ item }: { item: { id: number } }) {
    const isOpen = item.id === open.value
    return {
      'data-row': item.id,
      class: { open: isOpen },
      'aria-current': isOpen ? 'true' : undefined,
      // One row takes the focus from outside; the arrow keys go on from there.
      tabindex: item.id === (open.value ?? rows.value[0]?.id) ? 0 : -1,
      onClick: () => {
        open.value = item.id
      },
    }
  }

  return { onKey, rowProps }
}

/** Takes a number into a list of chosen ones, or out of it. */
export function toggled(chosen: readonly number[], id: number): number[] {
  return chosen.includes(id) ? chosen.filter(other => other !== id) : [...chosen, id]
}
