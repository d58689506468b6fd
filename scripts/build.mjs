// `npm run build`: builds the application when its sources changed.
import { runScript } from './lib/bootstrap.mjs'

await runScript([], async () => {
  const { build } = await import('./lib/build.ts')
  console.log((await build()) ? 'Built.' : 'The build is up to date.')
})
