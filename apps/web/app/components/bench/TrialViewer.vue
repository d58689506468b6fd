<script setup lang="ts">
import { deliveredFacts, timecode, toNumber, type SourceRecord, type TrialRecord } from '@hematine/core'
import { mdiChevronLeft, mdiChevronRight, mdiPause, mdiPlay } from '@mdi/js'
import { useLocalStorage, watchDebounced } from '@vueuse/core'
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import PictureStage from '~/components/common/PictureStage.vue'
import { Sheet } from '~/composables/sheet'
import { addressOf } from '~/composables/useCall'
import { useMomentPlayer } from '~/composables/useMomentPlayer'
import { useMomentSound, type MomentSound } from '~/composables/useMomentSound'
import type { ViewMode, ViewPane } from '~/composables/viewer'

/** A moment of the source and of up to three results, played in step. Standing still, the very pixels are shown; playing, JPEGs of them. */
const { trials, leading, source, moment } = defineProps<{
  trials: readonly { trial: TrialRecord; letter: string }[]
  leading: number | null
  source: SourceRecord
  moment: number
}>()

const mode = useLocalStorage<ViewMode>('hematine-view', 'beside')
const flipped = ref(false)

const first = computed(() => trials[0]?.trial ?? null)
const range = computed(() => first.value?.moments[moment] ?? null)
const rate = computed(() => {
  const speed = first.value?.treatment.timeline?.speed ?? 1
  return first.value?.treatment.result ? toNumber(first.value.treatment.result.rate) * speed : 25
})
const length = computed(() =>
  range.value ? Math.min(range.value.to, source.facts?.durationSeconds ?? range.value.to) - range.value.from : 1,
)
const player = useMomentPlayer(length, rate)

/** Sound alone is shown as a drawing of it; one and the same source then has another picture. */
const isSound = (trial: TrialRecord) => trial.treatment.result === null
/** Stream of the source that is heard beside a trial: the first that it delivers. */
const heardTrack = ({ treatment }: TrialRecord) =>
  source.facts ? deliveredFacts(source.facts, treatment).audio[0]?.streamIndex : undefined
interface Pane {
  key: string
  name: string
  side: 'source' | 'result'
  trial: TrialRecord
}
const everyPane = computed<Pane[]>(() => {
  // Drawings of sound and pictures are not laid beside each other.
  const done = trials.filter(({ trial }) => trial.results[moment] && isSound(trial) === isSound(trials[0]!.trial))
  if (done.length === 0) return []
  return [
    { key: 'source', name: 'source', side: 'source', trial: done[0]!.trial },
    ...done.map(({ trial, letter }): Pane => ({
      key: `trial-${trial.id}`,
      name: `${letter} ${trial.label}`,
      side: 'result',
      trial,
    })),
  ]
})
/** Panes that stand beside each other, by their letters; wiping, flipping and the difference take the source and the result that was chosen first. */
const panes = computed(() => {
  const [before, ...results] = everyPane.value
  if (mode.value === 'beside' || !before || results.length === 0) return everyPane.value
  return [before, results.find(({ trial }) => trial.id === leading) ?? results[0]!]
})

const sheetKey = (pane: Pane) =>
  pane.side === 'source'
    ? `source-${moment}-${range.value?.from}-${isSound(pane.trial) ? 'sound' : 'picture'}-${heardTrack(pane.trial)}`
    : `${pane.key}-${moment}`

/** What can be heard: panes whose moment has sound. */
const sounds = computed<MomentSound[]>(() =>
  everyPane.value.flatMap(entry => {
    const loudness = entry.trial.results[moment]?.loudness
    if (!loudness) return []
    return [
      {
        key: sheetKey(entry),
        address: addressOf('trialSound', {
          parameters: { id: entry.trial.id, index: moment },
          query: { side: entry.side },
        }),
        loudness: entry.side === 'source' ? loudness.before : loudness.after,
        pace: entry.side === 'source' ? 1 : 1 / (entry.trial.treatment.timeline?.speed ?? 1),
      },
    ]
  }),
)
const listenTo = ref<string>('off')
/** Flipping between pictures flips between their sounds. */
const heard = computed(() => {
  if (listenTo.value === 'off') return null
  const key =
    mode.value === 'flip' && panes.value.length > 1 ? sheetKey(panes.value[flipped.value ? 0 : 1]!) : listenTo.value
  return sounds.value.some(sound => sound.key === key) ? key : null
})
const listening = useMomentSound(sounds, heard, player, length)
function listen(key: string): void {
  listenTo.value = key
  void listening.prepare()
}
/** S: the next sound. */
function listenOn(): void {
  const order = ['off', ...sounds.value.map(({ key }) => key)]
  listen(order[(order.indexOf(listenTo.value) + 1) % order.length]!)
}
// The same pane is heard in the next moment; one that is gone leaves silence.
watch(sounds, (list, before) => {
  if (listenTo.value === 'off' || list.some(({ key }) => key === listenTo.value)) return
  listenTo.value = list[before.findIndex(({ key }) => key === listenTo.value)]?.key ?? 'off'
})

