<script setup lang="ts">
import { browserType, describeClock, proxyPieceSeconds, type SourceRecord } from '@hematine/core'
import { useEventListener } from '@vueuse/core'
import { computed, ref, useTemplateRef, watch } from 'vue'
import { useClosing } from '~/composables/useClosing'
import { addressOf } from '~/composables/useCall'

/** A short look at a source in motion: its own file where the browser plays it, otherwise pieces of a small proxy, one after another. */
const { source, start, track } = defineProps<{ source: SourceRecord; start: number; track: number }>()
const emit = defineEmits<{ close: [] }>()
const open = useClosing(() => emit('close'))
const player = useTemplateRef<HTMLVideoElement>('player')
const facts = computed(() => source.facts!)
const length = computed(() => facts.value.durationSeconds ?? 0)
/** Sound track that is heard, from 0. */
const sound = ref(track)
const kind = ref<'original' | 'proxy'>(playsItself() ? 'original' : 'proxy')
/** Place of the source at which the piece that is loaded begins; 0 for the original. */
const begin = ref(kind.value === 'original' ? 0 : Math.min(start, Math.max(0, length.value - 1)))
const now = ref(start)
const state = ref<'making' | 'ready' | 'failed'>('making')
const reason = ref('')
const isPlaying = ref(false)
const speed = ref(1)

const address = computed(() =>
  kind.value === 'original'
    ? addressOf('sourceOriginal', { parameters: { id: source.id } })
    : addressOf('sourceProxy', {
        parameters: { id: source.id },
        query: { seconds: begin.value.toFixed(3), sound: sound.value },
      }),
)

/** A browser plays the first sound track of a file and offers no other. */
function playsItself(): boolean {
  const type = source.kind === 'file' && track === 0 ? browserType(source.facts!) : null
  return type !== null && document.createElement('video').canPlayType(type) !== ''
}
watch(address, () => {
  state.value = 'making'
})

/** Goes to a place of the source; outside the loaded piece another one is made from there. */
function seek(seconds: number): void {
  const place = Math.min(Math.max(0, seconds), Math.max(0, length.value - 0.1))
  now.value = place
  const inPiece = place - begin.value
  if (kind.value === 'original' || (inPiece >= 0 && inPiece < (player.value?.duration ?? 0))) {
    if (player.value) player.value.currentTime = inPiece
  } else {
    begin.value = place
  }
}

function hear(other: number): void {
  sound.value = other
  kind.value = 'proxy'
  begin.value = now.value
}

function ready(): void {
  state.value = 'ready'
  const element = player.value!
  if (kind.value === 'original' && now.value > 0.05) element.currentTime = now.value
  element.playbackRate = speed.value
  void element.play().catch(() => undefined)
}

function ended(): void {
  const next = begin.value + proxyPieceSeconds
  if (kind.value === 'proxy' && next < length.value - 0.1) seek(next)
}

async function failed(): Promise<void> {
  // What the browser claimed to play and then does not is played as a proxy.
  if (kind.value === 'original') {
    kind.value = 'proxy'
    begin.value = now.value
    return
  }
  state.value = 'failed'
  const answer = await fetch(address.value)
    .then(response => response.json() as Promise<{ error?: { message: string } }>)
    .catch(() => null)
  reason.value = answer?.error?.message ?? 'This place cannot be played. Try another one.'
}

function toggle(): void {
  const element = player.value!
  if (element.paused) void element.play().catch(() => undefined)
  else element.pause()
}

/** J, K and L as the trade uses them: back, pause, forward and faster. */
function onKey(event: KeyboardEvent): void {
  const element = player.value
  if (!element) return
  switch (event.key) {
    case 'j':
      seek(now.value - 5)
      break
    case 'k':
      element.pause()
      speed.value = 1
      element.playbackRate = 1
      break
    case 'l':
      if (!element.paused) speed.value = Math.min(4, speed.value * 2)
      element.playbackRate = speed.value
      void element.play().catch(() => undefined)
      break
    case ' ':
      if ((event.target as HTMLElement).tagName === 'BUTTON') return
      toggle()
      break
    default:
      return
  }
  event.preventDefault()
}
// Wherever the focus is while the dialog is open.
useEventListener('keydown', onKey)
</script>

<template>
  <VDialog v-model="open" width="860" max-width="96vw" :aria-label="`Play ${source.name}`">
    <VCard>
      <div class="bar">
        <h2 class="ellipsis">{{ source.name }}</h2>
        <span class="muted">{{
          kind === 'original' ? 'the file itself' : 'a small proxy, to see what it is; judge the picture by frames'
        }}</span>
        <span class="spacer" />
        <VBtn variant="text" aria-label="Close" @click="emit('close')">Close</VBtn>
      </div>
      <div class="stage">
        <video
          ref="player"
          :src="address"
          :class="{ dim: state !== 'ready' }"
          playsinline
          @canplay="state === 'making' && ready()"
          @timeupdate="now = begin + (player?.currentTime ?? 0)"
          @ended="ended"
          @error="failed"
          @play="isPlaying = true"
          @pause="isPlaying = false"
        />
        <p v-if="state === 'making'" role="status" class="over">Making the next {{ proxyPieceSeconds }} s</p>
        <p v-else-if="state === 'failed'" role="alert" class="over bad">{{ reason }}</p>
        <p v-else-if="!facts.video" class="over">Sound only</p>
      </div>
      <div class="bar foot">
        <VBtn variant="text" :disabled="state !== 'ready'" @click="toggle">{{ isPlaying ? 'Pause' : 'Play' }}</VBtn>
        <span class="number"
          >{{ describeClock(now) }} of {{ describeClock(length)
          }}<template v-if="speed > 1">, {{ speed }}x</template></span
        >
        <input
          type="range"
          min="0"
          :max="length"
          step="0.1"
          :value="now"
          aria-label="Place in the source"
          class="place"
          @change="event => seek(Number((event.target as HTMLInputElement).value))"
        />
        <span v-if="facts.audio.length > 1" role="group" aria-label="Sound track">
          <VBtn
            v-for="(entry, index) in facts.audio"
            :key="entry.streamIndex"
            variant="text"
            :aria-pressed="sound === index"
            :class="{ chosen: sound === index }"
            @click="hear(index)"
            >{{ entry.language ?? `sound ${index + 1}` }}</VBtn
          >
        </span>
        <span class="muted">J back, K pause, L forward and faster</span>
      </div>
    </VCard>
  </VDialog>
</template>

<style scoped>
.stage {
  position: relative;
  height: min(62vh, 520px);
  background: #0c0c0c;
  display: grid;
  place-items: center;
}
video {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  object-fit: contain;
}
.dim {
  opacity: 0.3;
}
.over {
  position: absolute;
  margin: 0;
}
.foot {
  border-bottom: 0;
  border-top: 1px solid var(--line);
}
.chosen {
  box-shadow: inset 0 -2px 0 var(--accent);
}
.place {
  flex: 1;
  min-height: 24px;
}
</style>
