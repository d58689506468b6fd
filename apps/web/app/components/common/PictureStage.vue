<script setup lang="ts">
import { mdiMagnifyMinusOutline, mdiMagnifyPlusOutline } from '@mdi/js'
import { useElementSize, useEventListener, useLocalStorage } from '@vueuse/core'
import { computed, ref, useTemplateRef, watchEffect } from 'vue'
import { drawScopes, scopeSize } from '~/composables/scopes'
import { paneGap, useStageMouse } from '~/composables/useStageMouse'
import { useView, type Size } from '~/composables/useView'
import { isForViewer, viewModes, type ViewMode, type ViewPane } from '~/composables/viewer'

/**
 * Pictures compared: beside each other, wiped, flipped or as their difference, zoomed and moved in step, with their scopes beside them.
 * All but "beside" take the first two.
 */
const {
  panes,
  picture,
  label,
  loading = false,
  problem = null,
  keys = {},
} = defineProps<{
  panes: readonly ViewPane[]
  /** Size at which all are shown at 1:1. */
  picture: Size
  label: string
  loading?: boolean
  problem?: string | null
  /** What further keys do, while there is something to see. */
  keys?: Record<string, (event: KeyboardEvent) => void>
}>()
const mode = defineModel<ViewMode>('mode', { required: true })
/** Whether the first picture is seen while flipping. */
const flipped = defineModel<boolean>('flipped', { default: false })
const scopes = useLocalStorage('hematine-scopes', false)
const wipe = ref(0.5)

const stage = useTemplateRef<HTMLElement>('stage')
const room = useElementSize(stage)
const canvases = useTemplateRef<HTMLCanvasElement[]>('canvases')
const scopeCanvases = useTemplateRef<HTMLCanvasElement[]>('scopeCanvases')
const compared = computed(() => (mode.value === 'beside' ? panes : panes.slice(0, 2)))
/** As many canvases as pictures are seen at once. */
const drawn = computed(() =>
  mode.value === 'beside' || mode.value === 'wipe' ? compared.value : compared.value.slice(0, 1),
)
const columns = computed(() => (mode.value === 'beside' ? Math.max(1, panes.length) : 1))
const pane = computed(() => ({
  width: Math.max(1, (room.width.value - (columns.value - 1) * paneGap) / columns.value),
  height: Math.max(1, room.height.value),
}))
const view = useView(
  computed(() => picture),
  pane,
)
const leftOf = (at: number) => (mode.value === 'beside' ? at * (pane.value.width + paneGap) : 0)
/** What a canvas shows: flipped, the one that is seen now. */
const seenAt = (at: number) => compared.value[mode.value === 'flip' ? (flipped.value ? 0 : 1) : at]
/** How many times the difference is magnified: three doublings. */
const doublings = 3
/** Frames painted with every picture there, for whoever measures how smoothly it plays. */
let painted = 0

function draw(context: CanvasRenderingContext2D, { part }: ViewPane, image: ImageBitmap): void {
  const { x, y, width, height } = view.place.value
  const { scale } = view
  // From 1:1 on pixels are shown as they are; those of a picture of another size from 2:1 on.
  context.imageSmoothingEnabled = scale.value < 1 || (scale.value < 2 && image.width !== Math.round(picture.width))
  context.imageSmoothingQuality = 'high'
  const from = part ?? { x: 0, y: 0, width: 1, height: 1 }
  context.drawImage(
    image,
    from.x * image.width,
    from.y * image.height,
    from.width * image.width,
    from.height * image.height,
    x,
    y,
    width,
    height,
  )
}

watchEffect(
  () => {
    const [before, after] = compared.value
    const ratio = window.devicePixelRatio
    const [width, height] = [Math.round(pane.value.width * ratio), Math.round(pane.value.height * ratio)]
    for (const [at, canvas] of (canvases.value ?? []).entries()) {
      if (canvas.width !== width || canvas.height !== height) Object.assign(canvas, { width, height })
      const entry = mode.value === 'difference' ? before : seenAt(at)
      // What is not decoded yet leaves the picture before it standing.
      if (!entry?.image || (mode.value === 'difference' && !after?.image)) continue
      const context = canvas.getContext('2d')!
      context.setTransform(ratio, 0, 0, ratio, 0, 0)
      context.globalCompositeOperation = 'source-over'
      context.clearRect(0, 0, pane.value.width, pane.value.height)
      draw(context, entry, entry.image)
      if (mode.value !== 'difference') continue
      context.globalCompositeOperation = 'difference'
      draw(context, after!, after!.image!)
      context.globalCompositeOperation = 'lighter'
      context.setTransform(1, 0, 0, 1, 0, 0)
      for (let time = 0; time < doublings; time++) context.drawImage(canvas, 0, 0)
    }
    if (scopes.value)
      for (const [at, canvas] of (scopeCanvases.value ?? []).entries()) {
        const image = compared.value[at]?.image
        if (image) drawScopes(canvas, image)
      }
    if (compared.value.length > 0 && compared.value.every(entry => entry.image) && stage.value)
      stage.value.dataset.painted = `${++painted}`
  },
  { flush: 'post' },
)

const { wheel, drag } = useStageMouse(view, pane, wipe, () => mode.value === 'wipe')

