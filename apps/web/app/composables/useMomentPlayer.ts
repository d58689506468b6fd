import { useRafFn } from '@vueuse/core'
import { computed, ref, type Ref } from 'vue'

/** The place within a moment and how it moves: J, K and L as the trade uses them, frame by frame, in a loop or once. */
export function useMomentPlayer(length: Ref<number>, rate: Ref<number>) {
  const frames = computed(() => Math.max(1, Math.round(length.value * rate.value)))
  const index = ref(0)
  /** Frames a frame's time: 0 stands, negative goes back. */
  const speed = ref(0)
  const loops = ref(true)
  let begun = 0
  let beginIndex = 0

  const seconds = computed(() => index.value / rate.value)
  const { pause, resume } = useRafFn(
    ({ timestamp }) => {
      const passed = Math.floor(((timestamp - begun) / 1000) * rate.value * speed.value)
      const next = beginIndex + passed
      if (!loops.value && (next >= frames.value || next < 0)) {
        stop()
        index.value = next < 0 ? 0 : frames.value - 1
        return
      }
      index.value = ((next % frames.value) + frames.value) % frames.value
    },
    { immediate: false },
  )

  function go(at: number): void {
    speed.value = at
    begun = performance.now()
    beginIndex = index.value
    if (at === 0) pause()
    else resume()
  }
  function stop(): void {
    go(0)
  }
  function toggle(): void {
    go(speed.value === 0 ? 1 : 0)
  }
  /** L: forward, and faster with each press; J the same backwards. */
  function shuttle(way: 1 | -1): void {
    go(Math.sign(speed.value) === way ? way * Math.min(4, Math.abs(speed.value) * 2) : way)
  }
  function step(by: number): void {
    stop()
    index.value = Math.min(frames.value - 1, Math.max(0, index.value + by))
  }
  function toIndex(next: number): void {
    index.value = Math.min(frames.value - 1, Math.max(0, next))
    begun = performance.now()
    beginIndex = index.value
  }
  return { index, seconds, frames, speed, loops, stop, toggle, shuttle, step, toIndex }
}
