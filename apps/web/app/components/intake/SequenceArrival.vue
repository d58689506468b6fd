<script setup lang="ts">
import {
  completeAt,
  describeDuration,
  describeRanges,
  framesPresent,
  framesSpanned,
  type SourceRecord,
} from '@hematine/core'
import { computed, ref, watch } from 'vue'
import { call } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

/** Which frames of a sequence are here, and when the rest will be. */
const { source } = defineProps<{ source: SourceRecord }>()
const order = useOrder()
const notices = useNotices()
const sequence = computed(() => source.sequence!)
const expected = ref('')
watch(
  () => source.expectedLast,
  value => {
    expected.value = value === null ? '' : String(value)
  },
  { immediate: true },
)
const present = computed(() => framesPresent(sequence.value))
const wanted = computed(() =>
  source.expectedLast === null ? null : framesSpanned({ ...sequence.value, last: source.expectedLast }),
)
const arriving = computed(() => source.facts?.arriving ?? null)
const clock = (time: number) =>
  new Date(time).toLocaleString('en-GB', { weekday: 'short', hour: '2-digit', minute: '2-digit' })

async function expect(): Promise<void> {
  const text = expected.value.trim()
  const expectedLast = text === '' ? null : Number(text)
  if (expectedLast !== null && !Number.isInteger(expectedLast))
    return notices.problem(`"${text}" is no frame number. Write a whole number, or nothing.`)
  if (expectedLast === source.expectedLast) return
  const changed = await notices.attempt(() =>
    call('expectLastFrame', { parameters: { id: source.id }, body: { expectedLast } }),
  )
  if (changed) order.noteSources([source.id])
  else expected.value = source.expectedLast === null ? '' : String(source.expectedLast)
}
</script>

<template>
  <section>
    <h2>Frames</h2>
    <p>
      <span class="number">{{ present }}</span><template v-if="wanted !== null">
        of <span class="number">{{ wanted }}</span></template
      >
      are here<template v-if="sequence.missing.length > 0"
        >; missing: <span class="number">{{ describeRanges(sequence.missing) }}</span></template
      >.
      <template v-if="arriving"
        >A frame came every {{ describeDuration(arriving.secondsPerFrame) }} (middle of the last {{ arriving.from }}),
        the newest {{ clock(Date.parse(arriving.lastAt)) }}.</template
      >
      <template v-if="wanted !== null && present < wanted">
        <template v-if="arriving">
          All are there about <strong>{{ clock(completeAt(sequence, source.expectedLast!, arriving)) }}</strong>, if it
          goes on like that.</template
        >
        <template v-else> None came lately.</template>
      </template>
      <template v-else-if="wanted !== null"> It is complete.</template>
    </p>
    <VTextField
      v-model="expected"
      label="Expected last frame"
      placeholder="not known"
      persistent-placeholder
      inputmode="numeric"
      class="last"
      @change="expect"
    />
  </section>
</template>

<style scoped>
p {
  margin: 0 0 8px;
}
.last {
  max-width: 180px;
}
</style>
