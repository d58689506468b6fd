import { z } from 'zod'

/** A picture beside each result that shows frames spread evenly over it. */
export const SpecSheet = z.object({
  /** Frames side by side, and rows of them. */
  across: z.int().min(1).max(20),
  down: z.int().min(1).max(50),
  /** Of the whole sheet, in pixels. */
  width: z.int().min(200).max(8000),
  /** Whether each frame has its time below it; left out, none has. */
  times: z.literal(true).optional(),
})
export type SpecSheet = z.infer<typeof SpecSheet>

/** What is chosen at first. */
export const usualSheet: SpecSheet = { across: 4, down: 5, width: 1600, times: true }

/** Narrowest frame on a sheet on which anything is to be seen, and most frames of one. */
const leastWidth = 40
const mostFrames = 400

/** Sentences on what does not make sense in a sheet; empty when it does. */
export function sheetProblems({ across, down, width }: SpecSheet): string[] {
  return [
    ...(across * down > mostFrames
      ? [`A contact sheet has ${mostFrames} frames at most, and this one ${across * down}: choose fewer.`]
      : []),
    ...(width / across < leastWidth
      ? [`${across} frames side by side in ${width} pixels are too small to be seen: choose fewer, or a wider sheet.`]
      : []),
  ]
}
