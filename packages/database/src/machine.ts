import type { EntityManager } from '@mikro-orm/postgresql'
import type { Machine } from '@hematine/core'
import { WorkerEntity } from './entities.ts'
import { hoursOf } from './working-hours.ts'

/** Lanes of all workers, the cores of the machines that they are on, no number of them where one did not say, and the hours in which they work. */
export async function machineOf(em: EntityManager): Promise<Machine> {
  const workers = await em.find(WorkerEntity, { goneAt: null })
  const hosts = new Map(workers.map(({ host, cores }) => [host, cores ?? null]))
  const known = [...hosts.values()].flatMap(cores => cores ?? [])
  return {
    lanes: workers.reduce((sum, { lanes }) => sum + lanes, 0),
    cores: known.length > 0 && known.length === hosts.size ? known.reduce((sum, cores) => sum + cores, 0) : null,
    hours: await hoursOf(em),
  }
}
