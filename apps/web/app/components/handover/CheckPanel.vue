<script setup lang="ts">
import {
  describeContainer,
  describeBytes,
  describeDuration,
  describeDurationRange,
  describeBytesRange,
  leastSlowing,
  sheetAdded,
  type JobDetail,
} from '@hematine/core'
import { computed } from 'vue'
import StateMark from '~/components/common/StateMark.vue'
import { addressOf } from '~/composables/useCall'
import { useOrder } from '~/stores/order'

const { job, brief = false } = defineProps<{ job: JobDetail; brief?: boolean }>()
const order = useOrder()
/** A folder is taken from its volume; it cannot be sent as it is. */
const isFolder = computed(() => job.check?.measurement.container === describeContainer('images'))
</script>

<template>
  <div class="panel">
    <section>
      <h2 class="title">{{ job.outputPath ?? job.sourceName }}</h2>
      <div class="muted">{{ job.specName }} of {{ job.sourceName }}</div>
      <p v-if="job.reason" class="reason"><StateMark state="failed" label="Failed" /><br />{{ job.reason }}</p>
      <p v-for="reason in job.state === 'done' ? job.verdictReasons : []" :key="reason" class="reason">
        <StateMark state="look" /> {{ reason }}
      </p>
      <div class="buttons">
        <VBtn v-if="job.state === 'done' && !brief" color="primary" :to="`/handover/${job.id}`"
          >Compare with the source</VBtn
        >
        <VBtn v-if="job.state === 'done' && !isFolder" :href="addressOf('jobOutput', { parameters: { id: job.id } })"
          >Download</VBtn
        >
        <VBtn v-if="job.state === 'failed'" @click="order.act([job.id], 'retry')">Try again</VBtn>
      </div>
    </section>
    <section v-if="job.check">
      <h2>Check</h2>
      <table class="lines">
        <thead>
          <tr>
            <th>What</th>
            <th>Wanted</th>
            <th>Found</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="line in job.check.lines" :key="line.name">
            <td><StateMark :state="line.verdict" :label="line.name" /></td>
            <td class="muted">{{ line.expected }}</td>
            <td>{{ line.found }}</td>
          </tr>
        </tbody>
      </table>
    </section>
    <section v-if="job.check">
      <h2>{{ isFolder ? 'Folder' : 'File' }}</h2>
      <table class="facts">
        <tbody>
          <tr>
            <th scope="row">size</th>
            <td>
              {{ describeBytes(job.check.measurement.bytes) }},
              {{ ((job.check.measurement.bytes / job.check.measurement.sourceBytes) * 100).toFixed(0) }} % of the
              source<template v-if="job.forecast">; forecast {{ describeBytesRange(job.forecast.bytes) }}</template>
            </td>
          </tr>
          <tr v-if="job.workSeconds !== null">
            <th scope="row">took</th>
            <td>
              {{ describeDuration(job.workSeconds)
              }}<template v-if="job.forecast"
                >; forecast {{ describeDurationRange(job.forecast.seconds)
                }}<template v-if="(job.forecast.slowing ?? 1) >= leastSlowing"
                  >, and {{ job.forecast.slowing!.toFixed(1) }} times as long beside what ran with it</template
                ></template
              >
            </td>
          </tr>
          <tr>
            <th scope="row">{{ isFolder ? 'SHA-256 of its list of checksums' : 'SHA-256' }}</th>
            <td class="hash">{{ job.check.measurement.sha256 }}</td>
          </tr>
        </tbody>
      </table>
    </section>
    <section v-if="job.beside.length > 0">
      <h2>Beside it</h2>
      <ul class="beside">
        <li v-for="file in job.beside" :key="file.added">
          <a :href="addressOf('jobOutput', { parameters: { id: job.id }, query: { beside: file.added } })">{{
            file.path.split('/').at(-1)
          }}</a>, {{ describeBytes(file.bytes) }}
          <div class="hash muted">{{ file.sha256 }}</div>
          <img
            v-if="file.added === sheetAdded"
            class="sheet"
            loading="lazy"
            :src="addressOf('jobOutput', { parameters: { id: job.id }, query: { beside: file.added } })"
            :alt="`Contact sheet of ${job.check?.measurement.sheet?.frames} frames of the result`"
          />
        </li>
      </ul>
    </section>
  </div>
</template>

<style scoped>
.title {
  overflow-wrap: anywhere;
  font-size: 14px;
}
.reason {
  margin: 8px 0 0;
}
.buttons {
  display: flex;
  gap: 8px;
  margin-top: 10px;
}
.lines {
  width: 100%;
  border-collapse: collapse;
}
.lines th {
  text-align: left;
  font-weight: 400;
  color: var(--muted);
  padding: 2px 8px 4px 0;
}
.lines td {
  padding: 3px 8px 3px 0;
  border-top: 1px solid var(--line);
  vertical-align: top;
  overflow-wrap: anywhere;
}
.lines td:first-child {
  white-space: nowrap;
}
.beside {
  list-style: none;
  padding: 0;
  margin: 0;
}
.beside li {
  padding: 3px 0;
  overflow-wrap: anywhere;
}
.sheet {
  display: block;
  width: 100%;
  margin-top: 4px;
}
.beside a {
  color: var(--accent-text);
}
.hash {
  font-family: var(--mono);
  font-size: 12px;
  overflow-wrap: anywhere;
}
</style>
