<script setup lang="ts">
import {
  describeClock,
  describeSure,
  type Finding,
  type MeasureDepth,
  type MeasureWish,
  type SourceRecord,
} from '@hematine/core'
import { computed } from 'vue'
import StateMark from '~/components/common/StateMark.vue'

/** Findings as sentences, with how sure they are, where to see them, and what they suggest. */
const { source } = defineProps<{ source: SourceRecord }>()
const emit = defineEmits<{
  see: [finding: Finding, place: number]
  hear: [seconds: number, track: number]
  measure: [wish: MeasureWish]
  stop: []
}>()
const underWay = computed(() => source.measureState === 'waiting' || source.measureState === 'measuring')
const faults = computed(() => source.findings.filter(entry => entry.kind === 'fault'))
const natures = computed(() => source.findings.filter(entry => entry.kind === 'nature'))
const ofSound = (finding: Finding) =>
  ['loudness', 'clipped-sound', 'hum', 'silent-channel', 'out-of-phase', 'silence'].includes(finding.key)
const depthWords: Record<MeasureDepth, string> = {
  sampled: 'in samples, in 10 places or whole when short',
  deep: 'deeply, in 60 places',
}
/** Sentences about one of several sound tracks begin with its number. */
const trackOf = (finding: Finding) => finding.data?.track ?? 0
</script>

<template>
  <section aria-label="Findings">
    <h2>Findings</h2>
    <p v-if="underWay" class="muted">
      <span role="status">{{
        source.measureState === 'waiting'
          ? 'It will be measured when a worker has room.'
          : `It is being measured${source.measurePart === null ? '' : `, ${Math.round(source.measurePart * 100)} %`}.`
      }}</span>{{ ' ' }}
      <button type="button" class="link" @click="emit('stop')">Stop measuring</button>
    </p>
    <p v-else-if="source.measureState === 'none'" class="muted">
      It was not measured. <button type="button" class="link" @click="emit('measure', 'sampled')">Measure it</button>
    </p>
    <p v-else-if="source.measureState === 'failed'" class="bad">It could not be measured: {{ source.measureReason }}</p>
    <template v-if="source.measured">
      <ul class="findings">
        <li v-for="finding in [...faults, ...natures]" :key="`${finding.key}${finding.says}`">
          <StateMark :state="finding.kind === 'fault' ? 'look' : 'ready'" :label="''" />
          <div class="words">
            <div>{{ finding.says }}</div>
            <div class="muted">
              <span class="number">{{ describeSure(finding.sure) }}</span> sure<template v-if="finding.suggests"
                >. {{ finding.suggests }}.</template
              >
            </div>
          </div>
          <template v-if="finding.places.length > 0">
            <button
              v-if="ofSound(finding)"
              type="button"
              class="see"
              :aria-label="`Hear: ${finding.says}`"
              @click="emit('hear', finding.places[0]!.seconds, trackOf(finding))"
            >
              Hear <span class="number">{{ describeClock(finding.places[0]!.seconds) }}</span>
            </button>
            <button
              v-else
              type="button"
              class="see"
              :aria-label="`See: ${finding.says}`"
              @click="emit('see', finding, 0)"
            >
              See <span class="number">{{ describeClock(finding.places[0]!.seconds) }}</span>
            </button>
          </template>
        </li>
      </ul>
      <p v-if="faults.length === 0" class="muted">Nothing wrong was found.</p>
      <p class="muted">
        Measured {{ depthWords[source.measured.depth]
        }}{{ source.measured.through ? ', and looked through for cuts' : '' }}; it took
        <span class="number">{{ source.measured.tookSeconds.toFixed(1) }} s</span> of processor time.
        <button
          v-if="source.measured.depth === 'sampled' && !underWay"
          type="button"
          class="link"
          @click="emit('measure', 'deep')"
        >
          Measure more deeply
        </button>
        <button
          v-if="!source.measured.through && source.facts?.video && !underWay"
          type="button"
          class="link"
          @click="emit('measure', 'through')"
        >
          Look through for cuts
        </button>
      </p>
    </template>
  </section>
</template>

<style scoped>
.findings {
  list-style: none;
  margin: 0;
  padding: 0;
}
.findings li {
  display: flex;
  gap: 8px;
  padding: 4px 0;
  border-bottom: 1px solid var(--line);
  align-items: baseline;
}
.words {
  flex: 1;
  min-width: 0;
}
.see {
  border: 1px solid var(--muted);
  border-radius: 2px;
  padding: 1px 6px;
  white-space: nowrap;
}
.see:hover {
  background: var(--raised);
}
.link {
  text-decoration: underline;
}
p {
  margin: 6px 0 0;
}
</style>
