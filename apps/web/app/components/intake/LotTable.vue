<script setup lang="ts">
import { describeBytes, describeClock, type SourceSort } from '@hematine/core'
import { useVirtualList } from '@vueuse/core'
import { computed, nextTick, ref, watch } from 'vue'
import StateMark from '~/components/common/StateMark.vue'
import { useColumns } from '~/composables/useColumns'
import { useIntake, type Line } from '~/stores/intake'

/** Lots and their sources as one long table. Only the lines in view are in the page; only what is in view is fetched. */
const open = defineModel<number | null>('open', { required: true })
const selected = defineModel<Set<number>>('selected', { required: true })
const emit = defineEmits<{ rename: [lotId: number]; move: [] }>()
const intake = useIntake()

const rowHeight = 30
const lines = computed(() => intake.lines)
const { list, containerProps, wrapperProps, scrollTo } = useVirtualList(lines, { itemHeight: rowHeight, overscan: 6 })
watch([list, lines], () => intake.need(list.value.map(entry => entry.data)), { immediate: true })

const { shown, has, template, wordsEnd } = useColumns()

function sortBy(key: SourceSort): void {
  if (intake.sort !== key) {
    intake.sort = key
    intake.descending = false
  } else if (!intake.descending) {
    intake.descending = true
  } else {
    intake.sort = 'came'
    intake.descending = false
  }
}

/** The line that the keys act on. */
const at = ref(0)
const lastChosen = ref<number | null>(null)

/** Numbers of the sources on two lines and between them; those not fetched yet are left out. */
function between(a: number, b: number): number[] {
  return lines.value.slice(Math.min(a, b), Math.max(a, b) + 1).flatMap(line => intake.rowOf(line)?.id ?? [])
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
  const row = intake.rowOf(lines.value[index]!)
  if (!row) return
  if (range && lastChosen.value !== null) change(between(lastChosen.value, index), true)
  else change([row.id], !selected.value.has(row.id))
  lastChosen.value = index
}

async function chooseLot(lotId: number | null, choose: boolean): Promise<void> {
  change(await intake.idsOf(lotId), choose)
}

async function chooseAll(): Promise<void> {
  selected.value = selected.value.size === intake.total ? new Set() : new Set(await intake.idsOf(undefined))
}

function go(index: number): void {
  at.value = Math.min(lines.value.length - 1, Math.max(0, index))
  const row = intake.rowOf(lines.value[at.value]!)
  if (row) open.value = row.id
  // The list scrolls only as far as it must.
  const container = containerProps.ref.value
  if (!container) return
  const [top, bottom] = [at.value * rowHeight, (at.value + 1) * rowHeight]
  if (top < container.scrollTop) scrollTo(at.value)
  else if (bottom > container.scrollTop + container.clientHeight) container.scrollTop = bottom - container.clientHeight
  void nextTick(() => container.querySelector<HTMLElement>(`[data-line="${at.value}"]`)?.focus({ preventScroll: true }))
}

function onKey(event: KeyboardEvent): void {
  const target = event.target as HTMLElement
  if (target.tagName === 'INPUT' && event.key === ' ') return
  const line = lines.value[at.value]
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'a') {
    event.preventDefault()
    void chooseAll()
    return
  }
  if (event.ctrlKey || event.metaKey || event.altKey || !line) return
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
    if (event.shiftKey) change(between(from, at.value), true)
  } else if (event.key === 'ArrowRight' && line.kind === 'lot') {
    intake.turn(line.lotId, true)
  } else if (event.key === 'ArrowLeft') {
    event.preventDefault()
    if (line.kind === 'lot') intake.turn(line.lotId, false)
    else go(lines.value.findIndex(entry => entry.kind === 'lot' && entry.lotId === line.lotId))
  } else if (event.key === 'Enter' && line.kind === 'lot') {
    event.preventDefault()
    intake.turn(line.lotId)
  } else if (event.key === ' ') {
    event.preventDefault()
    if (line.kind === 'source') choose(at.value, event.shiftKey)
    else void intake.idsOf(line.lotId).then(ids => change(ids, !ids.every(id => selected.value.has(id))))
  } else if (event.key === 'F2' && line.lotId !== null) {
    event.preventDefault()
    emit('rename', line.lotId)
  } else if (event.key === 'm' && selected.value.size > 0) {
    event.preventDefault()
    emit('move')
  }
}

function clickLot(index: number, lotId: number | null): void {
  at.value = index
  intake.turn(lotId)
}

/** The source that the pointer went down on, and where. While it is down, a source may move to another lot and another row come under it. */
let pressed: { id: number; y: number } | null = null
const sourceAt = (event: Event) =>
  Number((event.target as HTMLElement).closest<HTMLElement>('[data-row]')?.dataset.row) || null
function press(event: PointerEvent): void {
  const id = sourceAt(event)
  pressed = id === null ? null : { id, y: event.clientY }
}

