// Type check of the packages, the worker, the scripts and the tests, and of the web application, two projects at a time.
import { spawn } from 'node:child_process'
import path from 'node:path'
import { projectDirectory } from './lib/bootstrap.mjs'

const bin = name => path.join(projectDirectory, 'node_modules', name)
// What reads the templates is built on the compiler in JavaScript; all else is for the native one, which takes a fifth of the time.
const plain = bin('typescript-native/bin/tsc')
const withTemplates = bin('vue-tsc/bin/vue-tsc.js')

/** Runs a program in a directory of the project. @returns whether it found nothing */
function passes([directory, program, ...words]) {
  return new Promise(resolve => {
    spawn(process.execPath, [program, ...words], {
      cwd: path.join(projectDirectory, directory),
      stdio: 'inherit',
      env: { ...process.env, NUXT_TELEMETRY_DISABLED: '1' },
    }).on('close', code => resolve(code === 0))
  })
}

// The web application's settings are written first; its tests read them too.
let passed = await passes(['apps/web', bin('nuxt/bin/nuxt.mjs'), 'prepare', '--logLevel', 'silent'])
const waiting = passed
  ? [
      ['apps/web', withTemplates, '--noEmit', '-p', 'tsconfig.pages.json'],
      ['.', plain, '-p', 'tsconfig.json'],
      ...['server', 'shared'].map(part => ['apps/web', plain, '--noEmit', '-p', `.nuxt/tsconfig.${part}.json`]),
      ...['tests/e2e', 'apps/web/tests'].map(directory => [directory, plain, '-p', 'tsconfig.json']),
    ]
  : []
const workThrough = async () => {
  for (let step = waiting.shift(); step; step = waiting.shift()) if (!(await passes(step))) passed = false
}
await Promise.all([workThrough(), workThrough()])
process.exitCode = passed ? 0 : 1
