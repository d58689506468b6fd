<script setup lang="ts">
import { describeRate, equal, standardRates, type PictureSpec, type Rational } from '@hematine/core'
import { computed } from 'vue'

/** How fast a spec's moving pictures run: as their sources, up to a rate, or at exactly one. */
type Video = PictureSpec['video']
const video = defineModel<Video>({ required: true })

type Rule = 'own' | 'at most' | 'exactly'
const rule = computed<Rule>(() =>
  video.value.maxFrameRate === null ? 'own' : video.value.holdsFrameRate ? 'exactly' : 'at most',
)
/** Where no rate was named yet. */
const usual: Rational = { num: 25, den: 1 }
const rates = computed(() => {
  const own = video.value.maxFrameRate
  const all = own && !standardRates.some(rate => equal(rate, own)) ? [...standardRates, own] : standardRates
  return all.map(rate => ({ value: describeRate(rate), title: `${describeRate(rate)} fps`, rate }))
})

function changeRule(wanted: Rule): void {
  const { holdsFrameRate: _held, ...rest } = video.value
  video.value = {
    ...rest,
    maxFrameRate: wanted === 'own' ? null : (rest.maxFrameRate ?? usual),
    ...(wanted === 'exactly' ? { holdsFrameRate: true as const } : {}),
  }
}
function changeRate(words: string): void {
  const found = rates.value.find(({ value }) => value === words)
  if (found) video.value = { ...video.value, maxFrameRate: { ...found.rate } }
}
</script>

<template>
  <VSelect
    :model-value="rule"
    :items="[
      { value: 'own', title: 'as fast as the source' },
      { value: 'at most', title: 'as the source, up to' },
      { value: 'exactly', title: 'exactly, frames shown again or dropped' },
    ]"
    label="Runs"
    @update:model-value="changeRule"
  />
  <VSelect
    v-if="video.maxFrameRate"
    :model-value="describeRate(video.maxFrameRate)"
    :items="rates"
    label="Frame rate"
    @update:model-value="changeRate"
  />
</template>
