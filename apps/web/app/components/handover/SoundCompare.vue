<script setup lang="ts">
import {
  describeBytes,
  describeClock,
  describeTreatmentResult,
  type JobDetail,
  type SoundCheckMeasurement,
  type SoundTreatment,
  type SourceRecord,
} from '@hematine/core'
import { onMounted, ref } from 'vue'
import PlayDialog from '~/components/intake/PlayDialog.vue'
import { addressOf, call } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'

/** A finished job of sound alone: the result to be heard, its source beside it, and how near they are. */
const { job, treatment, measured } = defineProps<{
  job: JobDetail
  treatment: SoundTreatment
  measured: SoundCheckMeasurement
}>()
const notices = useNotices()
const source = ref<SourceRecord | null>(null)
const playing = ref(false)
const failed = ref(false)
onMounted(async () => {
  source.value = (await notices.attempt(() => call('readSource', { parameters: { id: job.sourceId } }))) ?? null
})

function likenessOf(index: number): string {
  const likeness = measured.likeness[index]
  if (!likeness) return 'not compared'
  return likeness.identical
    ? 'every sample identical'
    : likeness.signalToNoise === null
      ? 'the source is silent'
      : `difference ${likeness.signalToNoise.toFixed(1)} dB below the sound`
}
</script>

<template>
  <section class="listen scroll" aria-label="The result and its source">
    <h2>
      Result <span class="muted">{{ describeTreatmentResult(treatment) }}, {{ describeBytes(measured.bytes) }}</span>
    </h2>
    <audio
      controls
      preload="metadata"
      :src="addressOf('jobOutput', { parameters: { id: job.id } })"
      aria-label="The result"
      @error="failed = true"
    />
    <p v-if="failed" class="muted">
      This browser does not play {{ measured.container }} itself. Download the file to hear it.
    </p>
    <table>
      <thead>
        <tr>
          <th scope="col">Track</th>
          <th scope="col">Length</th>
          <th scope="col">Rate</th>
          <th scope="col">Channels</th>
          <th scope="col">Against the treated source</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(track, index) in measured.audio" :key="index">
          <th scope="row" class="number">{{ (treatment.tracks[index] ?? index) + 1 }}</th>
          <td class="number">{{ describeClock(track.durationSeconds) }}</td>
          <td class="number">{{ track.sampleRate / 1000 }} kHz</td>
          <td class="number">{{ track.channels }}</td>
          <td>{{ likenessOf(index) }}</td>
        </tr>
      </tbody>
    </table>
    <p v-for="sentence in treatment.leftOut" :key="sentence" class="muted">{{ sentence }}</p>
    <h2>
      Source <span class="muted">{{ job.sourceName }}</span>
    </h2>
    <VBtn :disabled="!source?.facts" @click="playing = true">Play the source</VBtn>
    <PlayDialog
      v-if="playing && source"
      :source="source"
      :start="0"
      :track="treatment.tracks[0] ?? 0"
      @close="playing = false"
    />
  </section>
</template>

<style scoped>
.listen {
  flex: 1;
  padding: 12px 16px;
}
h2 {
  margin: 0 0 8px;
}
h2 + :not(h2) {
  margin-bottom: 12px;
}
audio {
  display: block;
  width: 100%;
  max-width: 720px;
  height: 40px;
}
table {
  border-collapse: collapse;
  margin: 12px 0;
}
th {
  text-align: left;
  font-weight: 400;
  padding: 3px 20px 3px 0;
}
thead th {
  color: var(--muted);
}
td {
  padding: 3px 20px 3px 0;
}
tbody tr > * {
  border-top: 1px solid var(--line);
}
</style>
