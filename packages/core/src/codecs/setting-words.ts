import { measuredEfforts, measuredFine, type SettingFigures } from './measured-settings.ts'
import type { FineSettings, PictureCodec } from './picture-codec.ts'

/** Times nearer to each other than this part are alike, and sizes nearer than that one: noise of the measurement. */
const alike = { time: 0.1, bytes: 0.005 }

/** A single fine setting. */
export type FineChoice = {
  [Name in keyof FineSettings]-?: [name: Name, value: NonNullable<FineSettings[Name]>]
}[keyof FineSettings]

/** "1.9x the time of veryfast, 12 % smaller": an effort against the next quicker one, as measured; empty for the quickest. */
export function effortWords({ key, efforts }: PictureCodec, value: string): string {
  const figures = measuredEfforts[key]?.[value]
  const before = efforts[efforts.findIndex(effort => effort.value === value) - 1]
  return figures && before ? figureWords(figures, ` of ${before.value}`) : ''
}

/** "0.9x the time, 14 % larger": a fine setting against what the effort sets, as measured; empty where that is none. */
export function fineWords({ key }: PictureCodec, [name, value]: FineChoice): string {
  const figures = measuredFine[key]?.[value === true ? name : `${name} ${value}`]
  return figures ? figureWords(figures, '') : ''
}

function figureWords({ time, bytes }: SettingFigures, of: string): string {
  const size = Math.abs(bytes - 1)
  const percent = `${(100 * size).toFixed(size < 0.095 ? 1 : 0)} %`
  return [
    Math.abs(time - 1) < alike.time
      ? `about the ${of === '' ? 'same ' : ''}time${of}`
      : `${time.toFixed(time < 9.95 ? 1 : 0)}x the time${of}`,
    size < alike.bytes ? 'as large' : `${percent} ${bytes < 1 ? 'smaller' : 'larger'}`,
  ].join(', ')
}
