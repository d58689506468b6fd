// `npm run worker`: one more worker for a Hematine that runs elsewhere. HEMATINE_DATABASE_URL says where its database is.
import { spawn } from 'node:child_process'
import { runScript } from './lib/bootstrap.mjs'

await runScript([], async () => {
  const { buildWorker, built } = await import('./lib/build.ts')
  await buildWorker()
  const worker = spawn(process.execPath, [built.worker], { stdio: ['ignore', 'inherit', 'inherit'] })
  for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => worker.kill('SIGTERM'))
  worker.on('exit', code => process.exit(code ?? 1))
})
