import { framesIn } from './timing.ts'
import { toNumber, type Rational } from './rational.ts'
import type { FrameSize } from './geometry.ts'
import type { SpecSheet } from './spec/sheet.ts'

/** A frame on a contact sheet: when it begins in the result, and where its upper left corner is. */
export interface SheetCell {
  seconds: number
  left: number
  top: number
}

/** A contact sheet to be drawn; all sizes in pixels. */
export interface ContactSheet {
  width: number
  height: number
  /** Size of each frame on it. */
  frame: { width: number; height: number }
  /** Height of the letters of times below the frames; null where there are none. */
  lettering: number | null
  cells: SheetCell[]
}

/** What a contact sheet is made of. */
export interface SheetOf {
  frame: FrameSize & { pixelAspect: Rational }
  rate: Rational
  /** Of the result. */
  seconds: number
}

/** What is added to the name of a result for its contact sheet. */
export const sheetAdded = '.sheet.jpg'

/** Tallest sheet: picture files end at 65,535 rows, and programs that open them long before. */
const mostHeight = 32_000
/** Of times, as a part of a frame's width, and the line that they stand in, in heights of the letters. */
const letteringPart = 0.055
const lineHeight = 1.8

/** The time at which a frame begins as it stands below it: "1:04.2", and from an hour on "1:02:04"; never later than it is. */
export function describeSheetTime(seconds: number): string {
  const tenths = Math.floor(seconds * 10 + 1e-6)
  const two = (value: number) => String(value).padStart(2, '0')
  const whole = Math.floor(tenths / 10)
  const [hours, minutes] = [Math.floor(whole / 3600), Math.floor(whole / 60) % 60]
  return hours > 0 ? `${hours}:${two(minutes)}:${two(whole % 60)}` : `${minutes}:${two(whole % 60)}.${tenths % 10}`
}

/**
 * A contact sheet of a result: of as many equal parts of it as there are frames on the sheet, the frame in the middle of each; all frames of what has fewer.
 * A sheet that would be too tall is made narrower.
 */
export function planContactSheet(rule: SpecSheet, of: SheetOf): ContactSheet {
  const { across, width } = rule
  const rate = toNumber(of.rate)
  const frames = Math.max(1, framesIn(of.seconds, of.rate))
  const count = Math.min(rule.across * rule.down, frames)
  const gap = Math.max(4, Math.round(width / 100))
  const frameWidth = Math.floor((width - (across + 1) * gap) / across)
  const shape = (of.frame.width * toNumber(of.frame.pixelAspect)) / of.frame.height
  const frame = { width: frameWidth, height: Math.max(1, Math.round(frameWidth / shape)) }
  const lettering = rule.times ? Math.max(10, Math.min(28, Math.round(frameWidth * letteringPart))) : null
  const row = frame.height + (lettering === null ? 0 : Math.round(lettering * lineHeight)) + gap
  const height = gap + Math.ceil(count / across) * row
  if (height > mostHeight && width > across)
    return planContactSheet({ ...rule, width: Math.floor((width * mostHeight) / height) }, of)
  const cells = Array.from({ length: count }, (_, index): SheetCell => ({
    // A hair more, so that a part whose middle is where a frame begins has that frame.
    seconds: Math.floor(((index + 0.5) * frames) / count + 1e-6) / rate,
    left: gap + (index % across) * (frameWidth + gap),
    top: gap + Math.floor(index / across) * row,
  }))
  return { width, height, frame, lettering, cells }
}
