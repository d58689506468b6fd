import { z } from 'zod'

/**
 * What was measured of a source: plain numbers, kept as they are, so that the rules that read them can change without measuring again.
 * Luma is in 8-bit codes of limited range (black 16, white 235), whatever the source's depth.
 */

/** Changes when the numbers' meaning does; older measurements are then made anew. */
export const measuringVersion = 2

/** How closely a source is looked at: in a few places, or in more. */
export const MeasureDepth = z.enum(['sampled', 'deep'])
export type MeasureDepth = z.infer<typeof MeasureDepth>

/** What a person asks for: one of them, or that every picture is looked at for cuts besides. */
export const MeasureWish = z.enum([...MeasureDepth.options, 'through'])
export type MeasureWish = z.infer<typeof MeasureWish>

/** How a source was measured. */
export const Measured = z.object({
  depth: MeasureDepth,
  /** Whether every picture was looked at for cuts; what is measured once more is looked through again, too. */
  through: z.literal(true).optional(),
  tookSeconds: z.number(),
})
export type Measured = z.infer<typeof Measured>

/** Windows spread over a source and the frames in each, by depth. Short sources are covered whole. */
export const windowPlans: Record<MeasureDepth | 'glance', { windows: number; framesEach: number }> = {
  glance: { windows: 4, framesEach: 9 },
  sampled: { windows: 10, framesEach: 25 },
  deep: { windows: 60, framesEach: 50 },
}

const Column = z.array(z.number())

/** Frames that follow each other, decoded from one place of the source; one entry a frame in each column. */
export const MeasuredWindow = z.object({
  /** Time of each frame from the source's start, in seconds. */
  seconds: Column,
  /** Mean luma. */
  mean: Column,
  /** Luma below which 1 %, and above which 1 %, of the pixels lie. */
  low: Column,
  high: Column,
  /** Parts of the pixels outside 16 to 235 by more than 3 codes, and within 2 codes of the brightest 0.1 %. */
  illegal: Column,
  atTop: Column,
  /** 95th percentile of the distance of chroma from neutral, in codes. */
  saturation: Column,
  /** Part of the picture that is plainly coloured; measurements of old lack it. */
  vivid: Column.optional(),
  /** Mean absolute difference of luma from the frame before, in codes; 0 where the frame before was not decoded. */
  change: Column,
  /** Part of the pixels whose luma histogram (32 classes) moved since the frame before; 0 where the frame before was not decoded. */
  histogramChange: Column,
  /**
   * Part of the picture that still shows what it showed in the frame before, of frames that changed much; 1 of the others, 0 where nothing can be told.
   * Older measurements do not have it.
   */
  stays: Column.optional(),
  /** Shift of the whole picture since the frame before, in pixels, right and down positive, and how well the shifted picture fits (0 to 1); 0 where its parts move apart. */
  shiftX: Column,
  shiftY: Column,
  shiftFit: Column,
  /** How each frame's fields relate to those of the frames before and after, one letter a frame: t top field first, b bottom field first, p progressive, u undecided. */
  scan: z.string(),
  /** How much lines stand out from their neighbours where the picture moves; older measurements do not have it. */
  comb: Column.optional(),
  /** Decode errors reported while this window was read. */
  errors: z.int().min(0),
  /** Figures of one frame of the window, taken from its middle. */
  still: z
    .object({
      seconds: z.number(),
      /** Standard deviation of luma noise in the flattest parts, in codes; null when no part is flat and unclipped. */
      noise: z.number().nullable(),
      /** Step at the strongest 8-pixel grid against the steps elsewhere, 1 = no grid, across and down; by how many codes it stands out; and which column or row it falls on. */
      gridX: z.number(),
      gridY: z.number(),
      gridStepX: z.number(),
      gridStepY: z.number(),
      gridColumn: z.int(),
      gridRow: z.int(),
      /** Where the spectrum falls into its floor, as a part of the frame's width and height, and how steeply (dB over the last third); null without any detail. */
      detailX: z.object({ cutoff: z.number(), fall: z.number() }).nullable(),
      detailY: z.object({ cutoff: z.number(), fall: z.number() }).nullable(),
      /** Share of pixels that equal their right neighbour. */
      flat: z.number(),
      /** Part of the pixels whose luma is one of the four most common values: high in drawn pictures and screens; older measurements do not have it. */
      peaked: z.number().optional(),
      /** Part of the picture that looks like lettering; older measurements do not have it. */
      lettering: z.number().optional(),
    })
    .nullable(),
  /** Widths of black edges that hold in every frame of the window: left, top, right, bottom, in pixels; null when the picture is too dark to tell. */
  borders: z.tuple([z.int(), z.int(), z.int(), z.int()]).nullable(),
})
export type MeasuredWindow = z.infer<typeof MeasuredWindow>

