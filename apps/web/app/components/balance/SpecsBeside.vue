<script setup lang="ts">
import {
  describeBytesRange,
  describeCount,
  describeDurationRange,
  marksOf,
  reachOf,
  type DeliverySpec,
  type JobDetail,
  type SpecWork,
} from '@hematine/core'
import { computed, ref, watch } from 'vue'
import { askingOrder } from '~/composables/askingOrder'
import { call } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

/** The specs that a draft's lot is drafted with, side by side: what opens each, and what each costs. */
const { job } = defineProps<{ job: JobDetail }>()
const order = useOrder()
const notices = useNotices()
const works = ref<SpecWork[]>([])
const busy = ref(false)
const asking = askingOrder()

/** The drafts of its lot; of its source alone, where that is in none yet. */
const choice = computed(() => (job.lotId === null ? { sourceId: job.sourceId } : { lotId: job.lotId }))
watch(
  () => [order.jobChange, choice.value],
  async () => {
    const counts = asking.ask()
    const answer = await call('listJobSpecs', {
      query: { orderId: job.orderId, states: 'draft', ...choice.value },
    }).catch(() => null)
    if (answer && counts()) works.value = answer.specs
  },
  { immediate: true },
)

const rows = computed(() => {
  const known = works.value.flatMap(work => {
    const spec = order.specs.find(entry => entry.key === work.specKey)
    return spec ? [{ work, spec: spec as DeliverySpec }] : []
  })
  const marks = marksOf(
    known.map(({ work }) => work),
    known.map(({ spec }) => spec),
  )
  return known.map(({ work, spec }, index) => ({ work, reach: reachOf(spec), marks: marks[index]! }))
})

/** Only of what was measured itself: what is carried over from others says nothing of likeness. */
function likeness({ likenessKnown, leastXpsnr, totals }: SpecWork): string {
  if (likenessKnown === 0) return 'not measured'
  const words = leastXpsnr === null ? 'identical to the treated picture' : `from ${leastXpsnr.toFixed(1)} dB XPSNR`
  return likenessKnown === totals.jobs ? words : `${words}, in the ${describeCount(likenessKnown)} measured`
}
function totalsWords({ totals }: SpecWork): string {
  const unknown = totals.unknown > 0 ? `, ${describeCount(totals.unknown)} of them not known yet` : ''
  return `${describeCount(totals.jobs)} ${totals.jobs === 1 ? 'draft' : 'drafts'}${unknown}`
}

/** Takes the drafts with other specs away. */
async function keepOnly(specKey: string): Promise<void> {
  busy.value = true
  await notices.attempt(async () => {
    const drafts = { states: ['draft' as const], ...choice.value }
    const [all, kept] = await Promise.all([order.jobIds(drafts), order.jobIds({ ...drafts, specKey })])
    const stay = new Set(kept)
    await order.act(
      all.filter(id => !stay.has(id)),
      'remove',
    )
  })
  busy.value = false
}
</script>

<template>
  <section v-if="rows.length > 1" aria-label="Specs side by side">
    <h2>Side by side</h2>
    <p class="muted">
      This {{ job.lotId === null ? 'source' : 'lot' }} is drafted with {{ describeCount(rows.length) }} specs. What all
      of it comes to:
    </p>
    <ul>
      <li v-for="{ work, reach, marks } in rows" :key="work.specKey" :class="{ own: work.specKey === job.specKey }">
        <h3>{{ work.specName }}</h3>
        <p v-if="marks.length > 0" class="marks">
          <span v-for="mark in marks" :key="mark" class="mark">{{ mark }}</span>
        </p>
        <dl>
          <dt>results</dt>
          <dd class="number">
            {{ work.totals.bytes.expected > 0 ? describeBytesRange(work.totals.bytes) : 'not known yet' }}
          </dd>
          <dt>device time</dt>
          <dd class="number">
            {{ work.totals.seconds.expected > 0 ? describeDurationRange(work.totals.seconds) : 'not known yet' }}
          </dd>
          <dt>likeness</dt>
          <dd>{{ likeness(work) }}</dd>
          <dt>opens in</dt>
          <dd>{{ reach.says }}</dd>
          <dt>sums of</dt>
          <dd>{{ totalsWords(work) }}</dd>
        </dl>
        <VBtn size="small" :disabled="busy" @click="keepOnly(work.specKey)">Keep only {{ work.specName }}</VBtn>
      </li>
    </ul>
  </section>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  border-top: 1px solid var(--line);
  padding: 8px 0 8px 8px;
}
.own {
  box-shadow: inset 2px 0 0 var(--accent);
}
h3 {
  font-size: 13px;
  margin: 0;
}
.marks {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  margin: 4px 0;
}
.mark {
  border: 1px solid var(--line);
  border-radius: 2px;
  padding: 0 6px;
  font-size: 12px;
}
dl {
  display: grid;
  grid-template-columns: 84px 1fr;
  gap: 2px 8px;
  margin: 4px 0 8px;
}
dt {
  color: var(--muted);
}
dd {
  margin: 0;
}
</style>
