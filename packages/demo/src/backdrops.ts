import sharp from 'sharp'
import { seeded } from './paint.ts'

/** Kinds of drawn backdrop, by what fills them: sea and rocks, loose shapes, rough stone, a harbour front, a written page. */
export const backdropKinds = ['sea', 'shapes', 'stone', 'harbour', 'page'] as const
export type BackdropKind = (typeof backdropKinds)[number]

const tone = (random: () => number, low: number, high: number) => {
  const channel = () =>
    Math.round(low + random() * (high - low))
      .toString(16)
      .padStart(2, '0')
  return `#${channel()}${channel()}${channel()}`
}

function strokes(
  random: () => number,
  width: number,
  top: number,
  bottom: number,
  count: number,
  colour: string,
): string {
  let result = ''
  for (let index = 0; index < count; index++) {
    const depth = random()
    const [x, y, length] = [random() * width, top + depth * (bottom - top), 6 + depth * 60]
    result += `<path d="M${x.toFixed(1)} ${y.toFixed(1)} q${(length / 2).toFixed(1)} ${(-2 - depth * 5).toFixed(1)} ${length.toFixed(1)} 0" stroke="${colour}" stroke-opacity="${(0.2 + depth * 0.6).toFixed(2)}" stroke-width="${(0.8 + depth * 2).toFixed(1)}" fill="none"/>`
  }
  return result
}

/** Rough texture as a filter: what paint and shapes lack and every surface has. */
const roughness = (seed: number, scale: number, strength: number) =>
  `<filter id="r" x="0" y="0" width="1" height="1"><feTurbulence type="fractalNoise" baseFrequency="${scale}" numOctaves="5" seed="${seed}"/><feColorMatrix values="0.4 0.4 0.2 0 0  0.4 0.4 0.2 0 0  0.4 0.4 0.2 0 0  0 0 0 0 ${strength}"/></filter>`

const drawings: Record<BackdropKind, (random: () => number, width: number, height: number, seed: number) => string> = {
  sea: (random, width, height, seed) => {
    const horizon = height * (0.35 + random() * 0.2)
    return `<defs>${roughness(seed, 0.05, 0.25)}<linearGradient id="s" x2="0" y2="1"><stop offset="0" stop-color="${tone(random, 60, 150)}"/><stop offset="1" stop-color="${tone(random, 130, 210)}"/></linearGradient></defs>
      <rect width="${width}" height="${horizon}" fill="url(#s)"/><rect y="${horizon}" width="${width}" height="${height - horizon}" fill="${tone(random, 30, 100)}"/>
      <rect width="${width}" height="${height}" filter="url(#r)"/>${strokes(random, width, horizon, height, 700, tone(random, 170, 225))}`
  },
  shapes: (random, width, height) => {
    let result = `<rect width="${width}" height="${height}" fill="${tone(random, 40, 180)}"/>`
    for (let index = 0; index < 160; index++) {
      const [x, y, size] = [random() * width, random() * height, 8 + random() ** 2 * 160]
      result +=
        random() < 0.5
          ? `<ellipse cx="${x}" cy="${y}" rx="${size}" ry="${size * (0.3 + random())}" fill="${tone(random, 20, 220)}" opacity="${0.4 + random() * 0.6}"/>`
          : `<path d="M${x} ${y}l${size} ${size * (random() - 0.5)}l${size * (random() - 0.5)} ${size}z" fill="${tone(random, 20, 220)}" stroke="${tone(random, 20, 220)}" stroke-width="${random() * 4}"/>`
    }
    return result
  },
  stone: (random, width, height, seed) => {
    let cracks = ''
    for (let index = 0; index < 40; index++) {
      let path = `M${random() * width} ${random() * height}`
      for (let part = 0; part < 8; part++) path += `l${(random() - 0.5) * 90} ${(random() - 0.5) * 90}`
      cracks += `<path d="${path}" stroke="${tone(random, 20, 90)}" stroke-width="${0.8 + random() * 2}" fill="none"/>`
    }
    return `<defs>${roughness(seed, 0.03 + random() * 0.06, 0.8)}</defs><rect width="${width}" height="${height}" fill="${tone(random, 60, 170)}"/><rect width="${width}" height="${height}" filter="url(#r)" opacity="0.8"/>${cracks}`
  },
  harbour: (random, width, height, seed) => {
    let result = `<defs>${roughness(seed, 0.09, 0.2)}</defs><rect width="${width}" height="${height}" fill="${tone(random, 120, 200)}"/>`
    for (let x = -20; x < width;) {
      const [wide, high] = [60 + random() * 130, height * (0.35 + random() * 0.4)]
      const top = height - high
      result += `<rect x="${x}" y="${top}" width="${wide}" height="${high}" fill="${tone(random, 50, 190)}"/><path d="M${x - 4} ${top}l${wide / 2 + 4} ${-20 - random() * 40}l${wide / 2 + 4} ${20 + random() * 40}z" fill="${tone(random, 40, 130)}"/>`
      const step = 17 + random() * 12
      for (let column = x + 9; column < x + wide - 12; column += step)
        for (let row = top + 12; row < height - 20; row += step * 1.7)
          result += `<rect x="${column}" y="${row}" width="${step * 0.5}" height="${step * 0.8}" fill="${tone(random, 20, 215)}"/>`
      x += wide + random() * 14
    }
    return `${result}<rect width="${width}" height="${height}" filter="url(#r)" opacity="0.7"/>`
  },
  page: (random, width, height, seed) => {
    let lines = ''
    for (let y = 40; y < height; y += 24 + random() * 10) {
      for (let x = 30; x < width - 40;) {
        const word = 14 + random() * 60
        for (let glyph = x; glyph < x + word; glyph += 7 + random() * 3)
          lines += `<path d="M${glyph} ${y}v${-5 - random() * 9}q${2 + random() * 5} ${-3 + random() * 6} ${3 + random() * 3} ${random() * 8}" stroke="${tone(random, 30, 70)}" stroke-width="1.6" fill="none"/>`
        x += word + 12
      }
    }
    return `<defs>${roughness(seed, 0.02, 0.35)}</defs><rect width="${width}" height="${height}" fill="${tone(random, 165, 205)}"/><rect width="${width}" height="${height}" filter="url(#r)" opacity="0.5"/>${lines}`
  },
}

/** Draws a backdrop as a PNG. The same seed gives the same picture. */
export async function drawBackdrop(
  file: string,
  kind: BackdropKind,
  seed: number,
  width: number,
  height: number,
): Promise<void> {
  const drawing = drawings[kind](seeded(seed), width, height, seed % 9999)
  await sharp(
    Buffer.from(`<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}">${drawing}</svg>`),
  )
    .flatten()
    .png({ compressionLevel: 1 })
    .toFile(file)
}
