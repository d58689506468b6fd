<script setup lang="ts">
import {
  containerFacts,
  containers,
  describePixelFormat,
  effortWords,
  hardwareFormats,
  isHardwareCodec,
  measuredOn,
  namePatternOf,
  needProblem,
  nameParts,
  outputKind,
  pictureCodec,
  soundCodec,
  SpecDraft,
  specProblems,
  usualNumbering,
  usualRate,
  usualSound,
  withContainer,
  withEncoder,
  withPictureCodec,
  withProfile,
  withSoundCodec,
  type Container,
  type DeliverySpec,
  type FineSettings,
  type OutputKind,
  type PictureSpec,
  type RateKind,
  type SpecTags,
} from '@hematine/core'
import { computed, ref } from 'vue'
import AskDialog from '~/components/common/AskDialog.vue'
import NumberField from '~/components/common/NumberField.vue'
import FineFields from '~/components/library/FineFields.vue'
import FrameFields from '~/components/library/FrameFields.vue'
import PieceFields from '~/components/library/PieceFields.vue'
import RateFields from '~/components/library/RateFields.vue'
import SheetFields from '~/components/library/SheetFields.vue'
import SubtitleFields from '~/components/library/SubtitleFields.vue'
import { languageHint, tagsIn } from '~/composables/language-fields'
import { useNameExamples } from '~/composables/useNameExamples'
import { useOrder } from '~/stores/order'

/** Makes a delivery spec, or its next version. Everything that is offered fits what is chosen already; what does not make sense is said at once. */
const { from, title, busy } = defineProps<{ from: DeliverySpec; title: string; busy: boolean }>()
const emit = defineEmits<{ close: []; keep: [draft: SpecDraft] }>()

const order = useOrder()
const spec = ref<DeliverySpec>(JSON.parse(JSON.stringify(from)) as DeliverySpec)
const open = computed({ get: () => true, set: () => emit('close') })
const video = computed(() => spec.value.video)
const codec = computed(() => (video.value ? pictureCodec(video.value.codec) : null))
const sound = computed(() => (spec.value.audio ? soundCodec(spec.value.audio.codec) : null))
const makes = computed(() => outputKind(spec.value))
/** Whether packets of a source can go into its results untouched. */
const takesCopies = computed(
  () => makes.value === 'moving picture' && !containerFacts(spec.value.container).encodedOnly,
)
/** The spec as one with a picture, whose fields the others lack. */
const picture = computed(() => (spec.value.video ? (spec.value as PictureSpec) : null))
const namePattern = computed({
  get: () => namePatternOf(spec.value),
  set: pattern => {
    spec.value = { ...spec.value, namePattern: pattern }
  },
})
const inBraces = (name: string) => `{${name}}`
const examples = useNameExamples(spec)
const draft = computed(() => {
  const { key: _key, version: _version, ...rest } = spec.value
  return SpecDraft.safeParse(rest)
})
const problems = computed(() =>
  draft.value.success
    ? specProblems(spec.value)
    : draft.value.error.issues.map(issue => {
        const inner = issue.code === 'invalid_union' ? (issue.errors.flat()[0] ?? issue) : issue
        return `${inner.path.join(', ') || 'The spec'} ${inner.message}.`
      }),
)

