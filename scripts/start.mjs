// `npm start`: installs what is missing, builds when stale, and runs everything until Ctrl-C.
import { checkNode, ensureDebianPackages, ensureNodeModules, runScript } from './lib/bootstrap.mjs'

await runScript(async () => {
  checkNode()
  ensureDebianPackages(['postgresql'])
  ensureNodeModules()
  const { register } = await import('tsx/esm/api')
  register()
  const { start } = await import('./lib/run.ts')
  await start({ empty: process.argv.includes('--empty') })
})
