import type { LiveChange } from '#shared/api'

const kinds = ['orders', 'jobs', 'scans', 'copies', 'watches', 'trials'] as const
const goneKinds = [
  ['jobs', 'goneJobs'],
  ['watches', 'goneWatches'],
  ['trials', 'goneTrials'],
] as const
type Kind = (typeof kinds)[number]

/**
 * Which records the server's events told of, and when. An answer to a call may have been read before an event and be there after it;
 * what an event told of meanwhile is newer, and every change is told of in the end.
 */
export class Told {
  private moment = 0
  private readonly at = new Map<string, number>()

  /** To be kept from before a call until its answer is there. */
  get now(): number {
    return this.moment
  }

  /** Notes an event. */
  note(change: Partial<LiveChange>): void {
    this.moment++
    for (const kind of kinds) for (const { id } of change[kind] ?? []) this.at.set(`${kind} ${id}`, this.moment)
    for (const [kind, gone] of goneKinds) for (const id of change[gone] ?? []) this.at.set(`${kind} ${id}`, this.moment)
  }

  private isToldSince(begun: number, kind: Kind, { id }: { id: number }): boolean {
    return (this.at.get(`${kind} ${id}`) ?? 0) > begun
  }

  /** Those records of an answer of which nothing was told since its call began. */
  untold(begun: number, answer: Partial<LiveChange>): Partial<LiveChange> {
    const rest = { ...answer }
    for (const kind of kinds)
      if (answer[kind])
        Object.assign(rest, {
          [kind]: (answer[kind] as { id: number }[]).filter(record => !this.isToldSince(begun, kind, record)),
        })
    return rest
  }

  /** A whole list that a call gave, with what was told since the call began in place of what is in it. */
  merged<Record extends { id: number }>(
    begun: number,
    kind: Kind,
    listed: readonly Record[],
    kept: Iterable<Record>,
  ): Record[] {
    return [
      ...listed.filter(record => !this.isToldSince(begun, kind, record)),
      ...[...kept].filter(record => this.isToldSince(begun, kind, record)),
    ]
  }
}
