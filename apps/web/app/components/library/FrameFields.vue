<script setup lang="ts">
import type { FrameRule } from '@hematine/core'
import { computed } from 'vue'
import NumberField from '~/components/common/NumberField.vue'

/** How a spec wants the frame: as the picture's shape makes it, or of exact size. */
const { isMoving } = defineProps<{ isMoving: boolean }>()
const rule = defineModel<FrameRule>({ required: true })

type Size = 'within' | NonNullable<FrameRule['exactly']>
type Pixels = 'own' | 'square' | NonNullable<FrameRule['shownAs']>

const size = computed<Size>(() => rule.value.exactly ?? 'within')
const pixels = computed<Pixels>(() => rule.value.shownAs ?? (rule.value.squarePixels ? 'square' : 'own'))
const sizeItems: { value: Size; title: string }[] = [
  { value: 'within', title: 'as large as its shape allows' },
  { value: 'padded', title: 'exactly so, the rest black' },
  { value: 'cropped', title: 'exactly so, what hangs over cut off' },
]
const pixelItems = computed<{ value: Pixels; title: string }[]>(() => [
  ...(isMoving && size.value === 'within' ? [{ value: 'own' as const, title: 'of the source’s shape' }] : []),
  { value: 'square', title: 'square' },
  ...(isMoving && size.value !== 'within'
    ? [
        { value: '4:3' as const, title: 'so that the frame is 4:3' },
        { value: '16:9' as const, title: 'so that the frame is 16:9' },
        { value: 'nearer' as const, title: 'so that it is 4:3 or 16:9, whichever is nearer' },
      ]
    : []),
])

function change(changes: Partial<FrameRule>): void {
  rule.value = { ...rule.value, ...changes }
}
function changeSize(wanted: Size): void {
  const { exactly: _exactly, shownAs, ...rest } = rule.value
  if (wanted === 'within') rule.value = rest
  else
    rule.value = {
      ...rest,
      exactly: wanted,
      enlarge: wanted === 'cropped' || rest.enlarge,
      ...(shownAs ? { shownAs } : { squarePixels: true }),
    }
}
function changePixels(wanted: Pixels): void {
  const { shownAs: _shown, ...rest } = rule.value
  rule.value =
    wanted === 'own' || wanted === 'square'
      ? { ...rest, squarePixels: wanted === 'square' }
      : { ...rest, squarePixels: false, shownAs: wanted }
}
function changeMultiple(multiple: FrameRule['multiple'] | null): void {
  const { multiple: _multiple, ...rest } = rule.value
  rule.value = multiple ? { ...rest, multiple } : rest
}
</script>

<template>
  <NumberField
    :label="size === 'within' ? 'Fits a width of' : 'A width of'"
    :least="16"
    :most="16384"
    :model-value="rule.maxWidth"
    @update:model-value="width => change({ maxWidth: Math.round(width ?? 0) })"
  />
  <NumberField
    label="and a height of"
    :least="16"
    :most="16384"
    :model-value="rule.maxHeight"
    @update:model-value="height => change({ maxHeight: Math.round(height ?? 0) })"
  />
  <VSelect :model-value="size" :items="sizeItems" label="The frame is" @update:model-value="changeSize" />
  <VSelect
    v-if="size !== 'cropped'"
    :model-value="rule.enlarge"
    :items="[
      { value: false, title: 'stay small' },
      { value: true, title: 'are enlarged to it' },
    ]"
    label="Smaller pictures"
    @update:model-value="enlarge => change({ enlarge })"
  />
  <VSelect
    v-if="pixelItems.length > 1"
    :model-value="pixels"
    :items="pixelItems"
    label="Pixels are"
    @update:model-value="changePixels"
  />
  <VSelect
    :model-value="rule.multiple ?? null"
    :items="[
      { value: null, title: 'of what the codec needs' },
      ...[4, 8, 16].map(value => ({ value, title: `of ${value}` })),
    ]"
    label="Sides are multiples"
    @update:model-value="changeMultiple"
  />
</template>
