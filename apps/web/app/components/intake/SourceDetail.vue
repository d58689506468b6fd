<script setup lang="ts">
import {
  describeSubtitles,
  describeTrack,
  factLines,
  type Finding,
  type MeasureWish,
  type PlannedJobRecord,
  type SourceRecord,
} from '@hematine/core'
import { watchDebounced } from '@vueuse/core'
import { computed, ref } from 'vue'
import StateMark from '~/components/common/StateMark.vue'
import EvidenceDialog from '~/components/intake/EvidenceDialog.vue'
import FindingList from '~/components/intake/FindingList.vue'
import PlayDialog from '~/components/intake/PlayDialog.vue'
import SequenceArrival from '~/components/intake/SequenceArrival.vue'
import TimeStrip from '~/components/intake/TimeStrip.vue'
import { sequenceRates } from '~/composables/sequence-rates'
import { askingOrder } from '~/composables/askingOrder'
import { call } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

const { source } = defineProps<{ source: SourceRecord }>()
const emit = defineEmits<{ removed: [] }>()
const order = useOrder()
const notices = useNotices()

const rate = ref(source.frameRate)
const volume = computed(() => order.volumes.find(entry => entry.id === source.volumeId))
const jobs = ref<readonly PlannedJobRecord[]>([])
const asking = askingOrder()
watchDebounced(
  [() => source.id, () => order.jobChange],
  async ([id]) => {
    const counts = asking.ask()
    // Asked again with the next change.
    const answer = await call('listJobs', { query: { orderId: source.orderId, sourceId: id } }).catch(() => null)
    if (answer && id === source.id && counts()) jobs.value = answer.jobs.filter(job => job.state !== 'cancelled')
  },
  { debounce: 300, maxWait: 1500, immediate: true },
)

async function readAgain(): Promise<void> {
  const changed = await notices.attempt(() =>
    call('readAgain', { parameters: { id: source.id }, body: rate.value ? { frameRate: rate.value } : {} }),
  )
  if (changed) order.noteSources([source.id])
}

/** What the evidence shows: a finding at one of its places, or a moment. */
const evidence = ref<{ finding: Finding | null; start: number } | null>(null)

/** Place from which the source is played; null while it is not. */
const playFrom = ref<{ start: number; track: number } | null>(null)

async function stopMeasuring(): Promise<void> {
  await notices.attempt(() => call('stopMeasuring', { body: { ids: [source.id] } }))
  order.noteSources([source.id])
}

async function measure(depth: MeasureWish): Promise<void> {
  await notices.attempt(() => call('measureSources', { body: { ids: [source.id], depth } }))
  order.noteSources([source.id])
}

async function remove(): Promise<void> {
  const removed = await notices.attempt(async () => {
    await call('removeSource', { parameters: { id: source.id } })
    return true
  })
  if (!removed) return
  order.noteSources([source.id])
  order.noteJobs()
  emit('removed')
}
</script>

<template>
  <div class="panel">
    <section>
      <h2 class="title">{{ source.name }}</h2>
      <div class="muted where">{{ volume?.name }}: {{ source.relativePath }}</div>
      <TimeStrip
        :source="source"
        @see="
          (finding, place) => {
            evidence = { finding, start: place }
          }
        "
        @seconds="
          seconds => {
            evidence = { finding: null, start: seconds }
          }
        "
      />
      <VBtn v-if="source.facts?.durationSeconds" class="play" @click="playFrom = { start: 0, track: 0 }">Play</VBtn>
      <p v-if="source.state === 'refused'" class="reason">
        <StateMark state="refused" label="Cannot be used" /><br />{{ source.reason }}
      </p>
      <p v-else-if="source.state === 'reading'" class="muted" role="status">Its facts are being read.</p>
    </section>
    <FindingList
      v-if="source.facts?.durationSeconds"
      :source="source"
      @see="
        (finding, place) => {
          evidence = { finding, start: place }
        }
      "
      @hear="
        (seconds, track) => {
          playFrom = { start: Math.max(0, seconds - 1), track }
        }
      "
      @measure="measure"
      @stop="stopMeasuring"
    />
    <SequenceArrival v-if="source.sequence" :source="source" />
    <section v-if="source.facts">
      <h2>Facts</h2>
      <table class="facts">
        <tbody>
          <tr v-for="[name, value] in factLines(source.facts)" :key="name">
            <th scope="row">{{ name }}</th>
            <td>{{ value }}</td>
          </tr>
        </tbody>
      </table>
      <p v-for="remark in source.facts.remarks" :key="remark" class="remark"><StateMark state="look" /> {{ remark }}</p>
    </section>
    <section v-if="source.facts && (source.facts.audio.length > 0 || source.facts.subtitles.length > 0)">
      <h2>Tracks</h2>
      <table class="facts">
        <tbody>
          <tr v-for="(track, index) in source.facts.audio" :key="track.streamIndex">
            <th scope="row">sound {{ index + 1 }}</th>
            <td>{{ describeTrack(track) }}</td>
          </tr>
          <tr v-for="(track, index) in source.facts.subtitles" :key="index">
            <th scope="row">subtitles {{ index + 1 }}</th>
            <td>{{ describeSubtitles(track) }}</td>
          </tr>
        </tbody>
      </table>
    </section>
    <section v-if="jobs.length > 0">
      <h2>Jobs</h2>
      <div v-for="job in jobs" :key="job.id" class="job">
        <StateMark :state="job.state" /> {{ job.specName }} <span class="muted">{{ job.state }}</span>
      </div>
    </section>
    <section class="actions">
      <VSelect
        v-if="source.kind === 'sequence'"
        v-model="rate"
        :items="sequenceRates"
        label="Frame rate"
        class="rate"
      />
      <VBtn :disabled="source.state === 'reading'" @click="readAgain">{{
        source.kind === 'sequence' ? 'Read at this rate' : 'Read again'
      }}</VBtn>
      <VBtn variant="text" @click="remove">Take out of the order</VBtn>
    </section>
    <PlayDialog v-if="playFrom !== null && source.facts" :source="source" v-bind="playFrom" @close="playFrom = null" />
    <EvidenceDialog
      v-if="evidence && source.facts?.video"
      :source="source"
      v-bind="evidence"
      @close="evidence = null"
    />
  </div>
</template>

<style scoped>
.title {
  overflow-wrap: anywhere;
  font-size: 14px;
}
.where {
  overflow-wrap: anywhere;
  margin-bottom: 8px;
}
.poster {
  display: block;
  width: 100%;
  max-height: 250px;
  object-fit: contain;
  background: #000;
}
.reason {
  margin: 10px 0 0;
}
.remark {
  margin: 8px 0 0;
}
.job {
  padding: 2px 0;
  display: flex;
  gap: 6px;
}
.actions {
  display: flex;
  gap: 8px;
  align-items: center;
}
.play {
  margin-top: 8px;
}
.rate {
  max-width: 130px;
}
</style>
