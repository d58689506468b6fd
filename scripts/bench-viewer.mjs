import { runScript } from './lib/bootstrap.mjs'

// How smoothly the Bench plays, and how soon a trial has something to show; see docs/measurements.md.
await runScript(['postgresql', 'chromium'], async () => {
  const { benchViewer } = await import('./bench/viewer.ts')
  await benchViewer()
})
