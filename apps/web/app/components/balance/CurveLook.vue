<script setup lang="ts">
import {
  curveAt,
  describeBytesRange,
  describeQuality,
  timecode,
  toNumber,
  type CurveRecord,
  type PictureTreatment,
} from '@hematine/core'
import { useLocalStorage } from '@vueuse/core'
import { computed, nextTick, ref, shallowRef, useTemplateRef, watch } from 'vue'
import PictureStage from '~/components/common/PictureStage.vue'
import { addressOf, CallProblem, problemOf } from '~/composables/useCall'
import type { ViewMode, ViewPane } from '~/composables/viewer'

/** One frame of a draft at the qualities that its curve was measured at, beside the treated one or beside each other. */
const { jobId, curve, treatment } = defineProps<{ jobId: number; curve: CurveRecord; treatment: PictureTreatment }>()
const emit = defineEmits<{ close: [] }>()
/** The quality that is chosen on the curve: it becomes the one that is looked at. */
const value = defineModel<number>({ required: true })
const open = computed({
  get: () => true,
  set: isOpen => {
    if (!isOpen) emit('close')
  },
})

type Side = number | 'treated'
const mode = useLocalStorage<ViewMode>('hematine-curve-view', 'wipe')
const values = computed(() => [...curve.pictures!.values].sort((a, b) => a - b))
const nearest = (to: number) => values.value.reduce((best, at) => (Math.abs(at - to) < Math.abs(best - to) ? at : best))
const against = ref<Side>('treated')
const shown = ref(nearest(value.value))
function show(at: number): void {
  shown.value = at
  value.value = at
}

const problem = ref<string | null>(null)
const images = shallowRef(new Map<Side, ImageBitmap>())
const asked = new Set<Side>()
async function fetchPicture(side: Side): Promise<void> {
  if (asked.has(side)) return
  asked.add(side)
  try {
    const address = addressOf('curvePicture', { parameters: { id: jobId, value: side } })
    const response = await fetch(`${address}?${curve.pictures!.key}`)
    if (!response.ok) throw await problemOf(response)
    const image = await createImageBitmap(await response.blob())
    images.value = new Map(images.value).set(side, image)
  } catch (error) {
    problem.value =
      error instanceof CallProblem ? error.message : 'The picture could not be fetched. Close this and open it again.'
  }
}
watch(
  [against, shown],
  async sides => {
    await Promise.all(sides.map(fetchPicture))
    // The others are there before they are asked for.
    for (const side of values.value) await fetchPicture(side)
  },
  { immediate: true },
)

const picture = computed(() => {
  const { frame } = treatment.result
  return { width: frame.width * toNumber(frame.pixelAspect), height: frame.height }
})
const nameOf = (side: Side) => (side === 'treated' ? 'source, treated' : `quality ${side}`)
const panes = computed<ViewPane[]>(() => [
  {
    key: 'against',
    name: nameOf(against.value),
    label: `The frame: ${nameOf(against.value)}`,
    image: images.value.get(against.value),
  },
  {
    key: 'shown',
    name: nameOf(shown.value),
    label: `The frame: ${nameOf(shown.value)}`,
    image: images.value.get(shown.value),
  },
])
const group = useTemplateRef<HTMLElement>('group')
function step(by: number): void {
  const at = values.value.indexOf(shown.value) + by
  if (values.value[at] === undefined) return
  show(values.value[at])
  // The focus goes along where it was on one of them.
  if (group.value?.contains(document.activeElement))
    void nextTick(() => group.value?.querySelector<HTMLElement>('[aria-checked="true"]')?.focus())
}
const keys = { ArrowLeft: () => step(-1), ArrowRight: () => step(1) }
const points = computed(() => values.value.map(at => curveAt(curve.points, at)))
const isLoading = computed(() => panes.value.some(({ image }) => !image))
</script>

<template>
  <VDialog v-model="open" width="1240" max-width="98vw" aria-label="The frame at each quality">
    <VCard>
      <div class="whole">
        <div class="bar">
          <h2 class="ellipsis">One frame at each quality of {{ curve.codec }}</h2>
          <span class="muted"
            >{{
              timecode(Math.round(curve.pictures!.seconds * toNumber(treatment.result.rate)), treatment.result.rate)
            }}
            of the result, in the stretch that suffers most</span
          >
          <span class="spacer" />
          <VBtn variant="text" @click="emit('close')">Close</VBtn>
        </div>
        <PictureStage
          v-model:mode="mode"
          label="The frame at two qualities"
          :panes="panes"
          :picture="picture"
          :loading="isLoading && !problem"
          :problem="problem"
          :keys="keys"
        >
          <template #tools>
            <span class="against"
              ><span aria-hidden="true">against </span
              ><select v-model="against" aria-label="Compared with">
                <option value="treated">source, treated</option>
                <option v-for="at in values" :key="at" :value="at">{{ nameOf(at) }}</option>
              </select></span
            >
          </template>
          <template #foot>
            <div ref="group" class="points" role="radiogroup" aria-label="Quality that is looked at">
              <button
                v-for="point in points"
                :key="point.value"
                type="button"
                role="radio"
                :aria-checked="point.value === shown"
                :tabindex="point.value === shown ? 0 : -1"
                @click="show(point.value)"
              >
                <strong class="number">{{ point.value }}</strong>
                <span class="number">{{ describeBytesRange(point.bytes) }}</span>
                <span class="muted">{{ describeQuality(point) }}</span>
              </button>
            </div>
          </template>
        </PictureStage>
      </div>
    </VCard>
  </VDialog>
</template>

<style scoped>
.whole {
  height: 90vh;
  display: flex;
  flex-direction: column;
}
.against select {
  border: 1px solid var(--line);
  padding: 2px 4px;
}
.points {
  display: grid;
  grid-auto-flow: column;
  grid-auto-columns: 1fr;
  gap: 1px;
  border-top: 1px solid var(--line);
}
.points button {
  display: grid;
  padding: 6px 10px;
  text-align: left;
  border-top: 2px solid transparent;
  font-size: 12px;
}
.points button[aria-checked='true'] {
  border-top-color: var(--accent);
  background: var(--raised);
}
</style>
