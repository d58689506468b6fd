<script setup lang="ts">
import { timecode, toNumber, type PictureCheckMeasurement, type PictureTreatment } from '@hematine/core'
import { mdiChevronLeft, mdiChevronRight } from '@mdi/js'
import { useLocalStorage } from '@vueuse/core'
import { computed, ref } from 'vue'
import PictureStage from '~/components/common/PictureStage.vue'
import { useFramePair, type BeforeSide } from '~/composables/useFramePair'
import type { ViewMode, ViewPane } from '~/composables/viewer'

/** Before and after of a finished job at any frame. */
const { id, treatment, measured } = defineProps<{
  id: number
  treatment: PictureTreatment
  measured: PictureCheckMeasurement
}>()

const mode = useLocalStorage<ViewMode>('hematine-view', 'beside')
const side = ref<BeforeSide>('treated')
const last = computed(() => Math.max(0, Math.min(measured.video.framesDecoded, measured.treatedFrames) - 1))
const rate = computed(() => treatment.result.rate)
const index = ref(Math.min(last.value, Math.floor(last.value / 2)))
const { pair, loading, problem } = useFramePair(id, index, side, last)

const picture = computed(() => {
  const { frame } = treatment.result
  return { width: frame.width * toNumber(frame.pixelAspect), height: frame.height }
})
const beforeName = computed(() => (side.value === 'treated' ? 'source, treated' : 'source as it is'))
const panes = computed<ViewPane[]>(() => [
  {
    key: 'before',
    name: beforeName.value,
    label: `Before: ${beforeName.value}, frame ${index.value}`,
    image: pair.value?.before,
  },
  { key: 'after', name: 'result', label: `After: the result, frame ${index.value}`, image: pair.value?.after },
])

function step(by: number): void {
  index.value = Math.min(last.value, Math.max(0, index.value + by))
}
const second = computed(() => Math.max(1, Math.round(toNumber(rate.value))))
const keys: Record<string, (event: KeyboardEvent) => void> = {
  ArrowLeft: event => step(event.shiftKey ? -second.value : -1),
  ArrowRight: event => step(event.shiftKey ? second.value : 1),
  Home: () => step(-last.value),
  End: () => step(last.value),
}
const jumps = computed(() => {
  const { ssim, xpsnr } = measured
  return [
    ...(ssim ? [{ name: 'Worst SSIM', frame: ssim.worstFrame }] : []),
    ...(xpsnr ? [{ name: 'Worst XPSNR', frame: xpsnr.worstFrame }] : []),
  ]
})
</script>

<template>
  <PictureStage
    v-model:mode="mode"
    label="Before and after"
    :panes="panes"
    :picture="picture"
    :loading="loading"
    :problem="problem"
    :keys="keys"
  >
    <template #tools>
      <div class="pair" role="group" aria-label="What stands for before">
        <VBtn :aria-pressed="side === 'treated'" :class="{ on: side === 'treated' }" @click="side = 'treated'"
          >Source, treated</VBtn
        >
        <VBtn :aria-pressed="side === 'source'" :class="{ on: side === 'source' }" @click="side = 'source'"
          >Source as it is</VBtn
        >
      </div>
    </template>
    <template #foot>
      <div class="bar steps">
        <VBtn
          :icon="mdiChevronLeft"
          size="28"
          variant="text"
          aria-label="One frame back"
          :disabled="index === 0"
          @click="step(-1)"
        />
        <VBtn
          :icon="mdiChevronRight"
          size="28"
          variant="text"
          aria-label="One frame on"
          :disabled="index === last"
          @click="step(1)"
        />
        <input
          v-model.number="index"
          type="range"
          min="0"
          :max="last"
          step="1"
          aria-label="Frame"
          :aria-valuetext="`frame ${index}, ${timecode(index, rate)}`"
        />
        <span class="number">{{ timecode(index, rate) }}</span>
        <span class="number muted">frame {{ index }} (0-{{ last }})</span>
        <VBtn v-for="jump in jumps" :key="jump.name" variant="text" @click="index = Math.min(last, jump.frame)">{{
          jump.name
        }}</VBtn>
      </div>
    </template>
  </PictureStage>
</template>

<style scoped>
.pair {
  display: flex;
  gap: 1px;
}
.steps {
  border-bottom: 0;
  border-top: 1px solid var(--line);
}
.steps input {
  flex: 1;
  min-width: 100px;
}
</style>