/** A click means the source that was pressed, wherever its row is by now. */
function click(event: MouseEvent): void {
  const id = pressed && Math.abs(event.clientY - pressed.y) < rowHeight ? pressed.id : sourceAt(event)
  pressed = null
  if (id === null || (event.target as HTMLElement).closest('.lot')) return
  const index = lines.value.findIndex(line => intake.rowOf(line)?.id === id)
  if (index >= 0) {
    at.value = index
    if (event.shiftKey && lastChosen.value !== null) return choose(index, true)
    if (event.ctrlKey || event.metaKey) return choose(index, false)
    lastChosen.value = index
  }
  open.value = id
}

/** Sources dragged onto a lot move into it. */
const over = ref<number | null>(null)
function dragStart(event: DragEvent, line: Line): void {
  const row = intake.rowOf(line)
  if (!row || !event.dataTransfer) return
  const ids = selected.value.has(row.id) ? [...selected.value] : [row.id]
  event.dataTransfer.setData('application/x-hematine-sources', JSON.stringify(ids))
  event.dataTransfer.effectAllowed = 'move'
}
function dropOn(event: DragEvent, lotId: number | null): void {
  over.value = null
  const text = event.dataTransfer?.getData('application/x-hematine-sources')
  if (!text || lotId === null) return
  event.stopPropagation()
  void intake.move(JSON.parse(text) as number[], lotId)
}
function dragOver(event: DragEvent, lotId: number | null): void {
  if (!event.dataTransfer?.types.includes('application/x-hematine-sources') || lotId === null) return
  event.preventDefault()
  over.value = lotId
}

const oddWords = (line: Line) => {
  if (line.kind !== 'lot' || !line.lot?.oddOneOut) return null
  const { lotId, differences } = line.lot.oddOneOut
  return `odd one of ${intake.lots.find(lot => lot.id === lotId)?.name ?? 'another lot'}: ${differences.join(', ')}`
}
</script>

