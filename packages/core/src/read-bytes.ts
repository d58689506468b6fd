/** Reads bytes of a file, or of a disc image. Gives fewer than asked for only at its end. */
export type ReadBytes = (at: number, length: number) => Promise<Uint8Array>
