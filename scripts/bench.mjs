// `npm run bench:pipeline`: what the check and the orchestration cost, whether the web server stays quick, and how good the forecasts are.
// `npm run bench:pipeline -- checks web forecasts` measures these parts alone.
import { runScript } from './lib/bootstrap.mjs'

await runScript(['postgresql'], async () => {
  const { benchPipeline } = await import('./bench/pipeline.ts')
  await benchPipeline(process.argv.slice(2))
})
