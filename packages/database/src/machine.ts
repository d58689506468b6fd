import type { EntityManager } from '@mikro-orm/postgresql'
import { hardwareCodecs, lanesWith, type EncoderNeed, type LaneGroup, type Machine } from '@hematine/core'
import { WorkerEntity, type WorkerRow } from './entities.ts'
import { hoursOf } from './working-hours.ts'

/** Lanes of all workers, the cores of the machines that they are on, no number of them where one did not say, and the hours in which they work. */
export async function machineOf(em: EntityManager): Promise<Machine> {
  // Those of processors first, so that their lanes keep their numbers.
  const workers = await em.find(WorkerEntity, { goneAt: null }, { orderBy: { devicesOnly: 1, name: 1, startedAt: 1 } })
  const hosts = new Map(workers.map(({ host, cores }) => [host, cores ?? null]))
  const known = [...hosts.values()].flatMap(cores => cores ?? [])
  return {
    lanes: workers.reduce((sum, { lanes }) => sum + lanes, 0),
    cores: known.length > 0 && known.length === hosts.size ? known.reduce((sum, cores) => sum + cores, 0) : null,
    hours: await hoursOf(em),
    // Most have none, and then every lane is like the others.
    ...(workers.some(({ found }) => found.devices.length > 0) ? { groups: workers.flatMap(groupsOf) } : {}),
  }
}

/** The lanes of a worker by what they take: as many as its devices have sessions encode on them as well. */
function groupsOf(worker: WorkerRow): LaneGroup[] {
  const { found, devicesOnly, lanes } = worker
  const withCodecs = hardwareCodecs.map(codec => ({
    codec,
    lanes: lanesWith({ ...worker, devicesOnly: devicesOnly! }, codec),
  }))
  const name = devicesOnly ? (found.devices[0]?.name ?? null) : null
  return Array.from({ length: lanes }, (_, lane) => {
    const codecs = withCodecs.filter(({ lanes: most }) => lane < most).map(({ codec }) => codec)
    const takes: EncoderNeed[] = [...codecs, ...(devicesOnly ? [] : [null])]
    return { name, lanes: 1, takes }
  })
}
