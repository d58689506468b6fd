<script setup lang="ts">
import { containerFacts, describeCodec, subtitleKind, type Container, type PictureSpec } from '@hematine/core'
import { computed, ref } from 'vue'
import { languageHint, tagsIn } from '~/composables/language-fields'

/** Which subtitles of a source stay, in which languages, and whether in the result or in files beside it. */
type SubtitleRule = NonNullable<PictureSpec['subtitles']>
const subtitles = defineModel<SubtitleRule | undefined>({ required: true })
const { container } = defineProps<{ container: Container }>()

const holds = computed(() => containerFacts(container))
const holdsSubtitles = computed(() => holds.value.subtitles.length > 0)
const languageText = ref(subtitles.value?.languages?.join(', ') ?? '')

/** Where subtitles go: nowhere, into the result, or into files. */
type SubtitlePlace = NonNullable<SubtitleRule['files']> | 'in it'
const placeWords: Record<SubtitlePlace, string> = {
  'in it': 'in the result',
  'what it cannot hold': 'in the result; as files where it cannot hold them',
  all: 'as files beside the result',
}
const canHold = (place: SubtitlePlace) =>
  holdsSubtitles.value && (place === 'in it' || !holds.value.subtitles.some(key => subtitleKind(key) === 'pictures'))
const place = computed<SubtitlePlace | null>(() => (subtitles.value ? (subtitles.value.files ?? 'in it') : null))
const placeItems = computed(() => [
  { value: null, title: 'left out' },
  ...(Object.keys(placeWords) as SubtitlePlace[])
    .filter(value => value === 'all' || value === place.value || canHold(value))
    .map(value => ({ value, title: placeWords[value] })),
])
const placeHint = computed(() => {
  if (place.value === 'all') return 'Pictures of text become SUP, or IDX with SUB, as they are'
  if (!holdsSubtitles.value) return `${holds.value.name} holds none in itself`
  if (holds.value.subtitles.some(key => subtitleKind(key) === 'pictures'))
    return 'Text and pictures of text stay as they are'
  const text = `Text becomes ${describeCodec(holds.value.subtitles[0]!)}; pictures of text, as discs have them,`
  return subtitles.value?.files ? `${text} become files` : `${text} do not fit in`
})
const shownItems: { value: SubtitleRule['shown']; title: string }[] = [
  { value: 'none', title: 'none' },
  { value: 'forced', title: 'the first forced one' },
  { value: 'first', title: 'the first' },
]
const textItems = [
  { value: 'subrip', title: `${describeCodec('subrip')} (.srt)` },
  { value: 'webvtt', title: `${describeCodec('webvtt')} (.vtt)` },
]

function choosePlace(wanted: SubtitlePlace | null): void {
  const { files: _before, ...kept } = subtitles.value ?? { shown: 'forced' as const, ...tagsIn(languageText.value) }
  subtitles.value =
    wanted === null ? undefined : ({ ...kept, ...(wanted === 'in it' ? {} : { files: wanted }) } as SubtitleRule)
}
function change(changes: { [Rule in keyof SubtitleRule]?: SubtitleRule[Rule] | undefined }): void {
  const changed: Record<string, unknown> = { ...subtitles.value, ...changes }
  for (const [key, value] of Object.entries(changed)) if (value === undefined) delete changed[key]
  subtitles.value = changed as SubtitleRule
}
function chooseLanguages(text: string): void {
  languageText.value = text
  change({ languages: tagsIn(text).languages })
}
</script>

<template>
  <VSelect
    :model-value="place"
    :items="placeItems"
    label="Subtitle tracks"
    :hint="placeHint"
    persistent-hint
    @update:model-value="choosePlace"
  />
  <VSelect
    v-if="subtitles && place !== 'all'"
    :model-value="subtitles.shown"
    :items="shownItems"
    label="Shown by itself"
    @update:model-value="shown => change({ shown })"
  />
  <VSelect
    v-if="subtitles?.files"
    :model-value="subtitles.text ?? 'subrip'"
    :items="textItems"
    label="Text in files"
    @update:model-value="text => change({ text: text === 'webvtt' ? text : undefined })"
  />
  <VTextField
    v-if="subtitles"
    :model-value="languageText"
    label="Languages of subtitles, in order; empty for all"
    placeholder="en, de"
    maxlength="120"
    :hint="languageHint(languageText)"
    persistent-hint
    @update:model-value="chooseLanguages"
  />
  <label v-if="subtitles" class="check"
    ><input
      type="checkbox"
      :checked="subtitles.commentary === 'left out'"
      @change="event => change({ commentary: (event.target as HTMLInputElement).checked ? 'left out' : undefined })"
    />
    subtitles of commentary stay out</label
  >
</template>
