import { runScript } from './lib/bootstrap.mjs'

// Orders of work by due times against exact answers and bounds: `npm run bench:planner -- [seed]`.
await runScript([], async () => {
  const [seed = '1'] = process.argv.slice(2)
  if (!/^\d+$/.test(seed)) {
    console.error('Give a whole number as the seed.')
    process.exitCode = 2
    return
  }
  const { benchPlanner } = await import('./bench/planner.ts')
  await benchPlanner(Number(seed))
})
