// Type check of the packages, the worker, the scripts and the tests, then of the web application.
import { spawnSync } from 'node:child_process'
import path from 'node:path'
import { projectDirectory } from './lib/bootstrap.mjs'

const bin = name => path.join(projectDirectory, 'node_modules', name)
const steps = [
  ['.', bin('typescript/bin/tsc'), ['-p', 'tsconfig.json']],
  ...['tests/e2e', 'apps/web/tests'].map(directory => [directory, bin('typescript/bin/tsc'), ['-p', 'tsconfig.json']]),
  ['apps/web', bin('nuxt/bin/nuxt.mjs'), ['prepare', '--logLevel', 'silent']],
  ...['app', 'server', 'shared'].map(part => ['apps/web', bin('vue-tsc/bin/vue-tsc.js'), ['--noEmit', '-p', `.nuxt/tsconfig.${part}.json`]]),
]
for (const [directory, program, words] of steps) {
  const { status } = spawnSync(process.execPath, [program, ...words], { cwd: path.join(projectDirectory, directory), stdio: 'inherit', env: { ...process.env, NUXT_TELEMETRY_DISABLED: '1' } })
  if (status !== 0) process.exit(status ?? 1)
}
