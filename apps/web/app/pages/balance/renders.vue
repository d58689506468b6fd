<script setup lang="ts">
import {
  describeBytes,
  describeBytesRange,
  describeDuration,
  describeDurationRange,
  describeSharing,
} from '@hematine/core'
import { computed, ref } from 'vue'
import BalanceBar from '~/components/balance/BalanceBar.vue'
import RenderCourse from '~/components/balance/RenderCourse.vue'
import EmptyState from '~/components/common/EmptyState.vue'
import NumberField from '~/components/common/NumberField.vue'
import { aboutWords, latenessWords, momentRange } from '~/composables/times'
import { call } from '~/composables/useCall'
import { useRenderOrTreat, type RenderAnswer, type RenderTest } from '~/composables/useRenderOrTreat'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

useHead({ title: 'Render or treat - Hematine' })
const order = useOrder()
const notices = useNotices()
const { asked, tests, chosen, question, answer, failed, isAwaited, pair, comparison, readComparison } =
  useRenderOrTreat()

const ways = [
  { way: 'full', title: 'Rendered as wanted', minutes: 'minutes a frame, as wanted' },
  { way: 'reduced', title: 'Reduced and treated', minutes: 'minutes a frame, reduced' },
] as const
type Way = (typeof ways)[number]['way']

const frameWords = (seconds: number) => `${Number(seconds.toPrecision(2))} s`
function testWords({ sourceName, specName, steps, source, result }: RenderTest): string {
  const size = `${source.width}x${source.height}`
  const scaled =
    source.width === result.width && source.height === result.height ? '' : ` to ${result.width}x${result.height}`
  const treated = steps.length === 0 ? 'no steps' : `${steps.length} ${steps.length === 1 ? 'step' : 'steps'}`
  return `${sourceName}, ${size}${scaled}, ${treated}, ${specName}`
}
const choices = computed(() => (tests.value ?? []).map(test => ({ value: test.jobId, title: testWords(test) })))
function setMinutes(way: Way, minutes: number | null): void {
  if (minutes !== null && minutes > 0)
    asked.value = { ...asked.value, [way]: { ...asked.value[way], minutesPerFrame: minutes } }
}
function setTest(way: Way, jobId: number): void {
  asked.value = { ...asked.value, [way]: { ...asked.value[way], jobId } }
}
const numbers = [
  { key: 'shots', label: 'shots', least: 1, most: 1000 },
  { key: 'framesOfShot', label: 'frames of each', least: 1, most: 1_000_000 },
  { key: 'machines', label: 'machines that render', least: 1, most: 10_000 },
] as const
function setNumber({ key, least, most }: (typeof numbers)[number], value: number | null): void {
  if (value !== null) asked.value = { ...asked.value, [key]: Math.min(most, Math.max(least, Math.round(value))) }
}
const doubtPercent = computed({
  get: () => Math.round(asked.value.doubt * 100),
  set: (value: number | null) => {
    if (value !== null) asked.value = { ...asked.value, doubt: Math.min(90, Math.max(0, value)) / 100 }
  },
})

