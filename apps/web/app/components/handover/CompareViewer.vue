<script setup lang="ts">
import { timecode, toNumber, type PictureCheckMeasurement, type PictureTreatment } from '@hematine/core'
import { mdiChevronLeft, mdiChevronRight, mdiMagnifyMinusOutline, mdiMagnifyPlusOutline } from '@mdi/js'
import { useElementSize, useEventListener, useLocalStorage } from '@vueuse/core'
import { computed, ref, watchEffect } from 'vue'
import { useFramePair, type BeforeSide } from '~/composables/useFramePair'
import { useStageMouse } from '~/composables/useStageMouse'
import { useView } from '~/composables/useView'

/** Before and after of a finished job at any frame: beside each other or wiped, zoomed and moved in step. */
const { id, treatment, measured } = defineProps<{
  id: number
  treatment: PictureTreatment
  measured: PictureCheckMeasurement
}>()

const mode = useLocalStorage<'beside' | 'wipe'>('hematine-compare', 'beside')
const side = ref<BeforeSide>('treated')
const wipe = ref(0.5)
const last = computed(() => Math.max(0, Math.min(measured.video.framesDecoded, measured.treatedFrames) - 1))
const rate = computed(() => treatment.result.rate)
const index = ref(Math.min(last.value, Math.floor(last.value / 2)))
const { pair, loading, problem } = useFramePair(id, index, side, last)

const stage = ref<HTMLElement>()
const beforeCanvas = ref<HTMLCanvasElement>()
const afterCanvas = ref<HTMLCanvasElement>()
const room = useElementSize(stage)
const picture = computed(() => {
  const { frame } = treatment.result
  return { width: frame.width * toNumber(frame.pixelAspect), height: frame.height }
})
const pane = computed(() => ({
  width: mode.value === 'beside' ? Math.max(1, (room.width.value - 2) / 2) : Math.max(1, room.width.value),
  height: Math.max(1, room.height.value),
}))
const view = useView(picture, pane)

function paint(canvas: HTMLCanvasElement | undefined, image: ImageBitmap | undefined): void {
  if (!canvas) return
  const ratio = window.devicePixelRatio
  const [width, height] = [Math.round(pane.value.width * ratio), Math.round(pane.value.height * ratio)]
  if (canvas.width !== width || canvas.height !== height) Object.assign(canvas, { width, height })
  const context = canvas.getContext('2d')!
  context.setTransform(ratio, 0, 0, ratio, 0, 0)
  context.clearRect(0, 0, pane.value.width, pane.value.height)
  if (!image) return
  const { x, y, width: w, height: h } = view.place.value
  // From 1:1 on, pixels are shown as they are.
  context.imageSmoothingEnabled = view.scale.value < 1 || image.width !== Math.round(picture.value.width)
  context.imageSmoothingQuality = 'high'
  context.drawImage(image, x, y, w, h)
}

watchEffect(
  () => {
    paint(beforeCanvas.value, pair.value?.before)
    paint(afterCanvas.value, pair.value?.after)
  },
  { flush: 'post' },
)

function step(by: number): void {
  index.value = Math.min(last.value, Math.max(0, index.value + by))
}

const { wheel, drag } = useStageMouse(view, pane, wipe, () => mode.value === 'wipe')

const second = computed(() => Math.max(1, Math.round(toNumber(rate.value))))
const keys: Record<string, (event: KeyboardEvent) => void> = {
  ArrowLeft: event => step(event.shiftKey ? -second.value : -1),
  ArrowRight: event => step(event.shiftKey ? second.value : 1),
  Home: () => step(-last.value),
  End: () => step(last.value),
  w: () => {
    mode.value = mode.value === 'beside' ? 'wipe' : 'beside'
  },
  '+': () => view.larger(),
  '=': () => view.larger(),
  '-': () => view.smaller(),
  '0': () => view.zoomTo(null),
  q: () => {
    wipe.value = Math.max(0, wipe.value - 0.05)
  },
  e: () => {
    wipe.value = Math.min(1, wipe.value + 0.05)
  },
}
useEventListener(window, 'keydown', (event: KeyboardEvent) => {
  const target = event.target as HTMLElement
  if (
    event.ctrlKey ||
    event.metaKey ||
    event.altKey ||
    ['TEXTAREA', 'SELECT'].includes(target.tagName) ||
    (target.tagName === 'INPUT' && (target as HTMLInputElement).type !== 'range') ||
    target.closest('[role="dialog"],[role="separator"],.v-overlay,table')
  )
    return
  const key = keys[event.key.length === 1 ? event.key.toLowerCase() : event.key]
  if (!key) return
  event.preventDefault()
  key(event)
})

