<script setup lang="ts">
import type { SpecPieces } from '@hematine/core'
import { computed } from 'vue'
import NumberField from '~/components/common/NumberField.vue'

/** What a source becomes: one result, or one for each of its pieces; of stills, the frames of moving pictures that are taken. */
const pieces = defineModel<SpecPieces | undefined>({ required: true })
const { isStill } = defineProps<{ isStill: boolean }>()

type CutAt = SpecPieces['at']
const words: Record<CutAt, string> = {
  chapters: 'each chapter',
  cuts: 'each shot: where the picture cuts',
  ranges: 'each range that a trim keeps',
  length: 'every so many minutes',
}
const items = computed(() => {
  const [none, some] = isStill ? ['none', 'the middle one of'] : ['one', 'one for']
  return [
    { value: null, title: none },
    ...(Object.keys(words) as CutAt[]).map(value => ({ value, title: `${some} ${words[value]}` })),
  ]
})
const hints: Record<CutAt, string> = {
  chapters: 'A source without chapters stays in one',
  cuts: 'Each source is looked through once for its cuts',
  ranges: 'A source of a lot whose treatment does not trim stays in one',
  length: 'A rest of less than a tenth goes with the one before',
}
/** What stays in one is no still of it. */
const hint = computed(() => (pieces.value && !(isStill && pieces.value.at !== 'cuts') ? hints[pieces.value.at] : ''))

/** What is chosen at first. */
const usual: Record<CutAt, SpecPieces> = {
  chapters: { at: 'chapters' },
  cuts: { at: 'cuts', leastSeconds: 5 },
  ranges: { at: 'ranges' },
  length: { at: 'length', seconds: 1800 },
}
</script>

<template>
  <VSelect
    :model-value="pieces?.at ?? null"
    :items="items"
    :label="isStill ? 'Frames of moving pictures' : 'Results of a source'"
    :hint="hint"
    :persistent-hint="hint !== ''"
    @update:model-value="at => (pieces = at === null ? undefined : { ...usual[at] })"
  />
  <NumberField
    v-if="pieces?.at === 'length'"
    label="Minutes of each"
    :least="1 / 60"
    :most="1440"
    :step="1"
    :model-value="pieces.seconds / 60"
    @update:model-value="minutes => (pieces = { at: 'length', seconds: Math.max(1, Math.round((minutes ?? 0) * 60)) })"
  />
  <NumberField
    v-if="pieces?.at === 'cuts'"
    label="Seconds of each at least; shorter shots go with the one before"
    :least="0"
    :most="86400"
    :step="1"
    :model-value="pieces.leastSeconds"
    @update:model-value="seconds => (pieces = { at: 'cuts', leastSeconds: Math.max(0, seconds ?? 0) })"
  />
</template>
