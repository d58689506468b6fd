// Forecasts of announced material: each measured source is told by the others. `npm run bench:announced -- [FOLDER with clips]`; the demo's without one.
import { runScript } from './lib/bootstrap.mjs'

await runScript(['postgresql'], async () => {
  const { benchAnnounced } = await import('./bench/announced.ts')
  await benchAnnounced(process.argv[2])
})