const rateWords: Record<RateKind, string> = {
  'constant quality': 'a quality that is held',
  'average rate': 'a rate on average',
  'quality target': 'a quality as it is measured',
  'size cap': 'a size that the file must not pass',
  'set by profile': 'what the profile sets',
  lossless: 'whatever it takes: nothing is lost',
}
const kindWords: Record<OutputKind, string> = {
  'moving picture': '',
  sound: ': sound alone',
  'image sequence': ': a folder of numbered pictures',
  still: ': a still',
}
const containerItems = (Object.keys(containers) as Container[]).map(value => ({
  value,
  title: `${containers[value].name}${kindWords[containers[value].makes]}`,
}))
const copyItems = [
  { value: null, title: 'is encoded like all others' },
  { value: 'where it fits' as const, title: 'stays untouched if it is in this codec, profile, level' },
  { value: 'in any codec' as const, title: 'stays untouched in any codec that the container holds' },
]
const codecItems = computed(() =>
  containerFacts(spec.value.container).picture.map(key => ({ value: key, title: pictureCodec(key).name })),
)
const soundItems = computed(() => [
  ...containerFacts(spec.value.container).sound.map(key => ({ value: key, title: soundCodec(key).name })),
  ...(spec.value.video === null ? [] : [{ value: null, title: 'no sound' }]),
])
const isByDevice = computed(() => video.value?.encoder === 'hardware')
const encoderItems = [
  { value: null, title: 'of the processor' },
  { value: 'hardware' as const, title: 'of a graphics device' },
]
/** Whether anybody could encode by it now; a spec can be kept for a device that comes. */
const deviceProblem = computed(() => needProblem(spec.value, order.workers))
const isTaken = (format: string) => !isByDevice.value || (hardwareFormats as readonly string[]).includes(format)
const profileItems = computed(
  () =>
    codec.value?.profiles
      .filter(({ pixelFormats }) => pixelFormats.some(isTaken))
      .map(({ key, says }) => ({ value: key, title: `${key}: ${says}` })) ?? [],
)
const sampleItems = computed(() => {
  if (!codec.value || !video.value) return []
  const profile = codec.value.profiles.find(entry => entry.key === video.value!.profile)
  const formats = profile ? profile.pixelFormats : codec.value.pixelFormats
  return formats.filter(isTaken).map(value => {
    const { bitDepth, chroma } = describePixelFormat(value)
    return { value, title: `${bitDepth} bit ${chroma}` }
  })
})
const effortItems = computed(
  () =>
    codec.value?.efforts.map(({ value, says }) => ({
      value,
      ...(isByDevice.value
        ? { title: says }
        : { title: `${says} (${value})`, props: { subtitle: effortWords(codec.value!, value) } }),
    })) ?? [],
)
const levelItems = computed(() => [
  { value: null, title: 'no limit' },
  ...(codec.value?.levels?.table.map(({ level }) => ({ value: level, title: level })) ?? []),
])
const rateItems = computed(
  () =>
    codec.value?.rates
      .filter(value => !isByDevice.value || value !== 'size cap')
      .map(value => ({ value, title: rateWords[value] })) ?? [],
)
const sampleRates = computed(() => [
  ...(spec.value.video === null && sound.value?.sampleRates === null ? [{ value: null, title: 'as the source' }] : []),
  ...(sound.value?.sampleRates ?? [44_100, 48_000, 96_000]).map(value => ({ value, title: `${value / 1000} kHz` })),
])

