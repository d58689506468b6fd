import { runScript } from './lib/bootstrap.mjs'

// How quickly a thousand files come in, and how smoothly ten thousand rows scroll.
await runScript(['postgresql', 'chromium'], async () => {
  const { benchIntake } = await import('./bench/intake.ts')
  await benchIntake()
})
