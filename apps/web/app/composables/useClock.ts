import { useNow } from '@vueuse/core'

/** The time now, as often as a view of minutes and seconds needs it. */
export function useClock() {
  return useNow({ interval: 1000 })
}
