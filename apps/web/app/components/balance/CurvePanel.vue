<script setup lang="ts">
import {
  curveAt,
  describeBytesRange,
  describeCount,
  describeDuration,
  describeQuality,
  valueUnder,
  type CurveRecord,
  type JobDetail,
} from '@hematine/core'
import { computed, ref, watch } from 'vue'
import CurveLook from '~/components/balance/CurveLook.vue'
import RateCurve from '~/components/balance/RateCurve.vue'
import NumberField from '~/components/common/NumberField.vue'
import { askingOrder } from '~/composables/askingOrder'
import { call } from '~/composables/useCall'
import { useRespec } from '~/composables/useRespec'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

/** What a draft would weigh and look like at other qualities of its codec, and the choice of one. */
const { job } = defineProps<{ job: JobDetail }>()
const order = useOrder()
const notices = useNotices()

const curve = ref<CurveRecord | null>(null)
const value = ref<number | null>(null)
const { busy, respec } = useRespec(job)
const parameters = { id: job.id }
const asking = askingOrder()

function take(record: CurveRecord): void {
  curve.value = record
  if (record.points.length > 0) value.value ??= record.value ?? record.kneeValue ?? record.points[0]!.value
}

watch(
  () => [order.curveChange, order.jobChange],
  async () => {
    const counts = asking.ask()
    // A spec whose size follows from its format has no curve.
    const record = await call('readCurve', { parameters }).catch(() => null)
    if (record && counts()) take(record)
  },
  { immediate: true },
)

async function attempt(work: () => Promise<CurveRecord>): Promise<void> {
  busy.value = true
  const counts = asking.ask()
  const record = await notices.attempt(work)
  if (record && counts()) take(record)
  busy.value = false
}
const measure = (anew: boolean) => attempt(() => call('measureCurve', { parameters, query: { anew: String(anew) } }))
const stop = () => attempt(() => call('stopCurve', { parameters }))

const chosen = computed(() =>
  curve.value && value.value !== null && curve.value.points.length > 0
    ? curveAt(curve.value.points, value.value)
    : null,
)

/** A size that is typed moves the choice to the best quality that is expected to keep it. */
const wantedMegabytes = ref<number | null>(null)
watch(wantedMegabytes, megabytes => {
  if (!curve.value || megabytes === null || megabytes <= 0) return
  value.value = valueUnder(curve.value.points, curve.value.scale, megabytes * 1e6) ?? curve.value.points.at(-1)!.value
})
const isOutOfReach = computed(
  () =>
    curve.value !== null &&
    wantedMegabytes.value !== null &&
    wantedMegabytes.value > 0 &&
    valueUnder(curve.value.points, curve.value.scale, wantedMegabytes.value * 1e6) === null,
)

const isLooking = ref(false)
const choose = (of: 'draft' | 'lot') =>
  respec(() => call('chooseQuality', { parameters, body: { value: value.value!, of } }))
</script>

<template>
  <section v-if="curve && (job.sampleState === 'ready' || curve.state !== 'none')" aria-label="Size and quality">
    <h2>Size and quality</h2>
    <template v-if="curve.state === 'none' || curve.state === 'failed'">
      <p v-if="curve.reason" class="bad">{{ curve.reason }}</p>
      <p class="muted">
        What this source comes to at other qualities of {{ curve.codec }}: the stretches of the forecast are treated
        once, encoded at several qualities, and compared. Jobs go on meanwhile.
      </p>
      <VBtn :disabled="busy" @click="measure(false)">{{
        curve.state === 'none' ? 'Measure the curve' : 'Try again'
      }}</VBtn>
    </template>
    <template v-else-if="curve.state !== 'ready'">
      <p class="muted" role="status">
        {{
          curve.state === 'waiting'
            ? 'The curve is measured next.'
            : `The curve is being measured: ${Math.round((curve.part ?? 0) * 100)} %.`
        }}
      </p>
      <VProgressLinear
        :model-value="(curve.part ?? 0) * 100"
        color="primary"
        height="4"
        aria-label="How far the curve is"
      />
      <VBtn class="stop" :disabled="busy" @click="stop">Stop</VBtn>
    </template>
    <template v-else-if="value !== null && chosen">
      <p v-if="curve.reason" class="bad" role="status">It could not be measured anew. {{ curve.reason }}</p>
      <RateCurve v-model="value" :curve="curve" />
      <div class="choices">
        <VBtn v-if="curve.pictures" @click="isLooking = true">Look at a frame of it</VBtn>
        <VBtn variant="text" :disabled="busy" @click="measure(true)">Measure anew</VBtn>
      </div>
      <CurveLook
        v-if="isLooking && curve.pictures && job.treatment.result"
        v-model="value"
        :job-id="job.id"
        :curve="curve"
        :treatment="job.treatment"
        @close="isLooking = false"
      />
      <table class="facts">
        <tbody>
          <tr>
            <th scope="row">result</th>
            <td class="number">{{ describeBytesRange(chosen.bytes) }}</td>
          </tr>
          <tr>
            <th scope="row">likeness</th>
            <td>{{ describeQuality(chosen) }}</td>
          </tr>
        </tbody>
      </table>
      <NumberField
        v-model="wantedMegabytes"
        label="Best quality under, in MB"
        :least="0.1"
        :most="1000000"
        :step="0.1"
      />
      <p v-if="isOutOfReach" class="look" role="status">
        The coarsest quality that was measured is larger than that. A smaller frame, or a spec with a size cap, keeps
        it.
      </p>
      <div class="choices">
        <VBtn :disabled="busy || value === curve.value" @click="choose('draft')">Use {{ value }} for this draft</VBtn>
        <VBtn v-if="curve.lotDrafts > 1" :disabled="busy || value === curve.value" @click="choose('lot')"
          >For {{ describeCount(curve.lotDrafts) }} drafts of the lot</VBtn
        >
      </div>
      <p class="muted">
        Measured in {{ describeDuration(curve.tookSeconds ?? 0) }} in the stretches of the forecast, against the treated
        picture; between the points it is drawn in. The choice becomes a spec of its own in the library.
      </p>
    </template>
    <p v-else class="muted" role="status">The curve is shown again when the forecast has been measured anew.</p>
  </section>
</template>

<style scoped>
.stop {
  margin-top: 8px;
}
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin: 8px 0;
}
</style>
