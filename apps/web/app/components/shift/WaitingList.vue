<script setup lang="ts">
import { describeBytesRange, describeDurationRange, describeState, type JobRecord } from '@hematine/core'
import { mdiDragVertical } from '@mdi/js'
import Sortable from 'sortablejs'
import { computed, nextTick, onBeforeUnmount, onMounted, ref } from 'vue'
import JobActions from './JobActions.vue'
import StateMark from '~/components/common/StateMark.vue'
import { momentRange } from '~/composables/times'
import type { Plan } from '~/composables/usePlan'
import { useOrder } from '~/stores/order'

/** The waiting work in plan order: dragged by its handle, or moved with Alt and the arrow keys. */
const { jobs, plan, now } = defineProps<{ jobs: readonly JobRecord[]; plan: Plan; now: Date }>()
const order = useOrder()
/** Rows shown at first, and with each press for more: what comes next matters, and thousands of rows would only slow the page. */
const rowsAtOnce = 200
const most = ref(rowsAtOnce)
const shown = computed(() => jobs.slice(0, most.value))
const body = ref<HTMLElement>()
const said = ref('')
let sortable: Sortable | null = null

onMounted(() => {
  sortable = Sortable.create(body.value!, {
    handle: '.handle',
    animation: 120,
    onEnd({ oldIndex, newIndex, item, from }) {
      if (oldIndex === undefined || newIndex === undefined || oldIndex === newIndex) return
      // Vue owns the rows: the dragged one goes back and the new order comes with the data.
      from.insertBefore(item, from.children[newIndex > oldIndex ? oldIndex : oldIndex + 1] ?? null)
      void place(oldIndex, newIndex)
    },
  })
})
onBeforeUnmount(() => sortable?.destroy())

async function place(from: number, to: number): Promise<void> {
  const job = jobs[from]
  if (!job || to < 0 || to >= jobs.length) return
  const before = jobs[to > from ? to + 1 : to]
  await order.move([job.id], before?.id ?? null)
  said.value = `${job.sourceName} is now number ${to + 1} of ${jobs.length}`
}

async function onKey(event: KeyboardEvent, index: number): Promise<void> {
  if (event.key !== 'ArrowUp' && event.key !== 'ArrowDown') return
  event.preventDefault()
  const step = event.key === 'ArrowUp' ? -1 : 1
  if (event.altKey) await place(index, index + step)
  await nextTick()
  body.value?.querySelectorAll<HTMLElement>('tr')[index + step]?.focus()
}
</script>

<template>
  <div class="scroll list">
    <table class="waiting">
      <caption class="visually-hidden">
        Waiting jobs in the order in which they will run
      </caption>
      <thead>
        <tr>
          <th><span class="visually-hidden">Move</span></th>
          <th>Next</th>
          <th>Spec</th>
          <th class="end">Device time</th>
          <th class="end">Result</th>
          <th class="end">Done</th>
          <th><span class="visually-hidden">Actions</span></th>
        </tr>
      </thead>
      <tbody ref="body">
        <tr
          v-for="(job, index) in shown"
          :key="job.id"
          tabindex="0"
          :aria-label="`${job.sourceName}, ${job.specName}, number ${index + 1}. Alt and the arrow keys move it.`"
          @keydown="event => onKey(event, index)"
        >
          <td class="handle"><VIcon :icon="mdiDragVertical" size="16" aria-hidden="true" /></td>
          <td class="source">
            <span class="name"
              ><StateMark :state="job.state" :label="job.state === 'held' ? describeState(job.state) : ''" /><span
                class="ellipsis"
                :title="job.sourceName"
                >{{ job.sourceName }}</span
              ></span
            ><span v-if="job.state === 'waiting' && job.reason" class="why look" :title="job.reason">{{
              job.reason
            }}</span>
          </td>
          <td class="nowrap">{{ job.specName }}</td>
          <td class="end number">{{ job.forecast ? describeDurationRange(job.forecast.seconds) : 'not measured' }}</td>
          <td class="end number">{{ job.forecast ? describeBytesRange(job.forecast.bytes) : '' }}</td>
          <td class="end number">
            {{ plan.places.has(job.id) ? momentRange(plan.places.get(job.id)!.end, now) : '' }}
          </td>
          <td class="end"><JobActions :job="job" /></td>
        </tr>
      </tbody>
    </table>
    <p v-if="jobs.length > shown.length" class="rest muted">
      <span class="number">{{ jobs.length - shown.length }}</span> more wait behind these.
      <VBtn variant="text" @click="most += rowsAtOnce">Show more</VBtn>
    </p>
    <div class="visually-hidden" role="status">{{ said }}</div>
  </div>
</template>

<style scoped>
.list {
  flex: 1;
}
.waiting {
  width: 100%;
  border-collapse: collapse;
}
th {
  position: sticky;
  top: 0;
  z-index: 1;
  height: 28px;
  padding: 0 8px;
  text-align: left;
  font-weight: 400;
  color: var(--muted);
  background: rgb(var(--v-theme-surface));
  white-space: nowrap;
  box-shadow: inset 0 -1px 0 var(--line);
}
td {
  height: 30px;
  padding: 0 6px;
  border-bottom: 1px solid var(--line);
}
.end {
  text-align: right;
}
.handle {
  width: 28px;
  cursor: grab;
  color: var(--muted);
}
.source {
  max-width: 170px;
  width: 32%;
}
.name {
  display: flex;
  gap: 8px;
}
.why {
  display: block;
  padding-bottom: 4px;
  font-size: 12px;
  line-height: 1.25;
}
.rest {
  padding: 6px 8px;
}
.nowrap {
  white-space: nowrap;
}
</style>
