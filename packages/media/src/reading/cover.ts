import { AVMEDIA_TYPE_VIDEO, AV_DISPOSITION_ATTACHED_PIC } from 'node-av/constants'
import { Packet, type Stream } from 'node-av/lib'
import type { MediaInput } from '../ground/media-input.ts'
import { keepOnlyStream, openInput } from './input.ts'

/** A still picture that a file carries beside what it plays, as it lies in the file. */
export interface Cover {
  stream: Stream
  packet: Packet
  /** Frees both. */
  close(): Promise<void>
}

/** Whether a stream is such a picture. */
export function isCover({ codecpar, disposition }: Stream): boolean {
  return codecpar.codecType === AVMEDIA_TYPE_VIDEO && (Number(disposition) & AV_DISPOSITION_ATTACHED_PIC) !== 0
}

/** Covers come before everything else, or not at all. */
const mostPackets = 20

/**
 * Reads a file's cover, null where there is none. The library hands covers out as packets; the copy that it keeps with the stream is not to be touched.
 * @throws MediaError when the file cannot be opened
 */
export async function openCover(input: MediaInput & { kind: 'file' }, streamIndex: number): Promise<Cover | null> {
  const container = await openInput(input)
  const packet = new Packet()
  packet.alloc()
  const close = async () => {
    packet.free()
    await container.closeInput()
  }
  const stream = container.streams[streamIndex]
  if (stream && isCover(stream)) {
    keepOnlyStream(container, streamIndex)
    for (let count = 0; count < mostPackets && (await container.readFrame(packet)) >= 0; count++) {
      if (packet.streamIndex === streamIndex && packet.size > 0) return { stream, packet, close }
      packet.unref()
    }
  }
  await close()
  return null
}