export const MeasuredPicture = z.object({
  width: z.int().positive(),
  height: z.int().positive(),
  framesPerSecond: z.number().positive(),
  windows: z.array(MeasuredWindow),
  /** Whether the windows cover every frame. */
  whole: z.boolean(),
  /** Time of the first frame behind each cut of the whole source, in seconds, where every picture was looked at for them. */
  cuts: Column.optional(),
  /** Parts of the picture that keep the same edges in every window, in pixels. */
  marks: z.array(z.object({ x: z.int(), y: z.int(), width: z.int(), height: z.int() })),
  /** Sizes that frames had before they were brought into one, where they are not all of one. */
  sizes: z.array(z.string()).optional(),
  /** Spacing of the frames' times as the container states them. */
  times: z.object({
    packetsRead: z.int(),
    /** Steps from frame to frame, in multiples of the nominal frame: how many are close to one, shorter, and longer. */
    regular: z.int(),
    short: z.int(),
    long: z.int(),
    /** Seconds at which longer steps begin, the first 20. */
    longAt: z.array(z.number()),
    /** Time at which the last packet ends; null when the reading stopped before the end. */
    endSeconds: z.number().nullable(),
  }),
})
export type MeasuredPicture = z.infer<typeof MeasuredPicture>

export const MeasuredSound = z.object({
  streamIndex: z.int().min(0),
  secondsMeasured: z.number(),
  whole: z.boolean(),
  /** Loudness by EBU R 128, in LUFS; null when it is below the gate throughout. */
  loudness: z.number().nullable(),
  /** Highest true peak, in dBTP. */
  truePeak: z.number().nullable(),
  channels: z.array(
    z.object({
      /** RMS of all that was measured and of its quietest tenth, in dBFS. */
      rms: z.number(),
      floor: z.number(),
      /** Runs of three or more samples at the highest level, a minute. */
      clippedRunsPerMinute: z.number(),
    }),
  ),
  /** Correlation of the first two channels, -1 to 1; null when there is one, or one of them is silent. */
  correlation: z.number().nullable(),
  /** Level of each hum and how far it stands above its surroundings, by base frequency. */
  hum: z.array(
    z.object({
      hertz: z.number(),
      level: z.number(),
      above: z.number(),
      /** From its quietest tenth of the time to its loudest, in dB; older measurements do not have it. */ spread: z
        .number()
        .optional(),
    }),
  ),
  clippedAt: z.array(z.number()),
  /** Stretches of half a second or more below -60 dBFS in all channels. */
  silences: z.array(z.object({ from: z.number(), to: z.number() })),
  /** Time at which the last packet ends, in the source's time; null when the reading stopped before. */
  endSeconds: z.number().nullable(),
})
export type MeasuredSound = z.infer<typeof MeasuredSound>

export const Measurement = z.object({
  version: z.int(),
  depth: MeasureDepth,
  /** Processor time it took, and what the source's length is, in seconds. */
  tookSeconds: z.number(),
  picture: MeasuredPicture.nullable(),
  sound: z.array(MeasuredSound),
  /** Stretches of a disc title whose sectors the drive could not read; times by the place in the data. */
  unreadable: z.array(z.object({ from: z.number(), to: z.number(), sectors: z.int().positive() })).optional(),
})
export type Measurement = z.infer<typeof Measurement>

/** A stretch of frames that is decoded in one go and measured in windows. */
export interface MeasuredRun {
  first: number
  frames: number
}

/**
 * Stretches to measure of a source of so many frames: evenly spread, the first at its start and the last at its end.
 * One stretch over all when they would meet.
 */
export function runsToMeasure(frames: number, depth: MeasureDepth | 'glance'): MeasuredRun[] {
  const { windows, framesEach } = windowPlans[depth]
  if (frames <= windows * framesEach) return [{ first: 0, frames }]
  return Array.from({ length: windows }, (_, index) => ({
    first: Math.round((index * (frames - framesEach)) / (windows - 1)),
    frames: framesEach,
  }))
}