const at = computed(() => new Date(answer.value?.at ?? 0))
/** What the two ways come to, as one sentence. */
function verdictWords({ full, reduced, evenMinutes }: RenderAnswer): string {
  const gain = full.end.expected - reduced.end.expected
  const first =
    Math.abs(gain) < 60
      ? 'Both are done at about the same time.'
      : gain > 0
        ? `Reduced and treated is done first, by ${aboutWords(gain)}.`
        : `Rendered as wanted is done first, by ${aboutWords(-gain)}.`
  const even =
    evenMinutes === null
      ? 'However long a frame takes to render as wanted, treating takes longer.'
      : evenMinutes === 0
        ? 'Treating would be quicker even if a frame took no time to render as wanted.'
        : `Treating is quicker where a frame as wanted takes over ${describeDuration(Number(evenMinutes.toPrecision(3)) * 60)}.`
  const overlaps = full.end.low < reduced.end.high && reduced.end.low < full.end.high
  return `${first} ${even}${overlaps && Math.abs(gain) >= 60 ? ' Their ranges overlap: it may come out the other way.' : ''}`
}
const likenessWords = computed(() => {
  const found = comparison.value
  if (!found || found.state === 'none') return 'not compared'
  if (found.state === 'waiting') return 'waits to be compared'
  if (found.state === 'measuring') return `being compared, ${Math.round((found.part ?? 0) * 100)} %`
  if (!found.likeness) return 'could not be compared'
  const { identical, xpsnr, ssim } = found.likeness
  return identical || xpsnr === null ? 'identical' : `${xpsnr.toFixed(1)} dB, SSIM ${ssim.toFixed(3)}`
})
interface Figure {
  words: string
  isLook?: boolean
}
/** What is told of each way. */
const figures: readonly { says: string; tell: (answer: RenderAnswer, way: Way) => Figure }[] = [
  { says: 'rendered', tell: (answer, way) => ({ words: momentRange(answer[way].rendered, at.value) }) },
  { says: 'done', tell: (answer, way) => ({ words: momentRange(answer[way].end, at.value) }) },
  {
    says: 'late',
    tell: (answer, way) => ({
      words: order.order?.dueAt ? latenessWords(answer[way].lateSeconds) : 'not due',
      isLook: answer[way].lateSeconds > 0,
    }),
  },
  { says: 'device time here', tell: (answer, way) => ({ words: describeDurationRange(answer[way].seconds) }) },
  {
    says: 'frames rendered',
    tell: (answer, way) => {
      const { renderedBytes } = answer[way]
      return { words: renderedBytes === null ? 'not known' : describeBytes(renderedBytes) }
    },
  },
  { says: 'results', tell: (answer, way) => ({ words: describeBytesRange(answer[way].bytes) }) },
  {
    says: 'likeness',
    tell: (_, way) => ({ words: way === 'full' ? 'what is wanted' : likenessWords.value }),
  },
]
const isComparing = computed(() => comparison.value?.state === 'waiting' || comparison.value?.state === 'measuring')
async function compare(): Promise<void> {
  const query = pair.value
  if (query) await notices.attempt(() => call('compareRenders', { query }))
  await readComparison()
}
async function stop(): Promise<void> {
  const query = pair.value
  if (query) await notices.attempt(() => call('stopComparison', { query }))
  await readComparison()
}

/** What the shots are called in the inventory. */
const name = ref('')
async function announce(way: Way): Promise<void> {
  if (!question.value || !order.order) return
  const done = await notices.attempt(() =>
    call('announceRenders', {
      body: { ...question.value!, orderId: order.order!.id, way, name: name.value.trim() || 'Shot' },
    }),
  )
  if (!done) return
  const { added, alreadyThere } = done
  notices.done(
    `${added} ${added === 1 ? 'shot is' : 'shots are'} announced in the inventory${alreadyThere > 0 ? `; ${alreadyThere} were there already` : ''}.`,
  )
  await order.loadInventory()
}
</script>

