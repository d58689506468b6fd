<script
  setup
  lang="ts"
  generic="Row extends { id: number }, Key extends number | string | null, Group, Sort extends string"
>
import { useVirtualList } from '@vueuse/core'
import { computed, nextTick, ref, watch } from 'vue'
import type { LongColumn } from '~/composables/long-column'
import type { Line, Lines } from '~/composables/useLines'

/** Groups and their rows as one long table. Only the lines in view are in the page; only what is in view is fetched. */
const {
  list: source,
  columns,
  label,
  rowsName,
  rowName,
  groupName,
  idsOf = null,
  sort,
  descending,
  rowAttributes = () => ({}),
  groupAttributes = () => ({}),
} = defineProps<{
  list: Lines<Row, Key, Group>
  columns: readonly LongColumn<Sort>[]
  label: string
  /** What its rows are: "sources". */
  rowsName: string
  /** What a row, or a group, is called for those who hear it. */
  rowName: (row: Row) => string
  groupName: (group: Group) => string
  /** Numbers of a group's rows, or of all; without it nothing can be chosen. */
  idsOf?: ((key: Key | undefined) => Promise<number[]>) | null
  sort: Sort
  descending: boolean
  rowAttributes?: (row: Row, index: number) => Record<string, unknown>
  groupAttributes?: (key: Key) => Record<string, unknown>
}>()
const open = defineModel<number | null>('open', { default: null })
const selected = defineModel<Set<number>>('selected', { default: () => new Set<number>() })
const emit = defineEmits<{
  sort: [key: Sort]
  /** A key that the table has no use for, on a line. */
  key: [event: KeyboardEvent, line: Line<Key, Group>, index: number]
  /** A row that was double-clicked, or on which Enter was pressed. */
  enter: [row: Row]
}>()
defineSlots<{
  /** The cells of a group's head after the box that chooses it. */
  group(line: { group: Group; of: Key; count: number; isOpen: boolean }): unknown
  /** The cells of a row after the box that chooses it. */
  row(line: { row: Row; index: number }): unknown
}>()

const rowHeight = 30
const lines = computed(() => [...source.lines.value])
const { list, containerProps, wrapperProps, scrollTo } = useVirtualList(lines, { itemHeight: rowHeight, overscan: 6 })
watch([list, lines], () => source.need(list.value.map(entry => entry.data)), { immediate: true })
const template = computed(() => [...(idsOf ? ['24px'] : []), ...columns.map(column => column.width)].join(' '))

/** The line that the keys act on. */
const at = ref(0)
const lastChosen = ref<number | null>(null)
// A group that changes its place, because something was measured or moved elsewhere, takes the keys and the focus with it: they must not act on another.
watch(lines, (now, before) => {
  const was = before[at.value]
  if (was?.kind !== 'group') return
  const place = now.findIndex(line => line.kind === 'group' && line.key === was.key)
  if (place < 0 || place === at.value) return
  at.value = place
  const container = containerProps.ref.value
  if (!container?.contains(document.activeElement)) return
  void nextTick(() => container.querySelector<HTMLElement>(`[data-line="${place}"]`)?.focus({ preventScroll: true }))
})
const rowAt = (index: number) => {
  const line = lines.value[index]
  return line ? source.rowOf(line) : null
}

/** Numbers of the rows on two lines and between them; those not fetched yet are left out. */
function between(a: number, b: number): number[] {
  return lines.value.slice(Math.min(a, b), Math.max(a, b) + 1).flatMap(line => source.rowOf(line)?.id ?? [])
}

function change(ids: readonly number[], choose: boolean): void {
  const next = new Set(selected.value)
  for (const id of ids) {
    if (choose) next.add(id)
    else next.delete(id)
  }
  selected.value = next
}

function choose(index: number, range: boolean): void {
  const row = rowAt(index)
  if (!row || !idsOf) return
  if (range && lastChosen.value !== null) change(between(lastChosen.value, index), true)
  else change([row.id], !selected.value.has(row.id))
  lastChosen.value = index
}

async function chooseGroup(key: Key, chosen?: boolean): Promise<void> {
  const ids = await idsOf?.(key)
  if (ids) change(ids, chosen ?? !ids.every(id => selected.value.has(id)))
}

async function chooseAll(): Promise<void> {
  if (!idsOf) return
  selected.value = selected.value.size === source.total.value ? new Set() : new Set(await idsOf(undefined))
}

