import type { Range } from '@hematine/core'
import { useElementSize } from '@vueuse/core'
import { scaleTime } from 'd3-scale'
import { computed, type Ref } from 'vue'
import { clock, moment } from './times'

/** Room for names beside a chart, and for what goes beyond its end, in pixels. */
export const axisEdge = { left: 124, right: 12 }

/** Seconds that are to be shown for all to be seen that ends then, and a little more. */
export function spanOf(end: Range | null): number {
  return Math.max(60, (end?.high ?? 60) * 1.04)
}

/** A moment on an axis with what it is, in seconds from where it begins. */
export interface AxisMark {
  seconds: number
  says: string
}

/** When orders are due, as marks. @param begin of the axis */
export function dueMarks(orders: readonly { code: string; dueAt: string | null }[], begin: Date): AxisMark[] {
  return orders.flatMap(({ code, dueAt }) =>
    dueAt === null ? [] : [{ seconds: (new Date(dueAt).getTime() - begin.getTime()) / 1000, says: code }],
  )
}

/** Seconds that are to be shown for marks soon after an end to be seen, too. @param end as `spanOf` tells it */
export function spanWith(marks: readonly AxisMark[], end: number): number {
  const near = marks.map(({ seconds }) => seconds * 1.05).filter(seconds => seconds < end * 1.5)
  return Math.max(end, ...near)
}

/**
 * The time axis of charts that lie below each other: seconds from a moment, across a box.
 * @param begin the moment
 * @param span seconds that are shown
 */
export function useTimeAxis(box: Ref<HTMLElement | undefined>, begin: () => Date, span: () => number) {
  const { width } = useElementSize(box)
  const after = (seconds: number) => new Date(begin().getTime() + seconds * 1000)
  const scale = computed(() =>
    scaleTime()
      .domain([begin(), after(span())])
      .range([axisEdge.left, Math.max(axisEdge.left + 1, width.value - axisEdge.right)]),
  )
  const at = (seconds: number) => scale.value(after(seconds))
  /** Marks whose words fit before the edge. */
  const ticks = computed(() =>
    scale.value
      .ticks(6)
      .map(tick => ({ at: scale.value(tick), says: saysTick(tick, span(), begin()) }))
      .filter(tick => tick.at < width.value - 40),
  )
  return { width, at, ticks }
}

/** Seconds count in minutes, days in weeks. */
function saysTick(tick: Date, span: number, begin: Date): string {
  if (span < 600) return clock(tick, true)
  if (span < 86_400) return clock(tick)
  return tick.getHours() === 0 && tick.getMinutes() === 0 ? moment(tick, begin).replace(/ 00:00$/, '') : clock(tick)
}
