<script setup lang="ts">
import { describeClock, displayAspect, findingNames, toNumber, type Finding, type SourceRecord } from '@hematine/core'
import { useEventListener } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useClosing } from '~/composables/useClosing'
import { addressOf } from '~/composables/useCall'

/** The very frame that a finding speaks of, as large as wished, with the part of the picture that it means. */
const { source, finding, start } = defineProps<{ source: SourceRecord; finding: Finding | null; start: number }>()
const emit = defineEmits<{ close: [] }>()
const open = useClosing(() => emit('close'))
const video = computed(() => source.facts!.video!)
/** Frame steps away from the place. */
const step = ref(0)
const place = ref(finding ? start : 0)
const zoom = ref<'fit' | 1 | 2 | 4>('fit')
const failed = ref(false)
const frame = computed(() => 1 / toNumber(video.value.frameRate))
const seconds = computed(() =>
  Math.min(
    Math.max(0, (finding ? finding.places[place.value]!.seconds : start) + step.value * frame.value),
    Math.max(0, (source.facts!.durationSeconds ?? 0) - frame.value),
  ),
)
const address = computed(() =>
  addressOf('sourceFrame', { parameters: { id: source.id }, query: { seconds: seconds.value.toFixed(4) } }),
)
const area = computed(() => finding?.places[place.value]?.area ?? null)
const shape = computed(() => toNumber(displayAspect(video.value)))
const size = computed(() =>
  zoom.value === 'fit'
    ? {}
    : {
        width: `${Math.round(video.value.height * shape.value * zoom.value)}px`,
        height: `${video.value.height * zoom.value}px`,
        maxWidth: 'none',
        maxHeight: 'none',
      },
)
watch(place, () => {
  step.value = 0
})
watch(address, () => {
  failed.value = false
})

function onKey(event: KeyboardEvent): void {
  if (event.key === 'ArrowRight') step.value++
  else if (event.key === 'ArrowLeft') step.value--
  else return
  event.preventDefault()
}
// Wherever the focus is while the dialog is open.
useEventListener('keydown', onKey)
</script>

<template>
  <VDialog
    v-model="open"
    width="1040"
    max-width="96vw"
    :aria-label="finding ? `Evidence: ${finding.says}` : `Frame of ${source.name}`"
  >
    <VCard class="evidence">
      <div class="bar">
        <h2 class="ellipsis">{{ finding ? findingNames[finding.key] : source.name }}</h2>
        <span v-if="finding" class="ellipsis muted">{{ finding.says }}</span>
        <span class="spacer" />
        <VBtn variant="text" aria-label="Close" @click="emit('close')">Close</VBtn>
      </div>
      <div class="stage scroll" tabindex="0" role="group" aria-label="The frame">
        <div class="frame" :style="zoom === 'fit' ? { aspectRatio: String(shape) } : size">
          <img
            :src="address"
            :alt="`Frame at ${describeClock(seconds)}`"
            :class="{ pixels: zoom !== 'fit' && zoom > 1 }"
            @error="failed = true"
          />
          <svg
            v-if="area && !failed"
            :viewBox="`0 0 ${video.width} ${video.height}`"
            preserveAspectRatio="none"
            aria-hidden="true"
          >
            <rect
              :x="area.x"
              :y="area.y"
              :width="area.width"
              :height="area.height"
              fill="none"
              stroke="currentColor"
              vector-effect="non-scaling-stroke"
              stroke-width="2"
            />
          </svg>
          <p v-if="failed" class="bad">This frame cannot be shown; the file is probably damaged here.</p>
        </div>
      </div>
      <div class="bar foot">
        <VBtn variant="text" @click="step--">Frame back</VBtn>
        <span class="number"
          >{{ describeClock(seconds)
          }}<template v-if="step !== 0"> ({{ step > 0 ? '+' : '' }}{{ step }} frames)</template></span
        >
        <VBtn variant="text" @click="step++">Frame on</VBtn>
        <template v-if="finding && finding.places.length > 1">
          <VBtn variant="text" :disabled="place === 0" @click="place--">Place before</VBtn>
          <span class="number">{{ place + 1 }} of {{ finding.places.length }}</span>
          <VBtn variant="text" :disabled="place === finding.places.length - 1" @click="place++">Next place</VBtn>
        </template>
        <span class="spacer" />
        <div role="group" aria-label="Size">
          <VBtn
            v-for="value in ['fit', 1, 2, 4] as const"
            :key="value"
            variant="text"
            :aria-pressed="zoom === value"
            :class="{ chosen: zoom === value }"
            @click="zoom = value"
            >{{ value === 'fit' ? 'Fit' : `${value}:1` }}</VBtn
          >
        </div>
      </div>
    </VCard>
  </VDialog>
</template>

<style scoped>
.stage {
  height: min(62vh, 620px);
  background: #0c0c0c;
  display: flex;
}
.frame {
  position: relative;
  margin: auto;
  max-width: 100%;
  max-height: 100%;
  flex: none;
}
.frame[style*='aspect-ratio'] {
  height: 100%;
}
.frame img {
  display: block;
  width: 100%;
  height: 100%;
}
.frame svg {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  color: var(--look);
}
.frame p {
  position: absolute;
  inset: 40% 0 auto;
  text-align: center;
}
.pixels {
  image-rendering: pixelated;
}
.foot {
  border-bottom: 0;
  border-top: 1px solid var(--line);
}
.chosen {
  box-shadow: inset 0 -2px 0 var(--accent);
}
</style>
