/** A path that a volume does not give out, or a volume that is not there. The message is a sentence for the technician. */
export class VolumeProblem extends Error {
  constructor(message: string, readonly code: 'outside' | 'missing' | 'unreadable' = 'outside') {
    super(message)
    this.name = 'VolumeProblem'
  }
}
