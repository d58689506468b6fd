/** A path that a volume does not give out, or a volume that is not there. The message is a sentence for the technician; `away` means that the volume itself is not there, which may pass. */
export class VolumeProblem extends Error {
  constructor(
    message: string,
    readonly code: 'outside' | 'missing' | 'unreadable' | 'away' = 'outside',
  ) {
    super(message)
    this.name = 'VolumeProblem'
  }
}
