/** A picture of text, as it lies in the frame that it was made for. */
export interface TextPicture {
  /** Size of that frame; null where only the track's head tells it. */
  frame: { width: number; height: number } | null
  x: number
  y: number
  width: number
  height: number
  /** Red, green, blue and opacity of each pixel, row by row; not multiplied with each other. */
  rgba: Uint8Array
  /** Whether it is to be shown whatever the viewer chose. */
  isForced: boolean
  /** Seconds after its packet's time at which it is shown, and taken away; null for the next one's coming. */
  begins: number
  ends: number | null
}

const mostPixels = 4096 * 2304

function isFrame({ width, height }: { width: number; height: number }): boolean {
  return width > 0 && height > 0 && width * height <= mostPixels
}

/** The sixteen colours, and the size of the frame, in the head of a track of disc pictures ("size: 720x576", "palette: 000000, ..."). */
export function readPaletteHead(head: Uint8Array | null): {
  frame: { width: number; height: number } | null
  colours: number[]
} {
  const text = head ? new TextDecoder('latin1').decode(head) : ''
  const size = /size:\s*(\d{1,5})x(\d{1,5})/.exec(text)
  const palette = /palette:\s*([0-9a-fA-F, \t]+)/.exec(text)
  const colours = (palette?.[1] ?? '')
    .split(',')
    .map(code => Number.parseInt(code.trim(), 16))
    .filter(code => Number.isFinite(code))
  const frame = { width: Number(size?.[1] ?? 0), height: Number(size?.[2] ?? 0) }
  return {
    frame: isFrame(frame) ? frame : null,
    // Without colours text is still to be read: from black to white.
    colours: colours.length === 16 ? colours : Array.from({ length: 16 }, (_, index) => index * 0x111111),
  }
}

// DVD-Video's pictures of text. The format book is not public; layout and commands follow the descriptions that the field has published of it.

/** Units of 1024/90000 s in which a picture says when it is shown. */
const displayUnit = 1024 / 90_000

/** The picture of one packet of a disc's subtitles; null for one that shows nothing or is damaged. @param colours sixteen, as 0xRRGGBB */
export function readDiscPicture(data: Uint8Array, colours: readonly number[]): TextPicture | null {
  if (data.length < 4) return null
  const view = new DataView(data.buffer, data.byteOffset, data.byteLength)
  const end = Math.min(view.getUint16(0), data.length)
  let [begins, ends, isForced]: [number, number | null, boolean] = [0, null, false]
  let [chosen, opacity]: [number[], number[]] = [
    [0, 0, 0, 0],
    [0, 0, 0, 0],
  ]
  let area: { x: number; y: number; width: number; height: number } | null = null
  let fields: [number, number] | null = null
  const nibbles = (at: number) => [data[at + 1]! & 15, data[at + 1]! >> 4, data[at]! & 15, data[at]! >> 4]
  for (let sequence = view.getUint16(2), before = -1; sequence > before && sequence + 4 <= end;) {
    const when = view.getUint16(sequence) * displayUnit
    for (let at = sequence + 4; at < end;) {
      const command = data[at++]!
      if (command === 0xff) break
      if (command === 0x00) [isForced, begins] = [true, when]
      else if (command === 0x01) begins = when
      else if (command === 0x02) ends = when
      else if (command === 0x03 && at + 2 <= end) [chosen, at] = [nibbles(at), at + 2]
      else if (command === 0x04 && at + 2 <= end) [opacity, at] = [nibbles(at), at + 2]
      else if (command === 0x05 && at + 6 <= end) {
        const three = (place: number) => view.getUint16(place) * 256 + data[place + 2]!
        const [across, down] = [three(at), three(at + 3)]
        const [x, y] = [across >> 12, down >> 12]
        area = { x, y, width: (across & 0xfff) - x + 1, height: (down & 0xfff) - y + 1 }
        at += 6
      } else if (command === 0x06 && at + 4 <= end) {
        fields = [view.getUint16(at), view.getUint16(at + 2)]
        at += 4
      } else if (command === 0x07 && at + 2 <= end) at += Math.max(2, view.getUint16(at))
      else break
    }
    before = sequence
    sequence = view.getUint16(sequence + 2)
  }
  if (!area || !fields || area.width < 1 || area.height < 1 || area.width * area.height > mostPixels) return null
  const { width, height } = area
  const rgba = new Uint8Array(4 * width * height)
  const shades = chosen.map((index, place) => [colours[index] ?? 0, opacity[place]! * 17] as const)
  for (const [first, begin] of fields.entries()) drawDiscField(data, begin, end, rgba, { width, height, first }, shades)
  return { frame: null, ...area, rgba, isForced, begins, ends }
}