function go(index: number): void {
  at.value = Math.min(lines.value.length - 1, Math.max(0, index))
  const row = rowAt(at.value)
  if (row) open.value = row.id
  // The list scrolls only as far as it must.
  const container = containerProps.ref.value
  if (!container) return
  const [top, bottom] = [at.value * rowHeight, (at.value + 1) * rowHeight]
  if (top < container.scrollTop) scrollTo(at.value)
  else if (bottom > container.scrollTop + container.clientHeight) container.scrollTop = bottom - container.clientHeight
  void nextTick(() => container.querySelector<HTMLElement>(`[data-line="${at.value}"]`)?.focus({ preventScroll: true }))
}
defineExpose({ go, at })

function onKey(event: KeyboardEvent): void {
  const target = event.target as HTMLElement
  if (target.tagName === 'BUTTON' || (target.tagName === 'INPUT' && event.key === ' ')) return
  const line = lines.value[at.value]
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'a' && idsOf) {
    event.preventDefault()
    void chooseAll()
    return
  }
  if (!line) return
  if (event.ctrlKey || event.metaKey || event.altKey) return emit('key', event, line, at.value)
  const pageful = Math.max(1, Math.floor((containerProps.ref.value?.clientHeight ?? 300) / rowHeight) - 1)
  const steps: Record<string, number> = {
    ArrowDown: 1,
    ArrowUp: -1,
    PageDown: pageful,
    PageUp: -pageful,
    Home: -lines.value.length,
    End: lines.value.length,
  }
  const step = steps[event.key]
  if (step !== undefined) {
    event.preventDefault()
    const from = at.value
    go(at.value + step)
    if (event.shiftKey && idsOf) change(between(from, at.value), true)
  } else if (event.key === 'ArrowRight' && line.kind === 'group') {
    source.turn(line.key, true)
  } else if (event.key === 'ArrowLeft') {
    event.preventDefault()
    if (line.kind === 'group') source.turn(line.key, false)
    else go(lines.value.findIndex(entry => entry.kind === 'group' && entry.key === line.key))
  } else if (event.key === 'Enter') {
    event.preventDefault()
    if (line.kind === 'group') source.turn(line.key)
    else if (rowAt(at.value)) emit('enter', rowAt(at.value)!)
  } else if (event.key === ' ' && idsOf) {
    event.preventDefault()
    if (line.kind === 'row') choose(at.value, event.shiftKey)
    else void chooseGroup(line.key)
  } else {
    emit('key', event, line, at.value)
  }
}

function clickGroup(index: number, key: Key): void {
  at.value = index
  source.turn(key)
}

/** The row that the pointer went down on, and where. While it is down, a row may move elsewhere and another come under it. */
let pressed: { id: number; y: number } | null = null
const rowUnder = (event: Event) =>
  Number((event.target as HTMLElement).closest<HTMLElement>('[data-row]')?.dataset.row) || null
function press(event: PointerEvent): void {
  const id = rowUnder(event)
  pressed = id === null ? null : { id, y: event.clientY }
}

/** A click means the row that was pressed, wherever it is by now. */
function click(event: MouseEvent): void {
  const id = pressed && Math.abs(event.clientY - pressed.y) < rowHeight ? pressed.id : rowUnder(event)
  pressed = null
  if (id === null || (event.target as HTMLElement).closest('.group, button')) return
  const index = lines.value.findIndex(line => source.rowOf(line)?.id === id)
  if (index >= 0) {
    at.value = index
    if (event.shiftKey && lastChosen.value !== null) return choose(index, true)
    if (event.ctrlKey || event.metaKey) return choose(index, false)
    lastChosen.value = index
  }
  open.value = id
}
</script>

