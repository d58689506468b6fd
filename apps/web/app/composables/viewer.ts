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

/** Whether a key that is pressed is meant for the viewer and not for something that is being filled in. */
export function isForViewer(event: KeyboardEvent): boolean {
  const target = event.target as HTMLElement
  return !(
    event.ctrlKey ||
    event.metaKey ||
    event.altKey ||
    ['TEXTAREA', 'SELECT'].includes(target.tagName) ||
    (target.tagName === 'INPUT' && (target as HTMLInputElement).type !== 'range') ||
    (event.key === ' ' && target.tagName === 'BUTTON') ||
    target.closest('[role="dialog"],[role="separator"],[role="slider"],.v-overlay,[role="treegrid"]')
  )
}
