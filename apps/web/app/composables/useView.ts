import { computed, ref, type Ref } from 'vue'

export interface Size {
  width: number
  height: number
}

const steps = [0.25, 0.5, 1, 2, 3, 4, 6, 8, 12, 16]

/** How a picture is looked at: the zoom and the place in the middle, shared by all panes so that they move together. */
export function useView(picture: Ref<Size>, pane: Ref<Size>) {
  /** Screen pixels for each picture pixel; null fits the whole picture in. */
  const zoom = ref<number | null>(null)
  /** The middle of the view, in parts of the picture. */
  const middle = ref({ x: 0.5, y: 0.5 })
  const fit = computed(
    () => Math.min(pane.value.width / picture.value.width, pane.value.height / picture.value.height) || 1,
  )
  const scale = computed(() => zoom.value ?? fit.value)
  /** Where the picture lies in a pane, in screen pixels. */
  const place = computed(() => {
    const [width, height] = [picture.value.width * scale.value, picture.value.height * scale.value]
    const along = (size: number, room: number, part: number) =>
      size <= room ? (room - size) / 2 : Math.min(0, Math.max(room - size, room / 2 - part * size))
    return {
      x: along(width, pane.value.width, middle.value.x),
      y: along(height, pane.value.height, middle.value.y),
      width,
      height,
    }
  })

  function pan(dx: number, dy: number): void {
    const { width, height } = place.value
    const within = (value: number) => Math.min(1, Math.max(0, value))
    middle.value = { x: within(middle.value.x - dx / width), y: within(middle.value.y - dy / height) }
  }

  /** Goes to another zoom and keeps the picture's point under (x, y) of the pane where it is. */
  function zoomTo(next: number | null, x = pane.value.width / 2, y = pane.value.height / 2): void {
    const before = place.value
    const point = { x: (x - before.x) / before.width, y: (y - before.y) / before.height }
    zoom.value = next
    const [width, height] = [picture.value.width * scale.value, picture.value.height * scale.value]
    middle.value = {
      x: point.x + (pane.value.width / 2 - x) / width,
      y: point.y + (pane.value.height / 2 - y) / height,
    }
  }

  function larger(x?: number, y?: number): void {
    zoomTo(steps.find(step => step > scale.value * 1.01) ?? steps.at(-1)!, x, y)
  }

  function smaller(x?: number, y?: number): void {
    const next = [...steps].reverse().find(step => step < scale.value * 0.99) ?? steps[0]!
    zoomTo(next <= fit.value ? null : next, x, y)
  }

  return { zoom, scale, place, pan, zoomTo, larger, smaller }
}
