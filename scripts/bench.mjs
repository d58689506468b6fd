// `npm run bench:pipeline`: what the orchestration costs, whether the web server stays quick, and how good the forecasts are.
// `npm run bench:pipeline -- web forecasts` measures these parts alone.
import { runScript } from './lib/bootstrap.mjs'

await runScript(['postgresql'], async () => {
  const { benchPipeline } = await import('./bench/pipeline.ts')
  await benchPipeline(process.argv.slice(2))
})