function changeVideo(changes: Partial<PictureSpec['video']>): void {
  if (video.value) spec.value = { ...spec.value, video: { ...video.value, ...changes } } as PictureSpec
}
function chooseEncoder(encoder: 'hardware' | null): void {
  changeWholeVideo(withEncoder(video.value!, encoder))
}
/** In place of all that was set; fields that are left out go. */
function changeWholeVideo(changed: PictureSpec['video']): void {
  spec.value = { ...spec.value, video: changed } as PictureSpec
}
function changeFine(fine: FineSettings | undefined): void {
  const { fine: _before, ...rest } = video.value!
  spec.value = { ...spec.value, video: { ...rest, ...(fine ? { fine } : {}) } } as PictureSpec
}
function changeAudio(changes: Partial<NonNullable<DeliverySpec['audio']>>): void {
  if (spec.value.audio) spec.value = { ...spec.value, audio: { ...spec.value.audio, ...changes } } as DeliverySpec
}
const languageText = ref(from.audio?.languages?.join(', ') ?? '')
function chooseLanguages(text: string): void {
  languageText.value = text
  const { languages: _before, ...audio } = spec.value.audio!
  spec.value = { ...spec.value, audio: { ...audio, ...tagsIn(text) } } as DeliverySpec
}
const holds = computed(() => containerFacts(spec.value.container))
const hasSubtitles = computed(() => picture.value !== null && makes.value !== 'still')
/** A rule for tracks of sound; one without a value goes. */
function changeSoundRule<Rule extends 'commentary' | 'copied' | 'stereoBeside'>(
  rule: Rule,
  value: NonNullable<DeliverySpec['audio']>[Rule],
): void {
  const audio: Record<string, unknown> = { ...spec.value.audio, [rule]: value }
  if (value === undefined) delete audio[rule]
  const changed: Record<string, unknown> = { ...spec.value, audio }
  spec.value = changed as DeliverySpec
}
function chooseSound(key: string | null): void {
  // What stands in the field of languages counts for sound that comes back, too.
  const audio =
    key === null ? null : withSoundCodec(spec.value.audio ?? { ...usualSound, ...tagsIn(languageText.value) }, key)
  spec.value = { ...spec.value, audio } as DeliverySpec
}
const titleItems = [
  { value: null, title: 'none' },
  { value: 'as the source' as const, title: "the source's own" },
  { value: 'or its name' as const, title: "the source's own, else its name" },
]
const tagWords = {
  date: 'the date of the source stays',
  others: 'all else that it says stays: people, places, comments',
} as const
function changeTags(changes: Partial<Record<keyof SpecTags, SpecTags[keyof SpecTags] | undefined>>): void {
  const tags: Record<string, unknown> = { ...spec.value.tags, ...changes }
  for (const [rule, value] of Object.entries(tags)) if (value === undefined) delete tags[rule]
  const { tags: _before, ...rest } = spec.value
  spec.value = { ...rest, ...(Object.keys(tags).length > 0 ? { tags } : {}) } as DeliverySpec
}
/** Fields that not every spec has; those without a value go. */
function changeFiles(
  changes: Partial<
    Pick<
      PictureSpec,
      'numbering' | 'dotsPerInch' | 'keepsCameraData' | 'subtitles' | 'sheet' | 'keepsChapters' | 'pieces'
    >
  >,
): void {
  const changed: Record<string, unknown> = { ...spec.value, ...changes }
  for (const [name, value] of Object.entries(changes)) if (value === undefined) delete changed[name]
  spec.value = changed as DeliverySpec
}
const numbering = computed(() => picture.value?.numbering ?? usualNumbering)
/** What of a codec's own a spec of files keeps when the codec changes. */
function chooseCodec(key: string): void {
  changeWholeVideo(withPictureCodec(video.value!, key))
  const { remarks } = pictureCodec(key)
  if (!remarks.includes('dots per inch')) changeFiles({ dotsPerInch: undefined })
  if (!remarks.includes('camera data')) changeFiles({ keepsCameraData: undefined })
}
function chooseContainer(container: Container): void {
  spec.value = withContainer(spec.value, container)
}
function keep(): void {
  if (draft.value.success && problems.value.length === 0) emit('keep', draft.value.data)
}
const numberOf = (event: Event) => Number((event.target as HTMLInputElement).value)
/** Kilobits a second of a rate control that counts in them. */
const average = computed(() => (video.value?.rateControl.kind === 'average rate' ? video.value.rateControl : null))
function changeAverage(changes: Partial<NonNullable<typeof average.value>>): void {
  if (average.value) changeVideo({ rateControl: { ...average.value, ...changes } })
}
/** A limit comes with the buffer that it is meant for, at first as much as a second of it. */
function changePeak(rate: number | null): void {
  const peak = rate === null ? 0 : Math.round(rate * 1000)
  changeAverage(
    peak > 0
      ? { peakBitsPerSecond: peak, bufferBits: average.value?.bufferBits ?? peak }
      : { peakBitsPerSecond: null, bufferBits: null },
  )
}
</script>

