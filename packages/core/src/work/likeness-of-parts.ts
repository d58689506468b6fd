import type { PictureCheckMeasurement } from '../check/records.ts'

/** How like a part of a result is to what it was made of, and how many of its frames were compared. */
export interface LikenessOfPart extends Pick<PictureCheckMeasurement, 'ssim' | 'xpsnr' | 'identical'> {
  framesCompared: number
}

/** The error of which so many decibels are the likeness. */
const errorOf = (decibels: number) => 10 ** (-decibels / 10)

/** Likeness of a whole from that of its parts, each counting by its frames: means of errors become one mean, and the worst frame of all is the worst. */
export function likenessOfParts(
  parts: readonly LikenessOfPart[],
): Pick<PictureCheckMeasurement, 'ssim' | 'xpsnr' | 'identical'> {
  const compared = parts.filter(part => part.framesCompared > 0)
  const frames = compared.reduce((sum, part) => sum + part.framesCompared, 0)
  const identical = compared.length > 0 && compared.every(part => part.identical)
  // Luma without a difference has no error; nor has what could not be worked out, but there SSIM shows a difference.
  const isKnown =
    compared.length > 0 && compared.every(({ ssim, xpsnr }) => ssim !== null && (xpsnr ?? ssim.mean === 1))
  if (!isKnown) return { identical, ssim: null, xpsnr: null }
  const mean = (of: (part: LikenessOfPart) => number) =>
    compared.reduce((sum, part) => sum + of(part) * part.framesCompared, 0) / frames
  const worst = (key: 'ssim' | 'xpsnr') =>
    compared.flatMap(part => part[key] ?? []).reduce((least, now) => (now.worst < least.worst ? now : least))
  return {
    identical,
    ssim: { ...worst('ssim'), mean: mean(part => part.ssim!.mean) },
    xpsnr: compared.every(part => part.xpsnr === null)
      ? null
      : { ...worst('xpsnr'), mean: -10 * Math.log10(mean(part => (part.xpsnr ? errorOf(part.xpsnr.mean) : 0))) },
  }
}
