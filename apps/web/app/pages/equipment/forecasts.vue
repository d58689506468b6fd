<script setup lang="ts">
import {
  basisOf,
  describeBytes,
  describeBytesRange,
  describeCount,
  describeDuration,
  describeDurationRange,
  describeKind,
  isWithin,
  leastOutcomes,
  offBy,
  recordOf,
  recordsByKind,
  type Figure,
  type ForecastOutcome,
  type ForecastRecord,
} from '@hematine/core'
import { useThrottleFn } from '@vueuse/core'
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import EmptyState from '~/components/common/EmptyState.vue'
import MiddleName from '~/components/common/MiddleName.vue'
import StateMark from '~/components/common/StateMark.vue'
import CoverageChart from '~/components/equipment/CoverageChart.vue'
import EquipmentBar from '~/components/equipment/EquipmentBar.vue'
import OutcomeScatter from '~/components/equipment/OutcomeScatter.vue'
import { call, type CallAnswer } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

useHead({ title: 'Forecasts and results - Hematine' })
const order = useOrder()
const notices = useNotices()
/** Results that the list shows; more are no help to a person. */
const mostShown = 200

const answer = shallowRef<CallAnswer<'listOutcomes'> | null>(null)
const load = () =>
  notices.attempt(async () => {
    answer.value = await call('listOutcomes', { query: {} })
  })
onMounted(load)
watch(() => order.outcomeChange, useThrottleFn(load, 1500, true))

const figure = ref<Figure>('seconds')
const figures: readonly { key: Figure; name: string }[] = [
  { key: 'seconds', name: 'Time' },
  { key: 'bytes', name: 'Size' },
]
const kind = ref<string | null>(null)
const onlyOutside = ref(false)
const at = ref<number | null>(null)

const outcomes = computed(() => answer.value?.outcomes ?? [])
const kinds = computed(() => recordsByKind(outcomes.value))
const chosen = computed(() => outcomes.value.filter(outcome => kind.value === null || outcome.kind === kind.value))
const record = computed(() => recordOf(chosen.value.map(outcome => outcome[figure.value])))
const listed = computed(() => chosen.value.filter(outcome => !onlyOutside.value || !isWithin(outcome[figure.value])))

const percent = (part: number) => `${(part * 100).toFixed(part < 0.0995 ? 1 : 0)} %`
const signed = (part: number) => `${part < 0 ? '-' : '+'}${percent(Math.abs(part))}`
const says = (value: number) => (figure.value === 'seconds' ? describeDuration(value) : describeBytes(value))
const saysRange = ({ said }: ForecastOutcome['seconds']) =>
  figure.value === 'seconds' ? describeDurationRange(said) : describeBytesRange(said)
const finished = (instant: string) =>
  new Date(instant).toLocaleString('en-GB', { month: 'short', day: 'numeric', hour: '2-digit', minute: '2-digit' })

/** Where the ranges of a kind come from at the moment. */
function rangesOf(key: string): string {
  const calibrated = answer.value?.calibrated ?? {}
  const basis = basisOf(key)
  if (calibrated[key]) return `its last ${calibrated[key]} results`
  if (calibrated[basis])
    return `the last ${calibrated[basis]} results of all ${basis === 'own' ? 'that were measured' : 'by their like'}`
  return `samples, until there are ${leastOutcomes} results`
}
const cells = ({ off, within, width }: ForecastRecord) => [percent(off), percent(within), `±${percent(width)}`]
</script>

