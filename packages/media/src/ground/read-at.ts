import { open } from 'node:fs/promises'

/** Reads `length` bytes of a file from `at` on; fewer at its end. */
export async function readAt(file: string, at: number, length: number): Promise<Uint8Array> {
  const handle = await open(file, 'r')
  try {
    const buffer = new Uint8Array(length)
    const { bytesRead } = await handle.read(buffer, 0, length, at)
    return buffer.subarray(0, bytesRead)
  } finally {
    await handle.close()
  }
}
