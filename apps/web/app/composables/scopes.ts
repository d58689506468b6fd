/** A picture reduced for scopes: enough to see its levels, little enough to do at every frame. */
const [scopeWidth, scopeHeight] = [160, 90]
/** Rows of the waveform and classes of the histogram. */
const levels = 64

let reduced: OffscreenCanvasRenderingContext2D | null = null

/**
 * Draws a waveform of luma (levels up, the picture's width across) and under it a histogram of red, green and blue.
 * Luma has BT.709 weights and is in full range: the bottom line is black, the top line white.
 */
export function drawScopes(canvas: HTMLCanvasElement, picture: CanvasImageSource): void {
  reduced ??= new OffscreenCanvas(scopeWidth, scopeHeight).getContext('2d', { willReadFrequently: true })!
  reduced.drawImage(picture, 0, 0, scopeWidth, scopeHeight)
  const { data } = reduced.getImageData(0, 0, scopeWidth, scopeHeight)
  const waveform = new Uint16Array(scopeWidth * levels)
  const histogram = [new Uint32Array(levels), new Uint32Array(levels), new Uint32Array(levels)]
  for (let y = 0; y < scopeHeight; y++)
    for (let x = 0; x < scopeWidth; x++) {
      const at = (y * scopeWidth + x) * 4
      const [red, green, blue] = [data[at]!, data[at + 1]!, data[at + 2]!]
      waveform[((255 - ((red * 54 + green * 183 + blue * 19) >> 8)) >> 2) * scopeWidth + x]!++
      histogram[0]![red >> 2]!++
      histogram[1]![green >> 2]!++
      histogram[2]![blue >> 2]!++
    }
  const context = canvas.getContext('2d')!
  const image = context.createImageData(scopeWidth, levels)
  for (let at = 0; at < waveform.length; at++) {
    const value = Math.min(255, waveform[at]! * 42)
    image.data.set([value, value, value, value > 0 ? 255 : 210], at * 4)
  }
  context.clearRect(0, 0, canvas.width, canvas.height)
  context.putImageData(image, 0, 0)
  const top = levels + 4
  const high = canvas.height - top
  context.fillStyle = 'rgb(22 22 22 / 0.85)'
  context.fillRect(0, top, scopeWidth, high)
  context.globalCompositeOperation = 'lighter'
  const most = Math.max(...histogram.flatMap(counts => [...counts.subarray(1, levels - 1)]), 1)
  for (const [index, colour] of ['#a33', '#3a3', '#36a'].entries()) {
    context.fillStyle = colour
    for (let level = 0; level < levels; level++) {
      const height = Math.min(high, (histogram[index]![level]! / most) * high)
      context.fillRect((level * scopeWidth) / levels, canvas.height - height, scopeWidth / levels - 0.5, height)
    }
  }
  context.globalCompositeOperation = 'source-over'
}

export const scopeSize = { width: scopeWidth, height: levels + 4 + 40 }
