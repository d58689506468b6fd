import { Migrator } from '@mikro-orm/migrations'
import type { Database } from './connection.ts'
import { migrations } from './migrations/index.ts'
import { seedSpecs } from './specs.ts'

// Apart from the rest: what brings tables up to date takes longer to load than all else that a worker needs, and only the start command and tests do it.

/** What changes the tables of a database step by step. */
export function migratorOf(database: Database): Migrator {
  database.config.set('migrations', {
    ...database.config.get('migrations'),
    ...{ migrationsList: migrations, snapshot: false, silent: true, tableName: 'hematine_migration' },
  })
  return new Migrator(database.em)
}

/** Brings a database's tables, and the specs that ship, up to date. Run once at start, not by every process. */
export async function migrate(database: Database): Promise<void> {
  await migratorOf(database).up()
  await seedSpecs(database.em.fork())
}
