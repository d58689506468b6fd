import { MikroORM, type EntityManager, type Options } from '@mikro-orm/postgresql'
import { entities } from './entities.ts'

export type Database = MikroORM
export type { EntityManager }

/** Connects to a database. `url` is a PostgreSQL address with user, password, host, port and name. */
export async function connect(url: string): Promise<Database> {
  const settings: Options = {
    clientUrl: url,
    entities,
    metadataCache: { enabled: false },
    discovery: { warnWhenNoEntities: false },
    ignoreUndefinedInQuery: true,
    pool: { min: 0, max: 10 },
  }
  return MikroORM.init(settings)
}
