<script setup lang="ts">
import { useLocalStorage } from '@vueuse/core'
import { computed, ref } from 'vue'

/** Two panels beside each other; the second has a width that is remembered and changed by the edge, with the mouse or the arrow keys. */
const {
  name,
  initial = 420,
  least = 280,
  most = 760,
} = defineProps<{ name: string; initial?: number; least?: number; most?: number }>()

const kept = useLocalStorage(`hematine-pane-${name}`, initial)
const width = computed(() => Math.min(most, Math.max(least, kept.value)))
const root = ref<HTMLElement>()

function drag(event: PointerEvent): void {
  const edge = event.currentTarget as HTMLElement
  edge.setPointerCapture(event.pointerId)
  const right = root.value!.getBoundingClientRect().right
  const move = (step: PointerEvent) => {
    kept.value = Math.min(most, Math.max(least, right - step.clientX))
  }
  edge.addEventListener('pointermove', move)
  edge.addEventListener('pointerup', () => edge.removeEventListener('pointermove', move), { once: true })
}

function nudge(by: number): void {
  kept.value = Math.min(most, Math.max(least, width.value + by))
}
</script>

<template>
  <div ref="root" class="split">
    <div class="first"><slot name="first" /></div>
    <div
      class="edge"
      role="separator"
      tabindex="0"
      aria-orientation="vertical"
      :aria-label="`Width of the ${name} panel`"
      :aria-valuenow="width"
      :aria-valuemin="least"
      :aria-valuemax="most"
      @pointerdown="drag"
      @keydown.left.prevent="nudge(20)"
      @keydown.right.prevent="nudge(-20)"
    />
    <div
      class="second scroll"
      tabindex="0"
      role="group"
      :aria-label="`The ${name} panel`"
      :style="{ width: `${width}px` }"
    >
      <slot name="second" />
    </div>
  </div>
</template>

<style scoped>
.split {
  display: flex;
  flex: 1;
  min-height: 0;
  min-width: 0;
}
.first {
  flex: 1;
  min-width: 0;
  min-height: 0;
  display: flex;
  flex-direction: column;
}
.edge {
  width: 5px;
  flex: none;
  border-left: 1px solid var(--line);
  cursor: col-resize;
  touch-action: none;
}
.edge:hover {
  background: var(--raised);
}
.second {
  flex: none;
}
</style>
