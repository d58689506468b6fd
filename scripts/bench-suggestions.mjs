import { runScript } from './lib/bootstrap.mjs'

// Tries what is suggested for every source of the demo.
await runScript(['postgresql', 'dvdauthor', 'genisoimage'], async () => {
  const { benchSuggestions } = await import('./bench/suggestions.ts')
  await benchSuggestions()
})
