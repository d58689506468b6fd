import { disksOf, type Disk } from '@hematine/core'
import { listVolumes, type EntityManager } from '@hematine/database'
import { viewVolume } from './volume-view'

/** Disks seldom change, and one that does not answer takes seconds to say so. */
const lookAgainMilliseconds = 10_000

/** Which delivery volumes lie on one disk, as was seen when they were last looked at. */
export class KnownDisks {
  private known: Disk[] | null = null
  private lookedAt = 0
  private looking: Promise<void> | null = null

  constructor(private readonly em: () => EntityManager) {}

  /** The first time disks are waited for; later what is known is told, and they are looked at meanwhile. */
  async get(): Promise<readonly Disk[]> {
    if (Date.now() - this.lookedAt > lookAgainMilliseconds)
      this.looking ??= this.look()
        .catch(() => undefined)
        .finally(() => {
          this.lookedAt = Date.now()
          this.looking = null
        })
    if (!this.known) await this.looking
    return this.known ?? []
  }

  private async look(): Promise<void> {
    const volumes = (await listVolumes(this.em())).filter(({ role }) => role === 'delivery')
    this.known = disksOf(await Promise.all(volumes.map(viewVolume)))
  }
}
