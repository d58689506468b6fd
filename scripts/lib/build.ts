import { spawn } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { build as bundleWith } from 'esbuild'
import { projectDirectory, SetUpProblem } from './bootstrap.mjs'

const inProject = (...parts: string[]) => path.join(projectDirectory, ...parts)

/** Where the built processes are: the web server's entry, and the bundles of the worker and the stills process. */
export const built = {
  directory: inProject('dist'),
  web: inProject('apps/web/.output/server/index.mjs'),
  worker: inProject('dist/worker/main.mjs'),
}

/** Entry files of the worker and of the process that does a task for it. */
export const workerEntries = ['apps/worker/src/main.ts', 'apps/worker/src/child.ts']

const ingredients = [
  'package-lock.json',
  'scripts/lib/build.ts',
  'apps/web/app',
  'apps/web/server',
  'apps/web/shared',
  'apps/web/public',
  'apps/web/nuxt.config.ts',
  'apps/worker/src',
  'packages/core/src',
  'packages/database/src',
  'packages/media/src',
]

function* filesIn(target: string): Generator<string> {
  if (!existsSync(target)) return
  const entries = path.extname(target) ? null : readdirSync(target, { withFileTypes: true })
  if (!entries) return yield target
  for (const entry of entries.sort((a, b) => (a.name < b.name ? -1 : 1))) yield* filesIn(path.join(target, entry.name))
}

function fingerprint(): string {
  const hash = createHash('sha256')
  for (const ingredient of ingredients) {
    for (const file of filesIn(inProject(ingredient)))
      hash.update(path.relative(projectDirectory, file)).update(readFileSync(file))
  }
  return hash.digest('hex')
}

/**
 * Bundles processes: the workspace's own packages inside, npm packages from node_modules.
 * @param instead files of the project that stand in for packages of the workspace, by name; they may use what they stand in for
 */
export async function bundle(
  entryPoints: readonly string[],
  outdir: string,
  instead: Readonly<Record<string, string>> = {},
): Promise<void> {
  await bundleWith({
    entryPoints: entryPoints.map(entry => inProject(entry)),
    outdir: inProject(outdir),
    outExtension: { '.js': '.mjs' },
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    sourcemap: 'linked',
    logLevel: 'warning',
    plugins: [
      {
        name: 'npm packages stay outside',
        setup(setting) {
          setting.onResolve({ filter: /^@hematine\// }, args => {
            const file = instead[args.path] && inProject(instead[args.path]!)
            return file && args.importer !== file ? { path: file } : null
          })
          setting.onResolve({ filter: /^[^./]/ }, args =>
            args.kind === 'entry-point' || args.path.startsWith('@hematine/')
              ? null
              : { path: args.path, external: true },
          )
        },
      },
    ],
  })
}

function buildWeb(): Promise<void> {
  return new Promise((resolve, reject) => {
    const lines: string[] = []
    const nuxt = spawn(process.execPath, [inProject('node_modules/nuxt/bin/nuxt.mjs'), 'build'], {
      cwd: inProject('apps/web'),
      env: { ...process.env, NUXT_TELEMETRY_DISABLED: '1', NODE_ENV: 'production' },
      stdio: ['ignore', 'pipe', 'pipe'],
    })
    for (const stream of [nuxt.stdout, nuxt.stderr]) stream.on('data', (text: Buffer) => lines.push(text.toString()))
    nuxt.on('close', code =>
      code === 0
        ? resolve()
        : reject(
            new SetUpProblem(
              `The web application could not be built:\n${lines.join('').split('\n').slice(-30).join('\n')}`,
            ),
          ),
    )
  })
}

/** Builds the worker alone, which takes a second. */
export async function buildWorker(): Promise<void> {
  await bundle(workerEntries, 'dist/worker')
}

/** Builds the application unless what is built comes from these very files. @returns whether it was built now */
export async function build(): Promise<boolean> {
  const stamp = inProject('dist/built-from')
  const now = fingerprint()
  if (existsSync(stamp) && existsSync(built.web) && readFileSync(stamp, 'utf8') === now) return false
  console.log('Building the application (one to two minutes, once) ...')
  await buildWorker()
  await bundle(['packages/media/src/previews/stills-process.ts'], 'dist/stills')
  await buildWeb()
  writeFileSync(stamp, now)
  return true
}