<template>
  <div
    class="lots"
    role="treegrid"
    aria-label="Sources by lot"
    :aria-rowcount="lines.length + 1"
    aria-multiselectable="true"
    :style="{ '--columns': template }"
    @keydown="onKey"
  >
    <div class="line head" role="row" aria-rowindex="1">
      <span role="columnheader"
        ><input
          type="checkbox"
          aria-label="Choose all sources"
          :checked="selected.size > 0 && selected.size >= intake.total"
          :indeterminate="selected.size > 0 && selected.size < intake.total"
          @change="chooseAll"
      /></span>
      <span
        v-for="column in [{ name: 'Source', sort: 'name' as const, end: false }, ...shown]"
        :key="column.name"
        role="columnheader"
        :class="{ end: column.end }"
        :aria-sort="
          column.sort !== null && intake.sort === column.sort
            ? intake.descending
              ? 'descending'
              : 'ascending'
            : 'none'
        "
      >
        <button v-if="column.sort !== null" type="button" @click="sortBy(column.sort)">
          {{ column.name
          }}<span aria-hidden="true">{{ intake.sort === column.sort ? (intake.descending ? ' ▼' : ' ▲') : '' }}</span>
        </button>
        <template v-else>{{ column.name }}</template>
      </span>
    </div>
    <div v-bind="containerProps" class="body scroll" role="rowgroup" tabindex="-1" @pointerdown="press" @click="click">
      <div v-bind="wrapperProps" role="presentation">
        <template
          v-for="{ data: line, index } in list"
          :key="line.kind === 'lot' ? `lot-${line.lotId}` : `${line.lotId}:${line.index}`"
        >
          <div
            v-if="line.kind === 'lot'"
            class="line lot"
            :class="{ over: over !== null && over === line.lotId }"
            role="row"
            aria-level="1"
            :aria-expanded="intake.isOpen(line.lotId)"
            :aria-rowindex="index + 2"
            :data-line="index"
            :tabindex="index === at ? 0 : -1"
            @click="clickLot(index, line.lotId)"
            @focus="at = index"
            @dragover="event => dragOver(event, line.lotId)"
            @dragleave="over = null"
            @drop="event => dropOn(event, line.lotId)"
          >
            <span role="gridcell"
              ><input
                type="checkbox"
                tabindex="-1"
                :aria-label="`Choose all of ${line.lot?.name ?? 'those in no lot'}`"
                @click.stop
                @change="event => chooseLot(line.lotId, (event.target as HTMLInputElement).checked)"
            /></span>
            <span role="gridcell" class="lot-words" :style="{ gridColumnEnd: wordsEnd }">
              <span class="turn" :class="{ down: intake.isOpen(line.lotId) }" aria-hidden="true" />
              <strong>{{ line.lot?.name ?? 'In no lot' }}</strong>
              <span class="ellipsis" :title="line.lot?.reason"
                >{{ line.count }} {{ line.count === 1 ? 'source' : 'sources' }}:
                {{ line.lot?.reason ?? 'being read, or not usable' }}</span
              >
            </span>
            <span v-if="has.has('seconds')" role="gridcell" class="number end">{{
              line.lot && line.lot.seconds > 0 ? describeClock(line.lot.seconds) : ''
            }}</span>
            <span v-if="has.has('bytes')" role="gridcell" class="number end">{{
              line.lot ? describeBytes(line.lot.bytes) : ''
            }}</span>
            <span v-if="has.has('jobs')" role="gridcell" />
            <span v-if="has.has('faults')" role="gridcell" class="look ellipsis" :title="oddWords(line) ?? ''"
              ><template v-if="oddWords(line)"><StateMark state="look" /> {{ oddWords(line) }}</template></span
            >
          </div>
          <div
            v-else
            class="line source"
            :class="{ open: intake.rowOf(line)?.id === open, chosen: selected.has(intake.rowOf(line)?.id ?? -1) }"
            role="row"
            aria-level="2"
            :aria-rowindex="index + 2"
            :aria-selected="selected.has(intake.rowOf(line)?.id ?? -1)"
            :data-line="index"
            :data-row="intake.rowOf(line)?.id"
            :tabindex="index === at ? 0 : -1"
            draggable="true"
            @focus="at = index"
            @dragstart="event => dragStart(event, line)"
          >
            <template v-for="row in [intake.rowOf(line)]" :key="row?.id ?? 'empty'">
              <template v-if="row">
                <span role="gridcell"
                  ><input
                    type="checkbox"
                    tabindex="-1"
                    :aria-label="`Choose ${row.name}`"
                    :checked="selected.has(row.id)"
                    @click.stop="event => choose(index, event.shiftKey)"
                /></span>
                <span role="gridcell" class="name"
                  ><StateMark
                    :state="
                      row.state === 'ready' ? (row.faults.length + row.remarks > 0 ? 'look' : 'ready') : row.state
                    "
                  /><span class="ellipsis" :title="row.relativePath">{{ row.name }}</span></span
                >
                <template v-if="row.state === 'refused'"
                  ><span role="gridcell" class="bad ellipsis wide" :title="row.reason ?? ''">{{
                    row.reason
                  }}</span></template
                >
                <template v-else-if="row.state === 'reading'"
                  ><span role="gridcell" class="muted wide">being read</span></template
                >
                <template v-else>
                  <span v-if="has.has('picture')" role="gridcell" class="number ellipsis" :title="row.picture">{{
                    row.picture
                  }}</span>
                  <span v-if="has.has('rate')" role="gridcell" class="number ellipsis" :title="row.motion">{{
                    row.motion
                  }}</span>
                  <span v-if="has.has('codec')" role="gridcell" class="ellipsis" :title="row.codec">{{
                    row.codec
                  }}</span>
                  <span v-if="has.has('sound')" role="gridcell" class="ellipsis" :title="row.sound">{{
                    row.sound
                  }}</span>
                  <span v-if="has.has('seconds')" role="gridcell" class="number end">{{
                    row.seconds === null ? '' : describeClock(row.seconds)
                  }}</span>
                  <span v-if="has.has('bytes')" role="gridcell" class="number end">{{
                    row.bytes === null ? '' : describeBytes(row.bytes)
                  }}</span>
                  <span v-if="has.has('jobs')" role="gridcell" class="number end">{{ row.jobCount || '' }}</span>
                  <span
                    v-if="has.has('faults')"
                    role="gridcell"
                    class="ellipsis"
                    :title="row.faults.join(', ')"
                    :class="{ muted: row.faults.length === 0 }"
                    >{{
                      row.faults.length > 0
                        ? row.faults.join(', ')
                        : {
                            none: '',
                            waiting: 'to be measured',
                            measuring: 'being measured',
                            ready: 'nothing wrong found',
                            failed: 'not measured',
                          }[row.measureState]
                    }}</span
                  >
                </template>
              </template>
              <span v-else role="gridcell" class="muted wide">loading</span>
            </template>
          </div>
        </template>
      </div>
    </div>
  </div>
</template>

<style scoped>
.lots {
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
.line.lot {
  background: rgb(var(--v-theme-surface));
}
.lot-words {
  grid-column-start: 2;
  display: flex;
  align-items: center;
  gap: 6px;
  min-width: 0;
}
.turn {
  flex: none;
  width: 6px;
  height: 6px;
  margin: 0 6px 0 4px;
  border: solid currentColor;
  border-width: 0 1.5px 1.5px 0;
  transform: rotate(-45deg);
}
.turn.down {
  transform: rotate(45deg);
}
.lot-words strong {
  white-space: nowrap;
  font-weight: 600;
}
.line.source:hover,
.line.lot:hover {
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
.name {
  display: flex;
  align-items: center;
  gap: 8px;
  min-width: 0;
}
.end {
  text-align: right;
}
.wide {
  grid-column: 3 / -1;
}
input {
  accent-color: var(--accent);
  margin: 0;
}
</style>
