import type { ColourDescription } from '@hematine/core'
import { AVMEDIA_TYPE_VIDEO } from 'node-av/constants'
import { FormatContext } from 'node-av/lib'
import { ensure, options } from '../ground/libav.ts'
import { readColour } from './source-facts.ts'

/**
 * What a container says of its picture's colours, before the stream in it is asked: players go by either.
 * @returns null where it says nothing
 * @throws MediaError when the file cannot be opened
 */
export async function containerColour(path: string): Promise<ColourDescription | null> {
  const context = new FormatContext()
  const settings = options({ protocol_whitelist: 'file' })
  try {
    ensure(await context.openInput(path, null, settings), 'The file cannot be opened')
    const picture = context.streams.find(({ codecpar }) => codecpar.codecType === AVMEDIA_TYPE_VIDEO)
    const colour = picture ? readColour(picture.codecpar) : null
    return colour && (colour.primaries ?? colour.transfer ?? colour.matrix) !== null ? colour : null
  } finally {
    settings.free()
    await context.closeInput().catch(() => undefined)
  }
}
