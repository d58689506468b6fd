<script setup lang="ts">
import { describeClock, describeCodec, titlesToBringIn, type DiscTitle } from '@hematine/core'
import { mdiSubdirectoryArrowLeft } from '@mdi/js'
import { ref, watch } from 'vue'
import { call, type CallAnswer } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

/** Titles of a disc to choose from; those that would come in by themselves are chosen at first. */
const props = defineProps<{ volumeId: number; path: string }>()
const emit = defineEmits<{ close: [] }>()
const chosen = defineModel<number[]>({ required: true })
const order = useOrder()
const notices = useNotices()
const disc = ref<CallAnswer<'readDisc'> | null>(null)

watch(
  () => props.path,
  async path => {
    chosen.value = []
    disc.value = null
    const answer = await notices.attempt(() =>
      call('readDisc', {
        parameters: { id: props.volumeId },
        query: { path, ...(order.order ? { orderId: order.order.id } : {}) },
      }),
    )
    if (path !== props.path) return
    if (!answer) return emit('close')
    disc.value = answer
    chosen.value = titlesToBringIn(answer).numbers.filter(number => !isKnown(number))
  },
  { immediate: true },
)

function isKnown(number: number): boolean {
  return disc.value?.known.some(entry => entry.title === number) ?? false
}

function describeTracks(title: DiscTitle): string {
  const sound = title.audio.map(track =>
    [describeCodec(track.codec), track.language, track.purpose].filter(Boolean).join(' '),
  )
  const languages = title.subtitles.map(track => track.language ?? 'unnamed')
  return [
    sound.length > 0 ? sound.join(', ') : 'no sound',
    languages.length > 0 ? `subtitles ${languages.join(', ')}` : '',
  ]
    .filter(Boolean)
    .join('; ')
}
</script>

<template>
  <div role="group" aria-label="Titles of the disc">
    <button type="button" class="entry" @click="emit('close')">
      <VIcon :icon="mdiSubdirectoryArrowLeft" size="16" aria-hidden="true" /> back to the directory
    </button>
    <div v-if="!disc" class="entry muted" role="status">Reading the tables of the disc</div>
    <template v-else>
      <div class="entry muted">
        {{ disc.name }}: {{ disc.titles.length }} {{ disc.titles.length === 1 ? 'title' : 'titles'
        }}{{ disc.main ? `. The main one is ${disc.main.number}: ${disc.main.why}.` : ', none of which can be used.' }}
      </div>
      <label v-for="title in disc.titles" :key="title.number" class="entry title">
        <input
          v-model="chosen"
          type="checkbox"
          :value="title.number"
          :disabled="title.problem !== null || isKnown(title.number)"
        />
        <span class="name"
          >Title {{ title.number }}<template v-if="disc.main?.number === title.number">, main</template></span
        >
        <template v-if="title.problem === null">
          <span class="number">{{ describeClock(title.seconds) }}</span>
          <span class="muted"
            >{{ title.chapters.length }} {{ title.chapters.length === 1 ? 'chapter' : 'chapters'
            }}{{ title.angles > 1 ? `, ${title.angles} angles` : '' }}</span
          >
          <span class="muted number">{{ title.width }}x{{ title.height }} {{ title.aspect }}</span>
          <span class="muted ellipsis tracks">{{ describeTracks(title) }}</span>
          <span v-if="title.repeats !== null" class="muted">plays the same as title {{ title.repeats }}</span>
          <span v-if="isKnown(title.number)" class="muted">in the order</span>
        </template>
        <span v-else class="muted problem">{{ title.problem }}</span>
      </label>
    </template>
  </div>
</template>

<style scoped>
.title {
  height: auto;
  min-height: 30px;
}
.name {
  min-width: 90px;
}
.tracks {
  flex: 1;
  min-width: 0;
}
.problem {
  white-space: normal;
}
</style>
