import { runScript } from './lib/bootstrap.mjs'

// What the engine's collections take of a job's processor time; see docs/measurements.md.
await runScript([], async () => (await import('./bench/collections.ts')).benchCollections())
