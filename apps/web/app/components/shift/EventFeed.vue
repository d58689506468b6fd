<script setup lang="ts">
import { describeCount, describeEvent, type JobEventRecord } from '@hematine/core'
import { watchDebounced } from '@vueuse/core'
import { ref } from 'vue'
import StateMark from '~/components/common/StateMark.vue'
import { clock, moment } from '~/composables/times'
import { call } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

/** What happened, newest first, in plain sentences. What was done to many at once is one line, opened on demand. */
const { now } = defineProps<{ now: Date }>()
const order = useOrder()
const notices = useNotices()
const events = ref<JobEventRecord[]>([])
const page = 100
const hasMore = ref(false)
/** Rows of actions on many jobs that were opened, by the action's number. */
const opened = ref(new Map<number, JobEventRecord[]>())

const ask = (query: { limit?: number; before?: number; action?: number }) =>
  call('listEvents', { query: { orderId: order.order!.id, limit: page, ...query } })

async function load(): Promise<void> {
  const orderId = order.order?.id
  if (orderId === undefined) return
  // A feed that cannot be read now is read with the next change; the shell already says that the line is down.
  const answer = await ask({ limit: Math.min(500, Math.max(page, events.value.length)) }).catch(() => null)
  if (!answer || orderId !== order.order?.id) return
  events.value = answer
  hasMore.value = answer.length >= page
}
watchDebounced([() => order.jobChange, () => order.order?.id], load, { debounce: 400, maxWait: 1500, immediate: true })

async function more(): Promise<void> {
  const older = await notices.attempt(() => ask({ before: events.value.at(-1)!.id }))
  if (!older) return
  events.value = [...events.value, ...older]
  hasMore.value = older.length >= page
}

async function turn({ action }: JobEventRecord): Promise<void> {
  const next = new Map(opened.value)
  if (!next.delete(action!.id)) {
    const rows = await notices.attempt(() => ask({ action: action!.id, limit: 500 }))
    if (!rows) return
    next.set(action!.id, rows)
  }
  opened.value = next
}

function when(at: string): string {
  const date = new Date(at)
  return date.toDateString() === now.toDateString() ? clock(date, true) : moment(date, now)
}
</script>

<template>
  <section class="panel" aria-label="What happened">
    <h2>What happened</h2>
    <ol v-if="events.length > 0">
      <li v-for="event in events" :key="event.id">
        <span class="number muted">{{ when(event.at) }}</span>
        <StateMark :state="event.to" />
        <span v-if="event.action" class="text"
          >{{ describeCount(event.action.jobs) }} jobs<span class="muted">:</span> {{ describeEvent(event) }}
          <button type="button" class="more" :aria-expanded="opened.has(event.action.id)" @click="turn(event)">
            {{ opened.has(event.action.id) ? 'close' : 'which' }}
          </button>
          <span v-for="row in opened.get(event.action.id) ?? []" :key="row.id" class="one"
            >{{ row.sourceName }}<span class="muted">, {{ row.specName }}</span></span
          >
          <span v-if="(opened.get(event.action.id)?.length ?? 0) >= 500" class="one muted"
            >and {{ describeCount(event.action.jobs - 500) }} more</span
          >
        </span>
        <span v-else class="text"
          >{{ event.sourceName }}<span class="muted">, {{ event.specName }}:</span> {{ describeEvent(event) }}</span
        >
      </li>
    </ol>
    <p v-else class="muted">Nothing yet.</p>
    <VBtn v-if="hasMore" variant="text" @click="more">Show what was before</VBtn>
  </section>
</template>

<style scoped>
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: auto 14px 1fr;
  gap: 8px;
  padding: 4px 0;
  border-bottom: 1px solid var(--line);
  align-items: baseline;
}
.text {
  overflow-wrap: anywhere;
}
.more {
  color: var(--accent-text);
  text-decoration: underline;
}
.one {
  display: block;
  padding-top: 2px;
}
</style>