<template>
  <div class="station">
    <EquipmentBar>
      <div v-if="outcomes.length > 0" role="group" aria-label="Figure" class="figures">
        <VBtn
          v-for="entry in figures"
          :key="entry.key"
          variant="text"
          :height="26"
          :aria-pressed="figure === entry.key"
          :class="{ on: figure === entry.key }"
          @click="figure = entry.key"
          >{{ entry.name }}</VBtn
        >
      </div>
    </EquipmentBar>
    <EmptyState v-if="answer && outcomes.length === 0" title="No forecast has a result yet"
      >Each job that is delivered is held here against the time and size that were told when it was begun. From
      {{ leastOutcomes }} results of a kind of work on, the ranges of its forecasts are made from them.</EmptyState
    >
    <div v-else-if="answer" class="scroll panel page">
      <p class="sum">
        {{ kind === null ? 'All kinds of work' : describeKind(kind) }}:
        <span class="number">{{ describeCount(record.count) }}</span>
        {{ record.count === 1 ? 'result' : 'results' }}; {{ figure === 'seconds' ? 'times' : 'sizes' }} are off by
        <span class="number">{{ percent(record.off) }}</span> (median), and
        <span class="number">{{ percent(record.within) }}</span> lie within their ranges, which are
        <span class="number">±{{ percent(record.width) }}</span> wide (median). Ranges are meant to hold nine times out
        of ten.<template v-if="figure === 'seconds'">
          Times are told for a machine of its own, and held here against what ran beside each job.</template
        ><template v-if="answer.total > outcomes.length">
          The newest {{ describeCount(outcomes.length) }} of {{ describeCount(answer.total) }} are shown.</template
        >
      </p>
      <div class="charts">
        <section class="chart">
          <h2>Forecast against result</h2>
          <OutcomeScatter v-model="at" :outcomes="chosen" :figure="figure" />
          <p class="muted key">
            <svg viewBox="0 0 12 12" width="12" height="12" aria-hidden="true">
              <circle cx="6" cy="6" r="3.5" fill="currentColor" />
            </svg>
            within its range
            <svg class="look" viewBox="0 0 12 12" width="12" height="12" aria-hidden="true">
              <path d="M6 .8 11.2 6 6 11.2.8 6z" fill="none" stroke="currentColor" stroke-width="1.6" />
            </svg>
            outside; on the broken line the forecast was right
          </p>
        </section>
        <section class="chart">
          <h2>Ranges as work went on</h2>
          <CoverageChart
            :outcomes="chosen"
            :figure="figure"
            :before="kind === null ? answer.total - outcomes.length : 0"
          />
        </section>
      </div>
      <section>
        <h2>Kinds of work</h2>
        <table class="rows">
          <thead>
            <tr>
              <th>Kind</th>
              <th class="end">Results</th>
              <th class="end">Time off</th>
              <th class="end">within</th>
              <th class="end">ranges</th>
              <th class="end">Size off</th>
              <th class="end">within</th>
              <th class="end">ranges</th>
              <th>Ranges are made of</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="entry in kinds" :key="entry.kind" :class="{ open: entry.kind === kind }">
              <td>
                <button
                  type="button"
                  class="pick"
                  :aria-pressed="entry.kind === kind"
                  @click="kind = kind === entry.kind ? null : entry.kind"
                >
                  {{ entry.name }}
                </button>
              </td>
              <td class="end number">{{ describeCount(entry.seconds.count) }}</td>
              <td v-for="(cell, index) in cells(entry.seconds)" :key="`s${index}`" class="end number">{{ cell }}</td>
              <td v-for="(cell, index) in cells(entry.bytes)" :key="`b${index}`" class="end number">{{ cell }}</td>
              <td class="muted">{{ rangesOf(entry.kind) }}</td>
            </tr>
          </tbody>
        </table>
      </section>
      <section>
        <div class="head">
          <h2>Results, newest first</h2>
          <VBtn variant="text" :height="24" :aria-pressed="onlyOutside" @click="onlyOutside = !onlyOutside">{{
            onlyOutside ? 'Show all' : 'Only those outside their range'
          }}</VBtn>
        </div>
        <p v-if="listed.length === 0" class="muted">All of them lie within their ranges.</p>
        <table v-else class="rows results">
          <thead>
            <tr>
              <th>Finished</th>
              <th>Source</th>
              <th>Spec</th>
              <th class="end">Forecast</th>
              <th class="end">{{ figure === 'seconds' ? 'Took' : 'Is' }}</th>
              <th class="end">Off</th>
              <th>Range</th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="outcome in listed.slice(0, mostShown)"
              :key="outcome.id"
              :class="{ open: outcome.id === at }"
              @pointerenter="at = outcome.id"
            >
              <td class="number">{{ finished(outcome.finishedAt) }}</td>
              <td class="name">
                <NuxtLink :to="`/handover/${outcome.jobId}`" @focus="at = outcome.id"
                  ><MiddleName :name="outcome.sourceName"
                /></NuxtLink>
              </td>
              <td>{{ outcome.specName }}</td>
              <td class="end number">{{ saysRange(outcome[figure]) }}</td>
              <td class="end number">{{ says(outcome[figure].took) }}</td>
              <td class="end number">{{ signed(offBy(outcome[figure])) }}</td>
              <td>
                <StateMark
                  :state="isWithin(outcome[figure]) ? 'pass' : 'look'"
                  :label="isWithin(outcome[figure]) ? 'within' : 'outside'"
                />
              </td>
            </tr>
          </tbody>
        </table>
        <p v-if="listed.length > mostShown" class="muted">
          The newest {{ mostShown }} of {{ describeCount(listed.length) }} are listed; the charts have all of them.
        </p>
      </section>
    </div>
    <p v-else class="muted wait" role="status">Reading the results ...</p>
  </div>
</template>

<style scoped>
.figures .on {
  box-shadow: inset 0 -2px 0 var(--accent);
}
.sum {
  margin: 0 0 12px;
  max-width: 130ch;
}
.charts {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 24px;
  margin-bottom: 16px;
}
.chart {
  display: grid;
  grid-template-rows: auto 250px auto;
  min-width: 0;
  margin: 0;
  padding: 0;
  border: 0;
}
.key {
  display: flex;
  align-items: center;
  gap: 6px;
  margin: 4px 0 0;
}
.key .look {
  margin-left: 8px;
}
.page table.rows td {
  height: 26px;
}
.results .name {
  width: 34%;
  max-width: 0;
}
.results .name a {
  color: inherit;
  text-decoration: none;
}
.results .name a:hover {
  text-decoration: underline;
}
.pick:hover {
  text-decoration: underline;
}
.head {
  display: flex;
  align-items: center;
  gap: 12px;
}
.wait {
  padding: 16px;
}
</style>