/** The part of the source that the result shows, as parts of its width and height: what crops and steadying took off is left out. */
const sourcePart = computed(() => {
  let part = { x: 0, y: 0, width: 1, height: 1 }
  for (const step of first.value?.treatment.steps ?? []) {
    if (step.kind !== 'chosen' || (step.step.kind !== 'crop' && step.step.kind !== 'steady')) continue
    const [left, top] =
      step.step.kind === 'crop'
        ? [step.step.left, step.step.top]
        : [(step.from.width - step.to.width) / 2, (step.from.height - step.to.height) / 2]
    part = {
      x: part.x + (left / step.from.width) * part.width,
      y: part.y + (top / step.from.height) * part.height,
      width: part.width * (step.to.width / step.from.width),
      height: part.height * (step.to.height / step.from.height),
    }
  }
  return part
})

const sheets = shallowRef(new Map<string, Sheet>())
const problem = ref<string | null>(null)
const loading = ref(false)
/** Exact pictures of the frames that stand, by pane and frame. */
const exact = shallowRef(new Map<string, ImageBitmap>())
const repaint = ref(0)
const again = () => {
  repaint.value++
}

watch(
  [everyPane, () => moment],
  async ([list], [, before]) => {
    if (before !== moment) player.toIndex(0)
    const next = new Map<string, Sheet>()
    const missing: Pane[] = []
    for (const pane of list) {
      const known = sheets.value.get(sheetKey(pane))
      if (known) next.set(sheetKey(pane), known)
      else missing.push(pane)
    }
    for (const [key, sheet] of sheets.value) if (!next.has(key)) sheet.close()
    sheets.value = next
    exact.value = new Map()
    if (missing.length === 0) return
    loading.value = true
    problem.value = null
    try {
      await Promise.all(
        missing.map(async pane => {
          const key = sheetKey(pane)
          const sheet = await Sheet.load(
            addressOf('trialSheet', { parameters: { id: pane.trial.id, index: moment }, query: { side: pane.side } }),
          )
          sheets.value = new Map(sheets.value).set(key, sheet)
        }),
      )
    } catch {
      problem.value = 'The pictures of this moment could not be fetched. Try it again, or reload the page.'
    }
    loading.value = false
  },
  { immediate: true },
)

watchDebounced(
  [player.index, player.speed, panes, sheets],
  async () => {
    if (player.speed.value !== 0) return
    const index = player.index.value
    for (const pane of panes.value) {
      const key = `${sheetKey(pane)}@${index}`
      if (exact.value.has(key) || isSound(pane.trial)) continue
      const response = await fetch(
        addressOf('trialFrame', {
          parameters: { id: pane.trial.id, index: moment },
          query: { side: pane.side, seconds: player.seconds.value.toFixed(5) },
        }),
      ).catch(() => null)
      if (!response?.ok || player.index.value !== index) return
      exact.value = new Map([...exact.value].slice(-7)).set(key, await createImageBitmap(await response.blob()))
    }
  },
  { debounce: 180 },
)

const picture = computed(() => {
  // The size of drawings of sound is that of their sheets.
  const drawing = first.value && isSound(first.value) ? [...sheets.value.values()][0]?.header : null
  if (drawing) return { width: drawing.width, height: drawing.height }
  const frame = first.value?.treatment.result?.frame ?? {
    width: source.facts?.video?.width ?? 16,
    height: source.facts?.video?.height ?? 9,
    pixelAspect: source.facts?.video?.pixelAspect ?? { num: 1, den: 1 },
  }
  return { width: frame.width * toNumber(frame.pixelAspect), height: frame.height }
})
function pictureOf(entry: Pane): ImageBitmap | undefined {
  const sheet = sheets.value.get(sheetKey(entry))
  const still = player.speed.value === 0 ? exact.value.get(`${sheetKey(entry)}@${player.index.value}`) : undefined
  return still ?? (sheet && sheet.frames > 0 ? sheet.picture(sheet.indexAt(player.seconds.value), again) : undefined)
}

const compared = computed<ViewPane[]>(() => {
  void repaint.value
  return panes.value.map(entry => ({
    key: entry.key,
    name: entry.name,
    label: `${entry.name}, frame ${player.index.value} of the moment`,
    image: pictureOf(entry),
    ...(entry.side === 'source' ? { part: sourcePart.value } : {}),
  }))
})

const keys: Record<string, (event: KeyboardEvent) => void> = {
  ArrowLeft: event => player.step(event.shiftKey ? -Math.round(rate.value) : -1),
  ArrowRight: event => player.step(event.shiftKey ? Math.round(rate.value) : 1),
  j: () => player.shuttle(-1),
  k: () => player.stop(),
  l: () => player.shuttle(1),
  ' ': () => player.toggle(),
  s: listenOn,
}
onBeforeUnmount(() => {
  for (const sheet of sheets.value.values()) sheet.close()
})

