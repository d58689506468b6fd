<script setup lang="ts">
import { datedFrom, describeDated, describeHours } from '@hematine/core'
import { computed, ref } from 'vue'
import SetHours from './SetHours.vue'
import WeekStrip from './WeekStrip.vue'
import StateMark from '~/components/common/StateMark.vue'
import { useHoursNow } from '~/composables/useHours'
import { useNotices } from '~/stores/notices'
import { useOrder } from '~/stores/order'

/** The hours in which jobs are worked on, what that means now, and what can be done about it. */
const order = useOrder()
const notices = useNotices()
const setting = ref(false)
const { state, changes, isExtra, workOn, rest } = useHoursNow()
const hours = computed(() => order.hours.hours)
/** Dates with hours of their own that are not over, the next one first. */
const dated = computed(() => (hours.value ? datedFrom(hours.value, new Date()).map(describeDated) : []))
const mostShown = 6
const isElsewhere = computed(() => hours.value?.zone !== Intl.DateTimeFormat().resolvedOptions().timeZone)
const words = computed(() =>
  isExtra.value
    ? `Jobs are worked on out of hours, until ${changes.value}.`
    : !state.value.isOpen
      ? `Jobs rest until ${changes.value}.`
      : changes.value
        ? `Jobs are worked on until ${changes.value}.`
        : 'Jobs are worked on.',
)
const atAnyTime = () => order.changeHours({ hours: null, workOnUntil: null })
</script>

<template>
  <section aria-label="Working hours">
    <h2>Working hours</h2>
    <div class="line">
      <template v-if="hours">
        <strong>{{ describeHours(hours) }}</strong>
        <span v-if="isElsewhere" class="muted">by the clock of {{ hours.zone }}</span>
        <StateMark :state="state.isOpen ? 'pass' : 'waiting'" :label="words" />
        <VBtn v-if="!state.isOpen" variant="text" :height="24" @click="notices.attempt(workOn)"
          >Work on until then</VBtn
        >
        <VBtn v-if="isExtra" variant="text" :height="24" @click="notices.attempt(rest)">Rest now</VBtn>
      </template>
      <strong v-else>At any time</strong>
      <span class="spacer" />
      <VBtn :height="26" @click="setting = true">{{ hours ? 'Change the hours' : 'Set hours' }}</VBtn>
      <VBtn v-if="hours" variant="text" :height="26" @click="notices.attempt(atAnyTime)">At any time</VBtn>
    </div>
    <WeekStrip v-if="hours" :hours="hours" />
    <p v-if="dated.length > 0" class="dates">
      On dates: {{ dated.slice(0, mostShown).join(', ')
      }}{{ dated.length > mostShown ? ` and ${dated.length - mostShown} more` : '' }}
    </p>
    <p class="muted hint">
      Out of hours no job is begun, and those that run are paused where they are and go on when the hours begin; they
      keep their memory meanwhile. Reading, measuring and trials are done at any time. All ends are told with it.
    </p>
    <SetHours v-if="setting" @close="setting = false" />
  </section>
</template>

<style scoped>
.line {
  display: flex;
  align-items: center;
  gap: 4px 16px;
  flex-wrap: wrap;
  min-height: 28px;
}
.dates {
  margin: 6px 0 0;
}
.hint {
  margin: 8px 0 0;
  max-width: 92ch;
}
</style>
