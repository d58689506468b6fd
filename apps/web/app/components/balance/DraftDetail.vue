<script setup lang="ts">
import {
  describeBytesRange,
  describeChoice,
  describeDuration,
  describeDurationRange,
  describePrint,
  describeQuality,
  describeSpec,
  describeTreatment,
  describeTreatmentResult,
  pictureCodec,
  stepKinds,
  type JobDetail,
  type PictureSpec,
  type Step,
} from '@hematine/core'
import { computed, ref } from 'vue'
import CurvePanel from '~/components/balance/CurvePanel.vue'
import SpecsBeside from '~/components/balance/SpecsBeside.vue'
import LotCurvePanel from '~/components/balance/LotCurvePanel.vue'
import { call } from '~/composables/useCall'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

const { job } = defineProps<{ job: JobDetail }>()
const order = useOrder()
const notices = useNotices()
const lines = computed(() => describeTreatment(job.treatment))
const spec = computed(() => order.specs.find(entry => entry.key === job.specKey))

/** How large a still is on paper. */
const printed = computed(() => {
  const dots = spec.value?.video ? (spec.value as PictureSpec).dotsPerInch : undefined
  const frame = job.treatment.result?.frame
  return dots && frame ? describePrint(frame, dots) : null
})

const adding = ref(false)

/** Adds a step that would cure what was found to the lot's treatment; all drafts of the lot follow. */
async function add(step: Step): Promise<void> {
  adding.value = true
  const answer = await notices.attempt(() => call('addStep', { parameters: { id: job.id }, body: { step } }))
  adding.value = false
  order.noteJobs()
  for (const reason of answer?.refused ?? []) notices.problem(reason)
  if (answer && answer.jobs.length > 1)
    notices.done(`${stepKinds[step.kind].name} was added for ${answer.jobs.length} drafts of the lot.`)
}

async function measure(): Promise<void> {
  if (await notices.attempt(() => call('measureAgain', { parameters: { id: job.id } })))
    notices.done(`${job.sourceName} is measured before all that nobody asked for by hand.`)
  order.noteJobs()
}
</script>