const beforeName = computed(() => (side.value === 'treated' ? 'source, treated' : 'source as it is'))
const zoomWords = computed(() =>
  view.zoom.value === null
    ? `fit (${Math.round(view.scale.value * 100)} %)`
    : `${view.zoom.value >= 1 ? `${view.zoom.value}:1` : `1:${1 / view.zoom.value}`}`,
)
const jumps = computed(() => {
  const { ssim, xpsnr } = measured
  return [
    ...(ssim ? [{ name: 'Worst SSIM', frame: ssim.worstFrame }] : []),
    ...(xpsnr ? [{ name: 'Worst XPSNR', frame: xpsnr.worstFrame }] : []),
  ]
})
</script>

<template>
  <section class="viewer" aria-label="Before and after">
    <div class="bar tools">
      <div class="pair" role="group" aria-label="Way of comparing">
        <VBtn :aria-pressed="mode === 'beside'" :class="{ on: mode === 'beside' }" @click="mode = 'beside'"
          >Side by side</VBtn
        >
        <VBtn :aria-pressed="mode === 'wipe'" :class="{ on: mode === 'wipe' }" @click="mode = 'wipe'">Wipe</VBtn>
      </div>
      <div class="pair" role="group" aria-label="What stands for before">
        <VBtn :aria-pressed="side === 'treated'" :class="{ on: side === 'treated' }" @click="side = 'treated'"
          >Source, treated</VBtn
        >
        <VBtn :aria-pressed="side === 'source'" :class="{ on: side === 'source' }" @click="side = 'source'"
          >Source as it is</VBtn
        >
      </div>
      <span class="spacer" />
      <span v-if="loading" class="muted" role="status">decoding</span>
      <VBtn :icon="mdiMagnifyMinusOutline" size="28" variant="text" aria-label="Smaller" @click="view.smaller()" />
      <span class="number zoom">{{ zoomWords }}</span>
      <VBtn :icon="mdiMagnifyPlusOutline" size="28" variant="text" aria-label="Larger" @click="view.larger()" />
      <VBtn :disabled="view.zoom.value === null" @click="view.zoomTo(null)">Fit</VBtn>
      <VBtn @click="view.zoomTo(1)">1:1</VBtn>
    </div>
    <div ref="stage" class="stage" :class="mode" @wheel.prevent="wheel" @pointerdown="drag">
      <canvas
        ref="beforeCanvas"
        role="img"
        :aria-label="`Before: ${beforeName}, frame ${index}`"
        :style="{ width: `${pane.width}px`, height: `${pane.height}px` }"
      />
      <canvas
        ref="afterCanvas"
        role="img"
        :aria-label="`After: the result, frame ${index}`"
        :style="{
          width: `${pane.width}px`,
          height: `${pane.height}px`,
          clipPath: mode === 'wipe' ? `inset(0 0 0 ${wipe * 100}%)` : undefined,
        }"
      />
      <div v-if="mode === 'wipe'" class="divider" :style="{ left: `${wipe * 100}%` }" aria-hidden="true" />
      <span class="tag left">{{ beforeName }}</span>
      <span class="tag right">result</span>
      <div v-if="problem" class="problem" role="alert">{{ problem }}</div>
    </div>
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
  </section>
</template>

<style scoped>
.viewer {
  display: flex;
  flex-direction: column;
  min-height: 0;
  min-width: 0;
  flex: 1;
}
.tools {
  gap: 10px;
  overflow: hidden;
}
.pair {
  display: flex;
  gap: 1px;
}
.pair .on {
  background: rgb(var(--v-theme-on-surface)) !important;
  color: rgb(var(--v-theme-surface)) !important;
}
.zoom {
  min-width: 76px;
  text-align: center;
}
.stage {
  position: relative;
  flex: 1;
  min-height: 0;
  background: #000;
  overflow: hidden;
  cursor: grab;
  touch-action: none;
  user-select: none;
}
.stage canvas {
  position: absolute;
  top: 0;
  left: 0;
}
.stage.beside canvas + canvas {
  left: auto;
  right: 0;
}
.divider {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 11px;
  margin-left: -5px;
  cursor: ew-resize;
  background: linear-gradient(to right, transparent 5px, #e8e6e3 5px, #e8e6e3 6px, transparent 6px);
}
.tag {
  position: absolute;
  top: 8px;
  padding: 1px 6px;
  font-size: 12px;
  color: #e8e6e3;
  background: rgb(22 22 22 / 0.8);
  pointer-events: none;
}
.tag.left {
  left: 8px;
}
.tag.right {
  right: 8px;
}
.problem {
  position: absolute;
  inset: auto 0 0 0;
  padding: 8px 12px;
  color: #e8e6e3;
  background: rgb(22 22 22 / 0.9);
}
.steps {
  border-bottom: 0;
  border-top: 1px solid var(--line);
}
.steps input {
  flex: 1;
  accent-color: var(--accent);
  min-width: 100px;
}
</style>
