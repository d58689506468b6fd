// `npm start`: installs what is missing, builds when stale, and runs everything until Ctrl-C.
import { runScript } from './lib/bootstrap.mjs'

await runScript(['postgresql'], async () => {
  const { start } = await import('./lib/run.ts')
  await start({ empty: process.argv.includes('--empty') })
})
