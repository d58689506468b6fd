<script setup lang="ts">
import { fineWords, type FineChoice, type FineSettings, type PictureCodec } from '@hematine/core'
import { computed } from 'vue'

/** Settings of a codec's encoder one level down, each with what it was measured to do. */
const { codec } = defineProps<{ codec: PictureCodec }>()
const fine = defineModel<FineSettings | undefined>({ required: true })

const asEffort = { value: null, title: 'as the effort sets it' }
const item = (title: string, choice: FineChoice) => ({
  value: choice[1],
  title,
  props: { subtitle: fineWords(codec, choice) },
})
const betweenItems = computed(() => [
  asEffort,
  ...(codec.fine?.betweenFrames ?? []).map(count =>
    item(count === 0 ? 'none' : `up to ${count}`, ['betweenFrames', count]),
  ),
])
const referenceItems = computed(() => [
  asEffort,
  ...(codec.fine?.references ?? []).map(count => item(`at most ${count}`, ['references', count])),
])
const kindWords = {
  film: 'filmed: fine texture stays',
  drawn: 'drawn: flat areas and lines',
  grain: 'grain: it is kept, for many more bits',
}
const kindItems = computed(() => [
  { value: null, title: 'any' },
  ...(codec.fine?.suits ?? []).map(kind => item(kindWords[kind], ['suits', kind])),
])
/** Measured with keyframes so near to each other; further apart they make less of a difference. */
const closedWords = computed(() => `${fineWords(codec, ['closedGroups', true])} with a keyframe every half second`)
const isSet = computed(() => Object.keys(fine.value ?? {}).length)

function change<Name extends keyof FineSettings>(name: Name, value: FineSettings[Name] | null): void {
  const { [name]: _before, ...others } = fine.value ?? {}
  const changed = { ...others, ...(value === null || value === undefined ? {} : { [name]: value }) } as FineSettings
  fine.value = Object.keys(changed).length > 0 ? changed : undefined
}
</script>

<template>
  <details :open="isSet > 0">
    <summary>
      Fine settings <span class="muted">{{ isSet > 0 ? `${isSet} set` : 'as the effort sets them' }}</span>
    </summary>
    <div class="fields">
      <VSelect
        v-if="codec.fine?.betweenFrames"
        :model-value="fine?.betweenFrames ?? null"
        :items="betweenItems"
        label="B frames in a row"
        @update:model-value="count => change('betweenFrames', count as number | null)"
      />
      <VSelect
        v-if="codec.fine?.references"
        :model-value="fine?.references ?? null"
        :items="referenceItems"
        label="Frames that one can lean on (references)"
        @update:model-value="count => change('references', count as number | null)"
      />
      <VSelect
        v-if="codec.fine?.suits"
        :model-value="fine?.suits ?? null"
        :items="kindItems"
        label="Tuned to a kind of picture"
        hint="Sizes are at the same XPSNR, which does not count texture that the eye would miss."
        persistent-hint
        @update:model-value="kind => change('suits', kind as FineSettings['suits'] | null)"
      />
      <label v-if="codec.fine?.closedGroups" class="check"
        ><input
          type="checkbox"
          :checked="fine?.closedGroups ?? false"
          @change="event => change('closedGroups', (event.target as HTMLInputElement).checked || undefined)"
        />
        <span
          >closed GOPs: no frame leans on one before its keyframe <span class="muted">{{ closedWords }}</span></span
        ></label
      >
    </div>
  </details>
</template>

<style scoped>
summary {
  cursor: pointer;
  min-height: 24px;
}
.fields {
  display: flex;
  flex-direction: column;
  gap: 10px;
  padding-top: 10px;
}
/* Beside a taller one, a field keeps its own height. */
.fields > * {
  flex: none;
}
</style>
