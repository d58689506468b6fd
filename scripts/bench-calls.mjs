import { runScript } from './lib/bootstrap.mjs'

// What it costs to hand the libraries' work to another thread, call by call; see docs/measurements.md.
await runScript([], async () => (await import('./bench/calls.ts')).benchCalls())
