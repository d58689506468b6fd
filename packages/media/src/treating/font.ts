import { createRequire } from 'node:module'
import path from 'node:path'

/** The font of text marks and of subtitles that are burnt in. */
export const font = createRequire(import.meta.url).resolve(
  '@fontsource/atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-600-normal.woff',
)
export const fontDirectory = path.dirname(font)
/** As the file calls itself. */
export const fontName = 'Atkinson Hyperlegible Next SemiBold'

/** Makes a path or text safe inside a filter's option. */
export function quoteOption(text: string): string {
  return `'${text.replaceAll('\\', '\\\\').replaceAll("'", "'\\\\\\''").replaceAll(':', '\\:')}'`
}
