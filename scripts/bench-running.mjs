import { runScript } from './lib/bootstrap.mjs'

// What is told of running jobs' ends, and of the end of all, against when they end: `npm run bench:running -- [directory with clips] [lanes]`, of the demo's
// material without a directory or with "demo", on one lane unless said.
await runScript(['postgresql'], async () => {
  const { benchRunning } = await import('./bench/running.ts')
  const [directory, lanes] = process.argv.slice(2)
  await benchRunning(directory === 'demo' ? undefined : directory, lanes ?? '1')
})