<template>
  <div
    class="long"
    role="treegrid"
    :aria-label="label"
    :aria-rowcount="lines.length + 1"
    :aria-multiselectable="idsOf ? 'true' : undefined"
    :style="{ '--columns': template }"
    @keydown="onKey"
  >
    <div class="line head" role="row" aria-rowindex="1">
      <span v-if="idsOf" role="columnheader"
        ><input
          type="checkbox"
          :aria-label="`Choose all ${rowsName}`"
          :checked="selected.size > 0 && selected.size >= source.total.value"
          :indeterminate="selected.size > 0 && selected.size < source.total.value"
          @change="chooseAll"
      /></span>
      <span
        v-for="column in columns"
        :key="column.key"
        role="columnheader"
        :class="{ end: column.end }"
        :aria-sort="
          column.sort !== null && sort === column.sort ? (descending ? 'descending' : 'ascending') : undefined
        "
      >
        <button v-if="column.sort !== null" type="button" @click="emit('sort', column.sort)">
          {{ column.name }}<span aria-hidden="true">{{ sort === column.sort ? (descending ? ' ▼' : ' ▲') : '' }}</span>
        </button>
        <template v-else>{{ column.name }}</template>
      </span>
    </div>
    <div v-bind="containerProps" class="body scroll" role="rowgroup" tabindex="-1" @pointerdown="press" @click="click">
      <div v-bind="wrapperProps" role="presentation">
        <template
          v-for="{ data: line, index } in list"
          :key="line.kind === 'group' ? `group-${line.key}` : `${line.key}:${line.index}`"
        >
          <div
            v-if="line.kind === 'group'"
            class="line group"
            role="row"
            aria-level="1"
            :aria-expanded="source.isOpen(line.key)"
            :aria-rowindex="index + 2"
            :data-line="index"
            :tabindex="index === at ? 0 : -1"
            v-bind="groupAttributes(line.key)"
            @click="clickGroup(index, line.key)"
            @focus="at = index"
          >
            <span v-if="idsOf" role="gridcell"
              ><input
                type="checkbox"
                tabindex="-1"
                :aria-label="`Choose all of ${groupName(line.group)}`"
                @click.stop
                @change="event => chooseGroup(line.key, (event.target as HTMLInputElement).checked)"
            /></span>
            <slot
              name="group"
              :group="line.group"
              :of="line.key"
              :count="line.count"
              :is-open="source.isOpen(line.key)"
            />
          </div>
          <template v-for="row in [source.rowOf(line)]" v-else :key="row?.id ?? 'empty'">
            <div
              v-if="row"
              class="line row"
              :class="{ open: row.id === open, chosen: selected.has(row.id) }"
              role="row"
              aria-level="2"
              :aria-rowindex="index + 2"
              :aria-selected="idsOf ? selected.has(row.id) : undefined"
              :aria-current="row.id === open ? 'true' : undefined"
              :data-line="index"
              :data-row="row.id"
              :tabindex="index === at ? 0 : -1"
              v-bind="rowAttributes(row, index)"
              @focus="at = index"
              @dblclick="emit('enter', row)"
            >
              <span v-if="idsOf" role="gridcell"
                ><input
                  type="checkbox"
                  tabindex="-1"
                  :aria-label="`Choose ${rowName(row)}`"
                  :checked="selected.has(row.id)"
                  @click.stop="event => choose(index, event.shiftKey)"
              /></span>
              <slot name="row" :row="row" :index="index" />
            </div>
            <div v-else class="line row" role="row" aria-level="2" :aria-rowindex="index + 2" :data-line="index">
              <span role="gridcell" class="muted all">loading</span>
            </div>
          </template>
        </template>
      </div>
    </div>
  </div>
</template>

<style scoped>
.long {
  flex: 1;
  min-height: 0;
  display: flex;
  flex-direction: column;
}
.line {
  display: grid;
  grid-template-columns: var(--columns);
  gap: 0 9px;
  align-items: center;
  height: 30px;
  padding: 0 10px;
  border-bottom: 1px solid var(--line);
  box-sizing: border-box;
}
.head {
  height: 28px;
  color: var(--muted);
  background: rgb(var(--v-theme-surface));
  flex: none;
  overflow: hidden;
  white-space: nowrap;
}
/* The head keeps room for the scroll bar too, so that columns stand under their names. */
.head,
.body {
  scrollbar-gutter: stable;
}
.head button {
  color: inherit;
}
.body {
  flex: 1;
}
.line.group {
  background: rgb(var(--v-theme-surface));
}
.line.row:hover,
.line.group:hover {
  background: var(--raised);
}
.line.open {
  background: var(--raised);
  box-shadow: inset 3px 0 0 var(--accent);
}
.line.chosen:not(.open) {
  box-shadow: inset 3px 0 0 var(--muted);
}
.line.over {
  outline: 2px solid var(--accent-text);
  outline-offset: -2px;
}
.line.before {
  box-shadow: inset 0 2px 0 var(--accent-text);
}
.end {
  text-align: right;
}
.all {
  grid-column: 1 / -1;
}
input {
  margin: 0;
}
</style>