/** Timecode of the source, whose frame is shown. */
const place = computed(() => {
  const ownRate = source.facts?.video?.frameRate ?? { num: 25, den: 1 }
  return timecode(
    Math.max(0, Math.round(((range.value?.from ?? 0) + player.seconds.value) * toNumber(ownRate))),
    ownRate,
  )
})
const waiting = computed(() => everyPane.value.length === 0 && trials.length > 0)
/** Looks of variants whose moment is not done. */
const looks = computed(() =>
  trials
    .filter(({ trial }) => trial.looks > moment)
    .map(({ trial, letter }) => ({
      letter,
      trial,
      address: addressOf('trialLook', { parameters: { id: trial.id, index: moment } }),
    })),
)
/** What is said while there is nothing to look at. */
const before = computed(() => {
  const failed = trials.find(({ trial }) => trial.state === 'failed')
  if (failed) return failed.trial.reason
  return trials.some(({ trial }) => trial.state === 'running')
    ? 'The first picture is being made'
    : 'This waits for its turn'
})
</script>

<template>
  <PictureStage
    v-model:mode="mode"
    v-model:flipped="flipped"
    label="Viewer"
    :panes="compared"
    :picture="picture"
    :loading="loading"
    :problem="problem"
    :keys="keys"
  >
    <div v-if="waiting" class="looks" role="status">
      <figure v-for="look in looks" :key="look.trial.id">
        <img :src="look.address" :alt="`First picture of ${look.letter} ${look.trial.label}`" />
        <figcaption>{{ look.letter }} {{ look.trial.label }}: first picture, the moment is being made</figcaption>
      </figure>
      <p v-if="looks.length === 0">{{ before }}</p>
    </div>
    <slot v-else />
    <template #foot>
      <div class="bar foot">
        <VBtn
          :icon="mdiChevronLeft"
          size="28"
          variant="text"
          aria-label="One frame back"
          :disabled="panes.length === 0"
          @click="player.step(-1)"
        />
        <VBtn
          :icon="player.speed.value === 0 ? mdiPlay : mdiPause"
          size="28"
          variant="text"
          :aria-label="player.speed.value === 0 ? 'Play' : 'Pause'"
          :disabled="panes.length === 0"
          @click="player.toggle()"
        />
        <VBtn
          :icon="mdiChevronRight"
          size="28"
          variant="text"
          aria-label="One frame on"
          :disabled="panes.length === 0"
          @click="player.step(1)"
        />
        <input
          type="range"
          min="0"
          :max="player.frames.value - 1"
          step="1"
          :value="player.index.value"
          aria-label="Frame of the moment"
          :aria-valuetext="`frame ${player.index.value}, ${place}`"
          :disabled="panes.length === 0"
          @input="event => player.toIndex(Number((event.target as HTMLInputElement).value))"
        />
        <span class="number">{{ place }}</span>
        <span class="number muted"
          >frame {{ player.index.value }} of {{ player.frames.value
          }}<template v-if="Math.abs(player.speed.value) > 1">, {{ player.speed.value }}x</template></span
        >
        <label v-if="sounds.length > 0" class="loop" title="All are played as loud as the quietest"
          >Sound
          <select :value="listenTo" @change="event => listen((event.target as HTMLSelectElement).value)">
            <option value="off">off</option>
            <option
              v-for="(entry, at) in everyPane.filter(one => sounds.some(sound => sound.key === sheetKey(one)))"
              :key="entry.key"
              :value="sounds[at]!.key"
            >
              {{ entry.side === 'source' ? 'source' : entry.name.slice(0, 1) }}
            </option>
          </select>
        </label>
        <span v-if="listening.failed.value" class="muted" role="alert">its sound could not be fetched</span>
        <label class="loop"><input v-model="player.loops.value" type="checkbox" /> loop</label>
      </div>
    </template>
  </PictureStage>
</template>

<style scoped>
.looks {
  display: flex;
  gap: 8px;
  padding: 12px;
  min-height: 0;
  align-items: center;
  justify-content: center;
}
.looks figure {
  margin: 0;
  min-width: 0;
  flex: 1;
  height: 100%;
  display: flex;
  flex-direction: column;
  gap: 4px;
}
.looks img {
  flex: 1;
  min-height: 0;
  width: 100%;
  object-fit: contain;
}
.looks figcaption {
  font-size: 12px;
  text-align: center;
}
.foot {
  border-bottom: 0;
  border-top: 1px solid var(--line);
}
.foot input[type='range'] {
  flex: 1;
  min-width: 80px;
}
.loop {
  display: inline-flex;
  align-items: center;
  gap: 4px;
  min-height: 24px;
}
select {
  border: 1px solid var(--muted);
  border-radius: 2px;
  padding: 1px 4px;
  font: inherit;
  color: inherit;
  background: rgb(var(--v-theme-background));
  min-height: 24px;
}
</style>
