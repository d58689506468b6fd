import type { Ref } from 'vue'
import type { Size, useView } from './useView'

/** Pixels between two panes, and how near to the wipe it is caught. */
export const paneGap = 2
const wipeReach = 12

/**
 * The mouse on a stage of panes: the wheel zooms where it is, dragging moves the picture in all panes, or the wipe where that is caught.
 * @param pane size of each pane @param wipe place of the wipe, 0 to 1 @param isWiped whether there is one now
 */
export function useStageMouse(
  view: ReturnType<typeof useView>,
  pane: Ref<Size>,
  wipe: Ref<number>,
  isWiped: () => boolean,
) {
  function wheel(event: WheelEvent): void {
    const box = (event.currentTarget as HTMLElement).getBoundingClientRect()
    const x = (event.clientX - box.left) % (pane.value.width + paneGap)
    if (event.deltaY < 0) view.larger(x, event.clientY - box.top)
    else view.smaller(x, event.clientY - box.top)
  }

  function drag(event: PointerEvent): void {
    const target = event.currentTarget as HTMLElement
    const box = target.getBoundingClientRect()
    const movesWipe = isWiped() && Math.abs(event.clientX - box.left - wipe.value * box.width) < wipeReach
    target.setPointerCapture(event.pointerId)
    let [x, y] = [event.clientX, event.clientY]
    const move = (now: PointerEvent) => {
      if (movesWipe) wipe.value = Math.min(1, Math.max(0, (now.clientX - box.left) / box.width))
      else view.pan(now.clientX - x, now.clientY - y)
      ;[x, y] = [now.clientX, now.clientY]
    }
    target.addEventListener('pointermove', move)
    target.addEventListener('pointerup', () => target.removeEventListener('pointermove', move), { once: true })
  }

  return { wheel, drag }
}
