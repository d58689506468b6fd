import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { connect, TaskQueue } from '@hematine/database'
import { migrate } from '@hematine/database/migrating'
import pg from 'pg'
import type { TestProject } from 'vitest/node'
import { startCluster } from '../../scripts/lib/cluster.ts'

/** One PostgreSQL cluster for all test files of a run, with a migrated database that theirs are copies of. */

declare module 'vitest' {
  export interface ProvidedContext {
    /** Address of a database that stays as it is, and the name of the one that others are copied from. */
    cluster: { server: string; template: string }
  }
}

const template = 'template_migrated'

/** Makes a database in the cluster of `server`, empty or as a copy. @returns its address */
export async function makeDatabase(server: string, name: string, from: string | null): Promise<string> {
  const client = new pg.Client({ connectionString: server })
  await client.connect()
  try {
    await client.query(
      `create database ${client.escapeIdentifier(name)}${from === null ? '' : ` template ${client.escapeIdentifier(from)} strategy file_copy`}`,
    )
  } finally {
    await client.end()
  }
  return server.replace(/[^/]*$/, name)
}

/** Starts a cluster with a migrated database to copy from. */
export async function startTemplateCluster(): Promise<{
  server: string
  template: string
  kill: () => void
  stop: () => Promise<void>
}> {
  const directory = await mkdtemp(path.join(tmpdir(), 'hematine-test-cluster-'))
  const cluster = await startCluster(path.join(directory, 'postgres'), { lasting: false })
  const url = await cluster.database(template)
  const database = await connect(url)
  await migrate(database)
  await database.close()
  const queue = await TaskQueue.open(url, false, error => {
    throw error
  })
  await queue.close()
  return {
    server: await cluster.database('postgres'),
    template,
    kill: () => process.kill(cluster.pid!, 'SIGKILL'),
    async stop() {
      await cluster.stop()
      await rm(directory, { recursive: true, force: true })
    },
  }
}

/** Run once before all test files. @returns run once after them */
export default async function setup(project: TestProject): Promise<() => Promise<void>> {
  const { server, stop } = await startTemplateCluster()
  project.provide('cluster', { server, template })
  return stop
}
