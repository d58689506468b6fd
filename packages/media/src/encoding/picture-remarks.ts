import {
  isProfileOfRgb,
  outputKind,
  pictureCodec,
  uprightExif,
  type PictureSpec,
  type PictureTreatment,
  type SourceFacts,
} from '@hematine/core'
import { AV_FRAME_DATA_DISPLAYMATRIX, AV_FRAME_DATA_EXIF, AV_FRAME_DATA_ICC_PROFILE } from 'node-av/constants'
import { Frame } from 'node-av/lib'
import type { MediaInput } from '../ground/media-input.ts'
import { openFrames } from '../reading/frame-reader.ts'

/** What a picture's file says beside the picture. */
export interface PictureRemarks {
  /** Profile of its colours (ICC.1), or null. */
  profile: Uint8Array | null
  /** Camera data of an upright picture, or null. */
  exif: Uint8Array | null
}

/**
 * What a result's pictures are to say of what the source's first picture says: its colours' profile, where they are still those that it was made for, and
 * camera data where the spec has it so. Read from the source itself, since steps make new frames. Null for films.
 */
export async function remarksFor({
  input,
  facts,
  spec,
  treatment: { sourceColour, result },
}: {
  input: MediaInput
  facts: SourceFacts
  spec: PictureSpec
  treatment: PictureTreatment
}): Promise<PictureRemarks | null> {
  if (outputKind(spec) === 'moving picture') return null
  const { remarks } = pictureCodec(spec.video.codec)
  if (facts.container !== 'pictures' || remarks.length === 0) return { profile: null, exif: null }
  const reader = await openFrames(input, facts.video!.streamIndex, 1)
  const frame = new Frame()
  frame.alloc()
  try {
    if (!(await reader.next(frame))) return { profile: null, exif: null }
    const profile = frame.getSideData(AV_FRAME_DATA_ICC_PROFILE)
    const keepsColours =
      remarks.includes('colour profile') &&
      profile !== null &&
      isProfileOfRgb(profile) &&
      result.colour.primaries === sourceColour.primaries &&
      result.colour.transfer === sourceColour.transfer
    const exif = spec.keepsCameraData ? frame.getSideData(AV_FRAME_DATA_EXIF) : null
    return {
      profile: keepsColours ? Uint8Array.from(profile) : null,
      exif: exif && remarks.includes('camera data') ? uprightExif(exif) : null,
    }
  } finally {
    frame.free()
    await reader.close()
  }
}

/** Has a frame say this and nothing else; the way a camera was held is not said, since the treatment has turned the picture. */
export function setRemarks(frame: Frame, { profile, exif }: PictureRemarks): void {
  for (const [kind, bytes] of [
    [AV_FRAME_DATA_DISPLAYMATRIX, null],
    [AV_FRAME_DATA_ICC_PROFILE, profile],
    [AV_FRAME_DATA_EXIF, exif],
  ] as const) {
    frame.removeSideData(kind)
    if (bytes) frame.newSideData(kind, bytes.length).set(bytes)
  }
}
