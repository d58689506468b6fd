import { computed, type WritableComputedRef } from 'vue'

/** Whether a dialog is open that is there only while it is: closing it tells so. */
export function useClosing(close: () => void): WritableComputedRef<boolean> {
  return computed({
    get: () => true,
    set: isOpen => {
      if (!isOpen) close()
    },
  })
}