/** Draws every second line from runs of pixels that are counted in 2, 6, 10 or 14 bits. */
function drawDiscField(
  data: Uint8Array,
  begin: number,
  end: number,
  rgba: Uint8Array,
  { width, height, first }: { width: number; height: number; first: number },
  shades: readonly (readonly [colour: number, opacity: number])[],
): void {
  let nibble = begin * 2
  const next = () => {
    const byte = data[nibble >> 1] ?? 0
    return nibble++ % 2 === 0 ? byte >> 4 : byte & 15
  }
  for (let row = first; row < height; row += 2) {
    for (let x = 0; x < width && nibble < end * 2;) {
      let value = next()
      // Each further nibble comes only where those before it were too small.
      for (const least of [0x4, 0x10, 0x40]) {
        if (value >= least) break
        value = value * 16 + next()
      }
      const [colour, opacity] = shades[value & 3]!
      // A run without a length goes to the end of its line.
      const run = value >> 2 === 0 ? width - x : Math.min(value >> 2, width - x)
      for (let left = run; left > 0; left--, x++) put(rgba, row * width + x, colour, opacity)
    }
    nibble += nibble % 2
  }
}

function put(rgba: Uint8Array, pixel: number, colour: number, opacity: number): void {
  rgba[4 * pixel] = colour >> 16
  rgba[4 * pixel + 1] = (colour >> 8) & 255
  rgba[4 * pixel + 2] = colour & 255
  rgba[4 * pixel + 3] = opacity
}

interface DrawnObject {
  width: number
  height: number
  /** Runs of the object so far, and how long they will be. */
  runs: number[]
  length: number
}

/** The segments of Blu-ray's pictures of text (presentation graphics), packet after packet: what one shows may have come in packets before. */
export class GraphicsReader {
  private readonly palettes = new Map<number, Map<number, readonly [colour: number, opacity: number]>>()
  private readonly objects = new Map<number, DrawnObject>()

  /** @returns what a packet shows; null where it takes away what was shown, or is damaged */
  read(data: Uint8Array): TextPicture | null {
    const view = new DataView(data.buffer, data.byteOffset, data.byteLength)
    let shown: { frame: { width: number; height: number }; palette: number; at: number; count: number } | null = null
    for (let at = 0; at + 3 <= data.length;) {
      const [type, size] = [data[at]!, view.getUint16(at + 1)]
      const body = at + 3
      at = body + size
      if (at > data.length) break
      if (type === 0x16 && size >= 11) {
        // A new epoch forgets what was drawn.
        if ((data[body + 7]! & 0xc0) === 0x80) {
          this.objects.clear()
          this.palettes.clear()
        }
        shown = {
          frame: { width: view.getUint16(body), height: view.getUint16(body + 2) },
          palette: data[body + 9]!,
          count: data[body + 10]!,
          at: body + 11,
        }
      } else if (type === 0x14 && size >= 2) this.readPalette(data.subarray(body, at), shown?.frame.height ?? 0)
      else if (type === 0x15 && size >= 4) this.readObject(data.subarray(body, at))
    }
    if (!shown || shown.count === 0 || !isFrame(shown.frame)) return null
    return this.compose(data, view, shown)
  }

