import { spawn } from 'node:child_process'
import { cpSync, mkdirSync, readdirSync } from 'node:fs'
import path from 'node:path'
import { readSettings } from '@hematine/core'
import { makeDemoMaterial, makeShelf, ownVolumes } from '@hematine/demo'
import { projectDirectory } from './bootstrap.mjs'
import { built } from './build.ts'
import { freePort } from './cluster.ts'
import { run, type Running } from './run.ts'

/** Where the discs of the stand-in drive are kept beside the material that they belong to. */
const shelfBeside = (material: string) => `${material}-shelf`

/** Draws what the browser tests work on, unless it is there already. */
export async function drawTestMaterial(material: string): Promise<void> {
  await makeDemoMaterial(material)
  await makeShelf(shelfBeside(material))
}

/**
 * Runs the browser tests against the built application: one with the demo order, one started empty, both with data of their own.
 * @param directory for everything that the two keep; the caller removes it
 * @param material where this run's demo material is or shall be
 * @param part 0 for all files, or one half of them: tests of a file build on those before it, halves do not on each other
 * @returns whether all passed
 */
export async function runBrowserTests(
  directory: string,
  material: string,
  words: readonly string[],
  part = 0,
): Promise<boolean> {
  await drawTestMaterial(material)
  const servers: Running[] = []
  try {
    for (const empty of [false, true]) {
      const dataDirectory = path.join(directory, empty ? 'empty' : 'demo')
      if (!empty) {
        const { source, shelf } = ownVolumes(dataDirectory)
        for (const [from, to] of [
          [material, source],
          [shelfBeside(material), shelf],
        ] as const) {
          mkdirSync(path.dirname(to), { recursive: true })
          cpSync(from, to, { recursive: true })
        }
      }
      const settings = readSettings({ HEMATINE_PORT: String(await freePort()), HEMATINE_WORKERS: empty ? '0' : '1' })
      servers.push(await run({ empty, dataDirectory, settings, lasting: false, say: () => undefined }))
    }
    return await playwright([...words, ...filesOf(part)], {
      E2E_PART: part === 0 ? '' : `-${part}`,
      E2E_ADDRESS: servers[0]!.address,
      E2E_EMPTY_ADDRESS: servers[1]!.address,
      E2E_DATA: path.join(directory, 'demo'),
      E2E_DATABASE_URL: servers[0]!.databaseUrl,
      E2E_WORKER: built.worker,
      E2E_SUPERVISOR: String(process.pid),
    })
  } finally {
    await Promise.all(servers.map(server => server.stop()))
  }
}

/** Number of the last file in the first half, by how long they take. */
const lastOfFirst = 5

function filesOf(part: number): string[] {
  if (part === 0) return []
  const files = readdirSync(path.join(projectDirectory, 'tests/e2e')).filter(name => name.endsWith('.spec.ts'))
  return files.filter(name => Number.parseInt(name, 10) <= lastOfFirst === (part === 1))
}

function playwright(words: readonly string[], environment: Record<string, string>): Promise<boolean> {
  return new Promise(resolve => {
    const program = path.join(projectDirectory, 'node_modules/@playwright/test/cli.js')
    spawn(process.execPath, [program, 'test', ...words], {
      cwd: projectDirectory,
      stdio: ['ignore', 'inherit', 'inherit'],
      env: { ...process.env, ...environment },
    }).on('close', code => resolve(code === 0))
  })
}
