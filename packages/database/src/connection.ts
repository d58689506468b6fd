import { MikroORM, type EntityManager, type Options } from '@mikro-orm/postgresql'
import { Migrator } from '@mikro-orm/migrations'
import { entities } from './entities.ts'
import { migrations } from './migrations/index.ts'
import { seedSpecs } from './specs.ts'

export type Database = MikroORM
export type { EntityManager }

/** Connects to a database. `url` is a PostgreSQL address with user, password, host, port and name. */
export async function connect(url: string): Promise<Database> {
  const settings: Options = {
    clientUrl: url,
    entities,
    extensions: [Migrator],
    migrations: { migrationsList: migrations, snapshot: false, silent: true, tableName: 'hematine_migration' },
    metadataCache: { enabled: false },
    discovery: { warnWhenNoEntities: false },
    ignoreUndefinedInQuery: true,
    pool: { min: 0, max: 10 },
  }
  return MikroORM.init(settings)
}

/** Brings a database's tables, and the specs that ship, up to date. Run once at start, not by every process. */
export async function migrate(database: Database): Promise<void> {
  await database.getMigrator().up()
  await seedSpecs(database.em.fork())
}
