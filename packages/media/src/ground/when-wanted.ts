import { createRequire } from 'node:module'
import type * as runtime from 'onnxruntime-node'
import type sharp from 'sharp'

/**
 * Libraries that most processes never use. Every task has a process of its own, and loading these two took a quarter of its start, so each is loaded when it
 * is first wanted.
 */
const require = createRequire(import.meta.url)

/** The library for pictures in files. */
export function pictures(): typeof sharp {
  return require('sharp') as typeof sharp
}

/** The library that runs networks. */
export function networkRuntime(): typeof runtime {
  return require('onnxruntime-node') as typeof runtime
}
