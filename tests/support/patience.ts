/**
 * How long a test waits for what is sure to come: against what never ends, and not against machines that are busy with something else for minutes, or whose
 * children work at low priority beside another file's.
 */
export const patience = { timeout: 540_000, interval: 100 }