<template>
  <div class="station">
    <BalanceBar><span class="spacer" /></BalanceBar>
    <p v-if="failed" class="warning bad" role="alert">{{ failed }}</p>
    <p v-if="!tests" class="warning muted" role="status">The order's drafts are being looked at.</p>
    <EmptyState v-else-if="tests.length === 0" title="No test is measured"
      >Render a few frames as they are wanted and at a reduced cost, bring both in, give the reduced ones their
      treatment, and draft both with one spec. Once they are measured, this page tells which way all frames are done
      first, and what it costs.</EmptyState
    >
    <div v-else class="both">
      <form class="scroll asked" aria-label="Frames that are still to be rendered" @submit.prevent>
        <h2>Still to be rendered</h2>
        <NumberField
          v-for="number in numbers"
          :key="number.key"
          :model-value="asked[number.key]"
          :label="number.label"
          :least="number.least"
          :most="number.most"
          @update:model-value="setNumber(number, $event)"
        />
        <NumberField v-model="doubtPercent" label="give or take (%)" :least="0" :most="90" />
        <template v-for="{ way, title, minutes } in ways" :key="way">
          <h2>{{ title }}</h2>
          <NumberField
            :model-value="asked[way].minutesPerFrame"
            :label="minutes"
            :least="0.001"
            :most="100000"
            :step="0.1"
            @update:model-value="setMinutes(way, $event)"
          />
          <VSelect
            :model-value="asked[way].jobId"
            :items="choices"
            :label="way === 'full' ? 'Test as wanted' : 'Test of the reduced'"
            @update:model-value="setTest(way, $event!)"
          />
          <p v-if="chosen[way]" class="muted test">
            {{ testWords(chosen[way]!) }}: <span class="number">{{ frameWords(chosen[way]!.secondsPerFrame) }}</span> a
            frame here<template v-if="chosen[way]!.steps.length > 0">. {{ chosen[way]!.steps.join('; ') }}</template>
          </p>
        </template>
      </form>
      <div class="scroll panel found" :aria-busy="isAwaited">
        <template v-if="answer && question">
          <p class="verdict" role="status">{{ verdictWords(answer) }}</p>
          <table class="rows ways" aria-label="The two ways">
            <thead>
              <tr>
                <th scope="col"><span class="visually-hidden">Figure</span></th>
                <th v-for="{ way, title } in ways" :key="way" scope="col">{{ title }}</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="{ says, tell } in figures" :key="says">
                <th scope="row">{{ says }}</th>
                <td v-for="{ way } in ways" :key="way" class="number" :class="{ look: tell(answer, way).isLook }">
                  {{ tell(answer, way).words }}
                </td>
              </tr>
            </tbody>
          </table>
          <RenderCourse
            v-if="order.order"
            :answer="answer"
            :spec-names="{ full: chosen.full?.specName ?? '', reduced: chosen.reduced?.specName ?? '' }"
            :order="order.order"
          />
          <div v-if="pair" class="line">
            <VBtn v-if="isComparing" :height="28" @click="stop">Stop comparing</VBtn>
            <VBtn v-else-if="comparison?.state !== 'ready'" :height="28" @click="compare"
              >Compare the treated frames</VBtn
            >
            <span v-if="comparison?.reason" class="look">{{ comparison.reason }}</span>
            <span v-else-if="comparison?.likeness" class="muted"
              >{{ comparison.likeness.frames }} treated frames of the reduced test against those of the other, one by
              one and before they are encoded: XPSNR and SSIM<template v-if="comparison.likeness.worst"
                >; the least like is at {{ comparison.likeness.worst.seconds.toFixed(1) }} s, with
                {{ comparison.likeness.worst.xpsnr.toFixed(1) }} dB</template
              >.</span
            >
            <span v-else class="muted"
              >What the reduced way costs in quality is measured: both tests must show the same frames.</span
            >
          </div>
          <div class="line" role="group" aria-label="Announce the shots">
            <label>called <input v-model="name" class="plain" maxlength="200" placeholder="Shot" /></label>
            <VBtn v-for="{ way } in ways" :key="way" :height="28" @click="announce(way)"
              >Announce {{ way === 'full' ? 'as wanted' : 'as reduced' }}</VBtn
            >
            <span class="muted"
              >They come into the inventory, each expected when it is rendered, and count in All orders.</span
            >
          </div>
          <p class="muted words">
            Shots are rendered one after the other, each by all machines, and taken here as they come<template
              v-if="answer.before.expected > 0"
              >, behind {{ describeDurationRange(answer.before) }} of device time that waits now</template
            >. Frames are counted as they are delivered. What a frame takes here is what its test took; ends lie within
            their ranges nine times out of ten if the minutes are as far off as is said at most.
            <template v-if="order.lanes === 0">No worker takes jobs now: it is told as if one lane did. </template
            >{{ describeSharing(answer.lanes, answer.sharing) }}
          </p>
        </template>
        <EmptyState v-else title="Choose a test for each way"
          >A test is a draft that was measured: a few frames rendered that way, with the treatment and the spec that all
          would get.</EmptyState
        >
      </div>
    </div>
  </div>
</template>

<style scoped>
.both {
  flex: 1;
  min-height: 0;
  display: flex;
}
.asked {
  width: 300px;
  flex: none;
  display: flex;
  flex-direction: column;
  gap: 6px;
  padding: 8px 12px;
  border-right: 1px solid var(--line);
}
.asked h2:not(:first-child) {
  margin-top: 10px;
}
.test,
.words,
.verdict {
  margin: 0;
}
.verdict {
  font-size: 15px;
}
.found {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
  gap: 14px;
}
.line {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 12px;
}
.line label {
  display: flex;
  align-items: center;
  gap: 6px;
}
.ways {
  align-self: flex-start;
  width: auto;
}
.ways th,
.ways td {
  padding-right: 28px;
  text-align: left;
}
th[scope='row'] {
  color: var(--muted);
  font-weight: 400;
}
.asked :deep(.v-input) {
  flex: none;
}
</style>
