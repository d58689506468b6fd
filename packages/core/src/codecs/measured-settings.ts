/** Time and size of a setting against another: 2 is twice as much; sizes are at the same XPSNR, or of what is lossless. */
export interface SettingFigures {
  time: number
  bytes: number
}

/** Written by `npm run bench:efforts -- --keep FOLDER`: processor time and size of 6 clips of at most 640x360 and 40 frames each. */
export const measuredOn = '6 clips of at most 640x360'

/** Efforts by codec, each against the next quicker one. */
export const measuredEfforts: Record<string, Record<string, SettingFigures>> = {
  h264: {
    veryfast: { time: 2.69, bytes: 0.543 },
    fast: { time: 1.96, bytes: 0.967 },
    medium: { time: 1.33, bytes: 0.974 },
    slow: { time: 1.96, bytes: 0.99 },
    veryslow: { time: 2.57, bytes: 0.938 },
  },
  hevc: {
    fast: { time: 3.15, bytes: 0.747 },
    medium: { time: 1.06, bytes: 1.015 },
    slow: { time: 3.08, bytes: 0.893 },
  },
  av1: {
    '9': { time: 1.17, bytes: 0.886 },
    '8': { time: 1.39, bytes: 0.927 },
    '6': { time: 1.58, bytes: 0.928 },
    '4': { time: 1.57, bytes: 0.938 },
  },
  vp9: { '2': { time: 1.54, bytes: 0.939 }, '1': { time: 1.57, bytes: 0.986 } },
  png: { '6': { time: 2.24, bytes: 0.868 }, '9': { time: 3.21, bytes: 0.964 } },
  tiff: { lzw: { time: 3.08, bytes: 0.545 }, deflate: { time: 1.2, bytes: 0.58 } },
}

/** Fine settings by codec, each against what the effort "balanced" sets. */
export const measuredFine: Record<string, Record<string, SettingFigures>> = {
  h264: {
    'betweenFrames 0': { time: 0.95, bytes: 1.068 },
    'betweenFrames 1': { time: 0.91, bytes: 1.019 },
    'betweenFrames 2': { time: 0.98, bytes: 1.008 },
    'betweenFrames 3': { time: 0.91, bytes: 1.0 },
    'betweenFrames 5': { time: 1.12, bytes: 0.997 },
    'betweenFrames 8': { time: 1.19, bytes: 1.006 },
    'references 1': { time: 0.95, bytes: 1.02 },
    'references 2': { time: 0.93, bytes: 1.003 },
    'references 4': { time: 1.09, bytes: 0.999 },
    'references 6': { time: 1.49, bytes: 0.991 },
    'references 8': { time: 1.66, bytes: 0.989 },
    'suits film': { time: 1.02, bytes: 1.023 },
    'suits drawn': { time: 0.96, bytes: 0.995 },
    'suits grain': { time: 0.99, bytes: 1.068 },
  },
  hevc: {
    'betweenFrames 0': { time: 0.84, bytes: 1.089 },
    'betweenFrames 1': { time: 0.94, bytes: 1.028 },
    'betweenFrames 2': { time: 0.96, bytes: 1.015 },
    'betweenFrames 3': { time: 0.89, bytes: 0.995 },
    'betweenFrames 5': { time: 0.95, bytes: 0.994 },
    'betweenFrames 8': { time: 1.06, bytes: 0.993 },
    'references 1': { time: 0.95, bytes: 1.011 },
    'references 2': { time: 1.01, bytes: 1.003 },
    'references 3': { time: 1.02, bytes: 1.0 },
    'references 4': { time: 1.09, bytes: 0.999 },
    'references 5': { time: 1.05, bytes: 0.997 },
    closedGroups: { time: 0.95, bytes: 1.051 },
    'suits drawn': { time: 0.98, bytes: 0.992 },
    'suits grain': { time: 1.45, bytes: 1.293 },
  },
  vp9: { 'suits film': { time: 1.16, bytes: 1.048 } },
  mpeg2video: {
    'betweenFrames 0': { time: 0.81, bytes: 0.86 },
    'betweenFrames 1': { time: 0.97, bytes: 0.909 },
    'betweenFrames 2': { time: 1.11, bytes: 1.0 },
    closedGroups: { time: 0.69, bytes: 0.998 },
  },
  mpeg4: {
    'betweenFrames 0': { time: 0.99, bytes: 1.0 },
    'betweenFrames 1': { time: 1.15, bytes: 0.968 },
    'betweenFrames 2': { time: 1.2, bytes: 1.073 },
    closedGroups: { time: 1.07, bytes: 1.006 },
  },
}
