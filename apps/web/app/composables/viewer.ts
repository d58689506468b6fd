/** Ways of comparing pictures. */
export type ViewMode = 'beside' | 'wipe' | 'flip' | 'difference'

export const viewModes: readonly [ViewMode, string][] = [
  ['beside', 'Side by side'],
  ['wipe', 'Wipe'],
  ['flip', 'Flip'],
  ['difference', 'Difference'],
]

/** A picture among those compared; the first is what the others are compared with. */
export interface ViewPane {
  key: string
  name: string
  /** What a person who cannot see it hears. */
  label: string
  /** Undefined while it is not decoded; the one before it then stays. */
  image: ImageBitmap | undefined
  /** Part of the picture that is shown, in parts of its width and height; all of it when left out. */
  part?: { x: number; y: number; width: number; height: number }
}

/** Whether a key that is pressed is meant for a viewer and not for something that is being filled in, or for a dialog in front of it. */
export function isForViewer(event: KeyboardEvent, viewer: HTMLElement | null): boolean {
  const target = event.target as HTMLElement
  const dialog = target.closest('[role="dialog"],.v-overlay')
  return !(
    event.ctrlKey ||
    event.metaKey ||
    event.altKey ||
    ['TEXTAREA', 'SELECT'].includes(target.tagName) ||
    (target.tagName === 'INPUT' && (target as HTMLInputElement).type !== 'range') ||
    (event.key === ' ' && target.tagName === 'BUTTON') ||
    (dialog && !dialog.contains(viewer)) ||
    target.closest('[role="separator"],[role="slider"],[role="treegrid"]')
  )
}