  private readPalette(body: Uint8Array, height: number): void {
    const palette = this.palettes.get(body[0]!) ?? new Map<number, readonly [number, number]>()
    this.palettes.set(body[0]!, palette)
    // Colours of high definition by BT.709, others by BT.601.
    const [redOfRed, greenOfRed, greenOfBlue, blueOfBlue] =
      height > 576 ? [1.5748, 0.468124, 0.187324, 1.8556] : [1.402, 0.714136, 0.344136, 1.772]
    for (let at = 2; at + 5 <= body.length; at += 5) {
      const luma = (body[at + 1]! - 16) / 219
      const [red, blue] = [(body[at + 2]! - 128) / 224, (body[at + 3]! - 128) / 224]
      const code = (value: number) => Math.round(255 * Math.min(1, Math.max(0, value)))
      const colour =
        code(luma + redOfRed * red) * 0x10000 +
        code(luma - greenOfRed * red - greenOfBlue * blue) * 0x100 +
        code(luma + blueOfBlue * blue)
      palette.set(body[at]!, [colour, body[at + 4]!])
    }
  }

  private readObject(body: Uint8Array): void {
    const view = new DataView(body.buffer, body.byteOffset, body.byteLength)
    const id = view.getUint16(0)
    const isFirst = (body[3]! & 0x80) !== 0
    if (isFirst && body.length >= 11) {
      const length = body[4]! * 65_536 + view.getUint16(5) - 4
      const [width, height] = [view.getUint16(7), view.getUint16(9)]
      if (width * height > mostPixels) return
      this.objects.set(id, { width, height, length, runs: [...body.subarray(11)] })
    } else if (!isFirst) {
      const object = this.objects.get(id)
      if (object && object.runs.length < object.length) for (const byte of body.subarray(4)) object.runs.push(byte)
    }
  }

  private compose(
    data: Uint8Array,
    view: DataView,
    shown: { frame: { width: number; height: number }; palette: number; at: number; count: number },
  ): TextPicture | null {
    const palette = this.palettes.get(shown.palette)
    const placed: { x: number; y: number; object: DrawnObject }[] = []
    let isForced = false
    for (let at = shown.at, left = shown.count; left > 0 && at + 8 <= data.length; left--) {
      const object = this.objects.get(view.getUint16(at))
      const flags = data[at + 3]!
      isForced ||= (flags & 0x40) !== 0
      if (object) placed.push({ x: view.getUint16(at + 4), y: view.getUint16(at + 6), object })
      at += (flags & 0x80) === 0 ? 8 : 16
    }
    if (!palette || placed.length === 0) return null
    const [x, y] = [Math.min(...placed.map(place => place.x)), Math.min(...placed.map(place => place.y))]
    const width = Math.max(...placed.map(place => place.x + place.object.width)) - x
    const height = Math.max(...placed.map(place => place.y + place.object.height)) - y
    if (width < 1 || height < 1 || width * height > mostPixels) return null
    const rgba = new Uint8Array(4 * width * height)
    for (const place of placed)
      drawGraphics(place.object, rgba, { left: place.x - x, top: place.y - y, width }, palette)
    return { frame: shown.frame, x, y, width, height, rgba, isForced, begins: 0, ends: null }
  }
}

/** Draws an object from its runs: a byte is a pixel, unless it is 0, which begins a run or ends a line. */
function drawGraphics(
  { runs, width, height }: DrawnObject,
  rgba: Uint8Array,
  place: { left: number; top: number; width: number },
  palette: ReadonlyMap<number, readonly [colour: number, opacity: number]>,
): void {
  let [x, row] = [0, 0]
  for (let at = 0; at < runs.length && row < height;) {
    let [count, entry] = [1, runs[at++]!]
    if (entry === 0) {
      const flag = runs[at++] ?? 0
      if (flag === 0) {
        x = 0
        row++
        continue
      }
      count = flag & 0x3f
      if (flag & 0x40) count = count * 256 + (runs[at++] ?? 0)
      entry = flag & 0x80 ? (runs[at++] ?? 0) : 0
    }
    const [colour, opacity] = palette.get(entry) ?? [0, 0]
    for (; count > 0 && x < width; count--, x++)
      put(rgba, (place.top + row) * place.width + place.left + x, colour, opacity)
  }
}
