import { OpenTime } from '@hematine/core'
import { useNow } from '@vueuse/core'
import { computed } from 'vue'
import { moment } from './times'
import { useOrder } from '~/stores/order'

/** Whether jobs are worked on changes on the minute, mostly. */
const lookMilliseconds = 5000

/** The hours in which jobs are worked on, from a moment on. */
export function useOpenTime(from: () => Date) {
  const order = useOrder()
  return computed(() => new OpenTime(from(), order.hours))
}

/** Whether jobs are worked on now, and the words for it. */
export function useHoursNow() {
  const order = useOrder()
  const now = useNow({ interval: lookMilliseconds })
  const time = useOpenTime(() => now.value)
  const state = computed(() => time.value.now)
  /** When that changes, as a person reads it; null where it does not. */
  const changes = computed(() => (state.value.changesAt ? moment(new Date(state.value.changesAt), now.value) : null))
  /** A person wants them worked on out of hours. */
  const isExtra = computed(
    () => state.value.isOpen && order.hours.workOnUntil !== null && new Date(order.hours.workOnUntil) > now.value,
  )
  /** Works on until the hours begin. */
  const workOn = () => order.changeHours({ workOnUntil: state.value.changesAt })
  const rest = () => order.changeHours({ workOnUntil: null })
  return { state, changes, isExtra, workOn, rest }
}