const ownKeys: Record<string, (event: KeyboardEvent) => void> = {
  w: () => {
    mode.value = viewModes[(viewModes.findIndex(([name]) => name === mode.value) + 1) % viewModes.length]![0]
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
  f: () => {
    flipped.value = true
  },
}
useEventListener(window, 'keydown', (event: KeyboardEvent) => {
  if (panes.length === 0 || !isForViewer(event, stage.value)) return
  const name = event.key.length === 1 ? event.key.toLowerCase() : event.key
  const key = keys[name] ?? ownKeys[name]
  if (!key) return
  event.preventDefault()
  key(event)
})
useEventListener(window, 'keyup', (event: KeyboardEvent) => {
  if (event.key.toLowerCase() === 'f') flipped.value = false
})

const zoomWords = computed(() =>
  view.zoom.value === null
    ? `fit (${Math.round(view.scale.value * 100)} %)`
    : `${view.zoom.value >= 1 ? `${view.zoom.value}:1` : `1:${1 / view.zoom.value}`}`,
)
/** Names on the picture, with where they stand. */
const tags = computed(() => {
  const [before, after] = compared.value
  if (!before) return []
  if (mode.value === 'beside')
    return panes.map((entry, at) => ({
      name: entry.name,
      style: { left: `${leftOf(at) + 8}px`, maxWidth: `${pane.value.width - 16}px` },
    }))
  if (mode.value === 'wipe')
    return [
      { name: before.name, style: { left: '8px' } },
      ...(after ? [{ name: after.name, style: { right: '8px' } }] : []),
    ]
  const name = mode.value === 'flip' ? (seenAt(0) ?? before).name : `${before.name} against ${after?.name ?? 'nothing'}`
  return [{ name, style: { left: '8px' } }]
})
</script>

<template>
  <section class="viewer" :aria-label="label">
    <div class="bar tools">
      <div class="group" role="group" aria-label="Way of comparing">
        <VBtn
          v-for="[name, words] in viewModes"
          :key="name"
          :aria-pressed="mode === name"
          :class="{ on: mode === name }"
          @click="mode = name"
          >{{ words }}</VBtn
        >
      </div>
      <slot name="tools" />
      <span v-if="mode === 'flip'" class="muted nowrap">hold F: {{ compared[0]?.name ?? 'the first' }}</span>
      <span v-else-if="mode === 'difference'" class="muted nowrap">magnified {{ 2 ** doublings }} times</span>
      <span class="spacer" />
      <VBtn :aria-pressed="scopes" :class="{ on: scopes }" variant="text" @click="scopes = !scopes">Scopes</VBtn>
      <VBtn :icon="mdiMagnifyMinusOutline" size="28" variant="text" aria-label="Smaller" @click="view.smaller()" />
      <span class="number zoom">{{ zoomWords }}</span>
      <VBtn :icon="mdiMagnifyPlusOutline" size="28" variant="text" aria-label="Larger" @click="view.larger()" />
      <VBtn :disabled="view.zoom.value === null" @click="view.zoomTo(null)">Fit</VBtn>
      <VBtn @click="view.zoomTo(1)">1:1</VBtn>
    </div>
    <div class="seen">
      <div ref="stage" class="stage" @wheel.prevent="wheel" @pointerdown="drag">
        <template v-if="panes.length > 0">
          <canvas
            v-for="(entry, at) in drawn"
            :key="entry.key"
            ref="canvases"
            role="img"
            :aria-label="entry.label"
            :style="{
              left: `${leftOf(at)}px`,
              width: `${pane.width}px`,
              height: `${pane.height}px`,
              clipPath: mode === 'wipe' && at === 1 ? `inset(0 0 0 ${wipe * 100}%)` : undefined,
            }"
          />
          <div v-if="mode === 'wipe'" class="divider" :style="{ left: `${wipe * 100}%` }" aria-hidden="true" />
          <span v-for="(tag, at) in tags" :key="at" class="tag" :style="tag.style">{{ tag.name }}</span>
        </template>
        <slot v-else />
        <span v-if="loading" class="tag fetching" role="status">fetching</span>
        <div v-if="problem" class="problem" role="alert">{{ problem }}</div>
      </div>
      <div v-if="scopes && panes.length > 0" class="scopes scroll">
        <figure v-for="entry in compared" :key="`scope-${entry.key}`">
          <canvas
            ref="scopeCanvases"
            :width="scopeSize.width"
            :height="scopeSize.height"
            role="img"
            :aria-label="`Waveform of luma and histogram, ${entry.name}`"
          />
          <figcaption class="ellipsis" :title="entry.name">{{ entry.name }}</figcaption>
        </figure>
      </div>
    </div>
    <slot name="foot" />
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
  gap: 8px;
  overflow: hidden;
}
.group {
  display: flex;
  gap: 1px;
}
.tools :deep(.on) {
  background: rgb(var(--v-theme-on-surface)) !important;
  color: rgb(var(--v-theme-surface)) !important;
}
.nowrap {
  white-space: nowrap;
}
.zoom {
  min-width: 70px;
  text-align: center;
}
.seen {
  flex: 1;
  min-height: 0;
  display: flex;
}
.stage {
  position: relative;
  flex: 1;
  min-width: 0;
  background: #0c0c0c;
  color: #e8e6e3;
  overflow: hidden;
  cursor: grab;
  touch-action: none;
  user-select: none;
  display: grid;
}
.stage > canvas {
  position: absolute;
  top: 0;
}
.tag.fetching {
  top: auto;
  bottom: 8px;
  left: 8px;
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
  background: rgb(22 22 22 / 0.8);
  pointer-events: none;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.scopes {
  flex: none;
  padding: 8px;
  display: flex;
  flex-direction: column;
  gap: 8px;
  border-left: 1px solid var(--line);
}
.scopes figure {
  margin: 0;
}
.scopes canvas {
  display: block;
  background: #0c0c0c;
}
.scopes figcaption {
  font-size: 12px;
  width: 0;
  min-width: 100%;
}
.problem {
  position: absolute;
  inset: auto 0 0 0;
  padding: 8px 12px;
  background: rgb(22 22 22 / 0.9);
}
</style>