<template>
  <div class="panel">
    <section>
      <h2 class="title">{{ job.sourceName }}</h2>
      <div>
        {{ job.specName }}<span v-if="spec" class="muted">, {{ describeSpec(spec) }}</span>
      </div>
      <div v-if="spec" class="muted">{{ spec.purpose }}</div>
      <div v-if="job.treatmentName">Treatment: {{ job.treatmentName }}</div>
    </section>
    <section v-if="job.leftIn.length > 0" class="left" aria-label="Left as found">
      <h2>Found, and left as it is</h2>
      <ul class="steps">
        <li v-for="entry in job.leftIn" :key="entry.says">
          <div><span class="look" aria-hidden="true">◆</span> {{ entry.says }}</div>
          <VBtn :disabled="adding" @click="add(entry.step)">Add: {{ describeChoice(entry.step) }}</VBtn>
        </li>
      </ul>
    </section>
    <section v-if="job.mistakes.length > 0" class="left" aria-label="Looks like a mistake">
      <h2>Looks like a mistake</h2>
      <p v-for="sentence in job.mistakes" :key="sentence">
        <span class="look" aria-hidden="true">◆</span> {{ sentence }}
      </p>
    </section>
    <section>
      <h2>What will be done</h2>
      <ol v-if="lines.length > 0" class="steps">
        <li v-for="(line, index) in lines" :key="index">
          <div>{{ line.what }}</div>
          <div class="muted">{{ line.why }}</div>
        </li>
      </ol>
      <p v-else class="muted">
        {{
          'copied' in job.treatment
            ? 'The picture is copied as it is, packet by packet.'
            : job.treatment.result
              ? 'The picture already has the shape that the spec wants; it is only encoded.'
              : 'The sound is taken out as it is and encoded.'
        }}
      </p>
      <table class="facts">
        <tbody>
          <tr>
            <th scope="row">result</th>
            <td>{{ describeTreatmentResult(job.treatment) }}</td>
          </tr>
          <tr v-if="job.treatment.result">
            <th scope="row">made</th>
            <td>{{ job.making }}</td>
          </tr>
          <tr v-if="printed">
            <th scope="row">print</th>
            <td>{{ printed }}</td>
          </tr>
          <tr v-if="job.plannedPath">
            <th scope="row">name</th>
            <td class="path">{{ job.plannedPath }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="job.isNameTaken">
        <span class="look" aria-hidden="true">◆</span> Another result has this name, or is to have it. Nothing is
        replaced: the later one gets a number. A pattern with more parts, in the spec under Library, tells them apart.
      </p>
      <template v-if="job.treatment.result === null"
        ><p v-for="sentence in job.treatment.leftOut" :key="sentence">{{ sentence }}</p></template
      >
      <template v-else
        ><p v-for="sentence in job.treatment.notes ?? []" :key="sentence" class="muted">{{ sentence }}</p></template
      >
    </section>
    <section>
      <h2>Forecast</h2>
      <template v-if="job.forecast">
        <table class="facts">
          <tbody>
            <tr>
              <th scope="row">device time</th>
              <td class="number">{{ describeDurationRange(job.forecast.seconds) }}</td>
            </tr>
            <tr>
              <th scope="row">of it checking</th>
              <td class="number">{{ describeDuration(job.forecast.checkSeconds) }}</td>
            </tr>
            <tr v-if="job.forecast.busyCores !== undefined">
              <th scope="row">keeps busy</th>
              <td>
                <span class="number">{{ job.forecast.busyCores.toFixed(1) }}</span> cores, alone
              </td>
            </tr>
            <tr>
              <th scope="row">result</th>
              <td class="number">{{ describeBytesRange(job.forecast.bytes) }}</td>
            </tr>
            <tr v-if="job.forecast.quality">
              <th scope="row">likeness</th>
              <td>{{ describeQuality(job.forecast.quality) }}</td>
            </tr>
            <tr>
              <th scope="row">measured</th>
              <td>{{ job.forecast.measuredFrom }}</td>
            </tr>
          </tbody>
        </table>
        <p class="muted">
          Ranges are meant to hold nine times out of ten<template v-if="job.forecast.heldAgainst"
            >; these are made of the last {{ job.forecast.heldAgainst }} results of its kind of work</template
          >: see <NuxtLink to="/equipment/forecasts">how forecasts did</NuxtLink>.<template v-if="job.forecast.carried">
            They are wider for a source that was not measured itself.</template
          >
        </p>
      </template>
      <p v-else-if="job.sampleState === 'failed'" class="bad">{{ job.sampleReason }}</p>
      <p v-else-if="job.sampleState === 'later'" class="muted" role="status">
        Others of its lot are measured first and stand for it; it is measured itself when the machine has nothing else
        to do.
      </p>
      <p v-else class="muted" role="status">
        Short stretches, spread over this very source, are
        {{ job.sampleState === 'measuring' ? 'being' : 'about to be' }} treated, encoded and checked on this machine.
        Running jobs pause meanwhile, so that the figures are honest.<template v-if="job.sampleState === 'waiting'">
          What was asked for before is measured first.</template
        >
      </p>
      <VBtn :disabled="job.sampleState === 'measuring'" @click="measure">{{
        job.sampleState === 'waiting' || job.sampleState === 'later' ? 'Measure it next' : 'Measure again'
      }}</VBtn>
    </section>
    <SpecsBeside :job="job" />
    <template v-if="spec?.video && pictureCodec(spec.video.codec).quality">
      <CurvePanel :job="job" />
      <LotCurvePanel :job="job" />
    </template>
  </div>
</template>

<style scoped>
.path {
  overflow-wrap: anywhere;
}
.title {
  font-size: 14px;
  overflow-wrap: anywhere;
}
.steps {
  margin: 0 0 8px;
  padding-left: 20px;
}
.steps li {
  margin-bottom: 6px;
}
.left .steps {
  padding-left: 0;
  list-style: none;
}
.left li > div {
  margin-bottom: 4px;
}
</style>