<template>
  <AskDialog v-model="open" :title="title" :width="860">
    <div class="columns">
      <fieldset>
        <legend>What it is</legend>
        <VTextField v-model="spec.name" label="Name" maxlength="60" />
        <VTextField v-model="spec.purpose" label="What it is for" maxlength="300" />
        <VTextField v-model="namePattern" label="Names of results, with parts in braces" maxlength="200" />
        <details class="parts">
          <summary>Parts of names</summary>
          <ul>
            <li v-for="(says, name) in nameParts" :key="name">
              <button type="button" class="number" @click="namePattern += inBraces(name)">{{ inBraces(name) }}</button>
              {{ says }}
            </li>
          </ul>
          <p class="muted note">"/" begins a folder.</p>
        </details>
        <p v-for="example in examples" :key="example.item" class="note example">
          <span class="muted">{{ example.item }}:</span> {{ example.name }}
        </p>
        <VSelect
          :model-value="spec.container"
          :items="containerItems"
          label="Container"
          @update:model-value="chooseContainer"
        />
        <PieceFields
          :is-still="makes === 'still'"
          :model-value="spec.pieces"
          @update:model-value="pieces => changeFiles({ pieces })"
        />
        <SheetFields
          v-if="picture && makes !== 'still'"
          :model-value="picture.sheet"
          @update:model-value="sheet => changeFiles({ sheet })"
        />
      </fieldset>
      <fieldset v-if="makes !== 'still'">
        <legend>Sound</legend>
        <VSelect
          :model-value="spec.audio?.codec ?? null"
          :items="soundItems"
          label="Sound codec"
          :hint="makes === 'image sequence' ? 'Beside the pictures, a WAV for each track' : undefined"
          :persistent-hint="makes === 'image sequence'"
          @update:model-value="chooseSound"
        />
        <VSelect
          v-if="spec.audio"
          :model-value="spec.audio.sampleRate"
          :items="sampleRates"
          label="Samples a second"
          @update:model-value="sampleRate => changeAudio({ sampleRate } as Partial<NonNullable<DeliverySpec['audio']>>)"
        />
        <NumberField
          v-if="spec.audio && sound"
          label="At most so many channels"
          :least="1"
          :most="sound.mostChannels"
          :model-value="spec.audio.maxChannels"
          @update:model-value="most => changeAudio({ maxChannels: most ?? 0 })"
        />
        <VTextField
          v-if="spec.audio"
          :model-value="languageText"
          label="Languages that are kept, in order; empty for all"
          placeholder="en, de"
          maxlength="120"
          :hint="languageHint(languageText)"
          persistent-hint
          @update:model-value="chooseLanguages"
        />
        <label v-if="spec.audio" class="check"
          ><input
            type="checkbox"
            :checked="spec.audio.commentary === 'left out'"
            @change="
              event =>
                changeSoundRule('commentary', (event.target as HTMLInputElement).checked ? 'left out' : undefined)
            "
          />
          commentary stays out</label
        >
        <label v-if="spec.audio && takesCopies" class="check"
          ><input
            type="checkbox"
            :checked="spec.audio.copied === 'where it fits'"
            @change="
              event =>
                changeSoundRule('copied', (event.target as HTMLInputElement).checked ? 'where it fits' : undefined)
            "
          />
          sound that fits as it is stays untouched</label
        >
        <label v-if="spec.audio && makes === 'moving picture' && spec.audio.maxChannels > 2" class="check"
          ><input
            type="checkbox"
            :checked="spec.audio.stereoBeside ?? false"
            @change="event => changeSoundRule('stereoBeside', (event.target as HTMLInputElement).checked || undefined)"
          />
          one in stereo beside those of more channels</label
        >
        <NumberField
          v-if="spec.audio && sound && sound.usualBits !== null"
          label="kbit/s for each channel"
          :least="8"
          :most="640"
          :step="8"
          :model-value="(spec.audio.bitsPerSecondPerChannel ?? 0) / 1000"
          @update:model-value="rate => changeAudio({ bitsPerSecondPerChannel: Math.round((rate ?? 0) * 1000) })"
        />
      </fieldset>
      <fieldset v-if="hasSubtitles || holds.chapters">
        <legend>Subtitles and chapters</legend>
        <SubtitleFields
          v-if="picture && hasSubtitles"
          :container="spec.container"
          :model-value="picture.subtitles"
          @update:model-value="subtitles => changeFiles({ subtitles })"
        />
        <label v-if="holds.chapters" class="check"
          ><input
            type="checkbox"
            :checked="spec.keepsChapters ?? false"
            @change="event => changeFiles({ keepsChapters: (event.target as HTMLInputElement).checked || undefined })"
          />
          chapters of the source stay</label
        >
      </fieldset>
      <fieldset v-if="holds.tags">
        <legend>What results say of themselves</legend>
        <VSelect
          :model-value="spec.tags?.title ?? null"
          :items="titleItems"
          label="Title"
          @update:model-value="title => changeTags({ title: title ?? undefined })"
        />
        <label v-for="(words, rule) in tagWords" :key="rule" class="check"
          ><input
            type="checkbox"
            :checked="spec.tags?.[rule] ?? false"
            @change="event => changeTags({ [rule]: (event.target as HTMLInputElement).checked || undefined })"
          />
          {{ words }}</label
        >
        <label v-if="holds.covers" class="check"
          ><input
            type="checkbox"
            :checked="spec.tags?.cover ?? false"
            @change="event => changeTags({ cover: (event.target as HTMLInputElement).checked || undefined })"
          />
          its cover stays</label
        >
      </fieldset>
      <fieldset v-if="picture && codec && makes !== 'moving picture'">
        <legend>Files</legend>
        <template v-if="makes === 'image sequence'">
          <NumberField
            label="Number of the first picture"
            :least="0"
            :most="9999999"
            :model-value="numbering.first"
            @update:model-value="first => changeFiles({ numbering: { ...numbering, first: Math.round(first ?? 0) } })"
          />
          <NumberField
            label="Digits that numbers are filled up to"
            :least="1"
            :most="9"
            :model-value="numbering.digits"
            @update:model-value="
              digits => changeFiles({ numbering: { ...numbering, digits: Math.round(digits ?? 0) } })
            "
          />
        </template>
        <NumberField
          v-if="codec.remarks.includes('dots per inch')"
          label="Dots per inch for print, empty for none"
          :least="1"
          :most="9600"
          :model-value="picture.dotsPerInch ?? null"
          @update:model-value="dots => changeFiles({ dotsPerInch: dots === null ? undefined : Math.round(dots) })"
        />
        <label v-if="codec.remarks.includes('camera data')" class="check"
          ><input
            type="checkbox"
            :checked="picture.keepsCameraData ?? false"
            @change="event => changeFiles({ keepsCameraData: (event.target as HTMLInputElement).checked || undefined })"
          />
          what a camera said of the picture stays (Exif)</label
        >
        <p class="muted note">
          {{
            codec.remarks.includes('colour profile')
              ? 'A colour profile (ICC) of the source stays with its pictures.'
              : 'A colour profile (ICC) of the source is not kept.'
          }}
        </p>
      </fieldset>
      <template v-if="video && codec">
        <fieldset>
          <legend>Picture</legend>
          <VSelect
            :model-value="video.codec"
            :items="codecItems"
            label="Picture codec"
            :hint="codec.says"
            persistent-hint
            @update:model-value="chooseCodec"
          />
          <VSelect
            v-if="isHardwareCodec(video.codec) && makes === 'moving picture'"
            :model-value="video.encoder ?? null"
            :items="encoderItems"
            label="Encoder"
            :hint="
              isByDevice
                ? 'Quick, and leaves the processor free; its pictures differ from device to device, and files are larger at the same likeness.'
                : undefined
            "
            persistent-hint
            @update:model-value="chooseEncoder"
          />
          <p v-if="deviceProblem" class="note look" role="status">{{ deviceProblem }}</p>
          <VSelect
            v-if="profileItems.length > 0"
            :model-value="video.profile"
            :items="profileItems"
            label="Profile"
            @update:model-value="key => changeVideo(withProfile(video!, key!))"
          />
          <VSelect
            v-if="sampleItems.length > 1"
            :model-value="video.pixelFormat"
            :items="sampleItems"
            label="Samples"
            @update:model-value="pixelFormat => changeVideo({ pixelFormat })"
          />
          <VSelect
            v-if="takesCopies"
            :model-value="video.copied ?? null"
            :items="copyItems"
            label="A picture that nothing has to be done to"
            @update:model-value="copied => changeVideo({ copied: copied ?? undefined })"
          />
          <VSelect
            v-if="codec.levels"
            :model-value="video.level"
            :items="levelItems"
            label="Highest level"
            @update:model-value="level => changeVideo({ level })"
          />
        </fieldset>
        <fieldset>
          <legend>Bits and time</legend>
          <VSelect
            :model-value="video.rateControl.kind"
            :items="rateItems"
            label="Bits are spent by"
            @update:model-value="kind => changeVideo({ rateControl: usualRate(video!.codec, kind) })"
          />
          <label v-if="video.rateControl.kind === 'constant quality' && codec.quality" class="range"
            >Quality <span class="number">{{ video.rateControl.value }}</span>
            <input
              type="range"
              :min="codec.quality.best"
              :max="codec.quality.worst"
              :step="codec.quality.step"
              :value="video.rateControl.value"
              @input="event => changeVideo({ rateControl: { kind: 'constant quality', value: numberOf(event) } })"
            /><span class="ends muted"><span>better, larger</span><span>smaller, worse</span></span></label
          >
          <NumberField
            v-if="video.rateControl.kind === 'size cap'"
            label="MB at most, for the whole file"
            :least="0.1"
            :most="1000000"
            :step="1"
            :model-value="video.rateControl.bytes / 1e6"
            @update:model-value="
              size => changeVideo({ rateControl: { kind: 'size cap', bytes: Math.round((size ?? 0) * 1e6) } })
            "
          />
          <NumberField
            v-if="video.rateControl.kind === 'quality target'"
            label="dB XPSNR against the treated source"
            :least="25"
            :most="60"
            :step="0.5"
            :model-value="video.rateControl.xpsnr"
            @update:model-value="xpsnr => changeVideo({ rateControl: { kind: 'quality target', xpsnr: xpsnr ?? 0 } })"
          />
          <p v-if="video.rateControl.kind === 'quality target'" class="muted note">
            The setting is found on stretches of each source; a result that is more than 0.5 dB off is made once more.
          </p>
          <p v-if="video.rateControl.kind === 'size cap'" class="muted note">
            1 MB is 1,000,000 bytes. The picture gets what sound and container leave, in two passes; forecasts count
            both.
          </p>
          <template v-if="average">
            <NumberField
              label="kbit/s on average"
              :least="50"
              :most="2000000"
              :step="100"
              :model-value="average.bitsPerSecond / 1000"
              @update:model-value="rate => changeAverage({ bitsPerSecond: Math.round((rate ?? 0) * 1000) })"
            />
            <NumberField
              label="kbit/s at most, empty for no limit"
              :least="1"
              :most="2000000"
              :step="100"
              :model-value="average.peakBitsPerSecond === null ? null : average.peakBitsPerSecond / 1000"
              @update:model-value="changePeak"
            />
            <NumberField
              v-if="average.bufferBits !== null"
              label="kbit that a player keeps ahead"
              :least="1"
              :most="2000000"
              :step="100"
              :model-value="average.bufferBits / 1000"
              @update:model-value="size => changeAverage({ bufferBits: Math.round((size ?? 0) * 1000) })"
            />
          </template>
          <VSelect
            v-if="effortItems.length > 0"
            :model-value="video.effort"
            :items="effortItems"
            label="Effort"
            :hint="video.effort === null || isByDevice ? undefined : effortWords(codec, video.effort)"
            persistent-hint
            @update:model-value="effort => changeVideo({ effort })"
          />
          <NumberField
            v-if="video.keyframeSeconds !== null"
            label="A keyframe at least every so many seconds"
            :least="0.1"
            :most="60"
            :step="0.5"
            :model-value="video.keyframeSeconds"
            @update:model-value="seconds => changeVideo({ keyframeSeconds: seconds ?? 0 })"
          />
          <FineFields
            v-if="codec.fine && !isByDevice"
            :codec="codec"
            :model-value="video.fine"
            @update:model-value="changeFine"
          />
          <p v-if="!isByDevice && (effortItems.length > 0 || codec.fine)" class="muted note">
            Times and sizes were measured on {{ measuredOn }}; yours differ, and forecasts measure them.
          </p>
        </fieldset>
        <fieldset>
          <legend>Frame</legend>
          <FrameFields
            :is-moving="makes === 'moving picture'"
            :model-value="video.frame"
            @update:model-value="frame => changeVideo({ frame })"
          />
        </fieldset>
        <fieldset v-if="makes !== 'still'">
          <legend>Motion</legend>
          <VSelect
            :model-value="video.scan"
            :items="[
              { value: 'progressive', title: 'progressive' },
              ...(codec.keepsFields ? [{ value: 'as source', title: 'as the source: fields stay' }] : []),
            ]"
            label="Scan"
            @update:model-value="scan => changeVideo({ scan })"
          />
          <VSelect
            v-if="video.scan === 'progressive'"
            :model-value="video.deinterlaceTo"
            :items="[
              { value: 'frame rate', title: 'one frame of two fields' },
              { value: 'field rate', title: 'one frame of each field: smoother, twice the frames' },
            ]"
            label="Interlaced material gives"
            @update:model-value="deinterlaceTo => changeVideo({ deinterlaceTo })"
          />
          <RateFields
            :model-value="video"
            @update:model-value="changed => (spec = { ...spec, video: changed } as PictureSpec)"
          />
        </fieldset>
      </template>
    </div>
    <template #buttons>
      <div role="status" class="problems">
        <p v-for="problem in problems" :key="problem" class="look"><span aria-hidden="true">◆</span> {{ problem }}</p>
      </div>
      <VBtn variant="text" @click="emit('close')">Cancel</VBtn>
      <VBtn color="primary" :disabled="problems.length > 0" :loading="busy" @click="keep">Keep</VBtn>
    </template>
  </AskDialog>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px 20px;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 0;
  min-width: 0;
  display: flex;
  flex-direction: column;
  gap: 10px;
}
/* Beside a taller one, a field keeps its own height. */
fieldset > * {
  flex: none;
}
legend {
  font-weight: 600;
  padding: 0 0 8px;
}
.range {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 8px;
  min-height: 24px;
  flex-wrap: wrap;
}
.range input {
  width: 100%;
}
.ends {
  display: flex;
  justify-content: space-between;
  width: 100%;
  font-size: 12px;
}
.note {
  margin: 0;
  font-size: 12px;
}
.example {
  overflow-wrap: anywhere;
}
.parts summary {
  cursor: pointer;
  min-height: 24px;
}
.parts ul {
  list-style: none;
  margin: 4px 0;
  padding: 0;
}
.parts li {
  min-height: 26px;
}
.parts button {
  min-height: 24px;
  padding: 0 4px;
  border: 1px solid var(--line);
  border-radius: 2px;
}
.problems {
  flex: 1;
  min-width: 0;
}
.problems p {
  margin: 0 0 2px;
}
</style>
