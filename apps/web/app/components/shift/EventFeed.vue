<script setup lang="ts">
import { describeEvent, type JobEventRecord } from '@hematine/core'
import { watchDebounced } from '@vueuse/core'
import { onMounted, ref } from 'vue'
import StateMark from '~/components/common/StateMark.vue'
import { clock, moment } from '~/composables/times'
import { call } from '~/composables/useCall'
import { useOrder } from '~/stores/order'

/** What happened, newest first, in plain sentences. */
const { now } = defineProps<{ now: Date }>()
const order = useOrder()
const events = ref<JobEventRecord[]>([])

async function load(): Promise<void> {
  if (!order.order) return
  // A feed that cannot be read now is read with the next change; the shell already says that the line is down.
  events.value = await call('listEvents', { query: { orderId: order.order.id } }).catch(() => events.value)
}
onMounted(load)
watchDebounced(() => order.jobChanges, load, { debounce: 400, maxWait: 1500 })

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
        <span class="text"
          >{{ order.jobs.get(event.jobId)?.sourceName ?? `Job ${event.jobId}`
          }}<span class="muted">, {{ order.jobs.get(event.jobId)?.specName }}:</span> {{ describeEvent(event) }}</span
        >
      </li>
    </ol>
    <p v-else class="muted">Nothing yet.</p>
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
</style>
