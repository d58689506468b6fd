import { inflateSync } from 'node:zlib'

/** Reads OpenEXR files of scan lines, raw or by ZIP, as the format's own description has it ("OpenEXR File Layout"). It shares nothing with the media library. */
export function readExr(file: Buffer): {
  width: number
  height: number
  at(channel: string, x: number, y: number): number
} {
  if (file.readUInt32LE(0) !== 0x01312f76) throw new Error('not OpenEXR')
  const { attributes, end } = head(file)
  const window = attributes.get('dataWindow')!
  const [left, top] = [window.readInt32LE(0), window.readInt32LE(4)]
  const [width, height] = [window.readInt32LE(8) - left + 1, window.readInt32LE(12) - top + 1]
  const compression = attributes.get('compression')![0]!
  // None; ZIP of a line; ZIP of sixteen lines.
  const linesAtOnce = { 0: 1, 2: 1, 3: 16 }[compression]
  if (!linesAtOnce) throw new Error(`compression ${compression} is not read here`)
  const channels = channelsOf(attributes.get('channels')!)
  const bytesPerLine = channels.reduce((sum, channel) => sum + channel.bytes * width, 0)
  const lines = new Map<number, Buffer>()
  for (let block = 0; block < Math.ceil(height / linesAtOnce); block++) {
    const at = Number(file.readBigUInt64LE(end + block * 8))
    const [y, size] = [file.readInt32LE(at), file.readInt32LE(at + 4)]
    const count = Math.min(linesAtOnce, top + height - y)
    const stored = file.subarray(at + 8, at + 8 + size)
    const data = size === count * bytesPerLine ? stored : unpacked(stored)
    for (let line = 0; line < count; line++)
      lines.set(y - top + line, data.subarray(line * bytesPerLine, (line + 1) * bytesPerLine))
  }
  return {
    width,
    height,
    at(name, x, y) {
      let from = 0
      for (const channel of channels) {
        const place = from + x * channel.bytes
        if (channel.name === name)
          return channel.bytes === 2 ? half(lines.get(y)!.readUInt16LE(place)) : lines.get(y)!.readFloatLE(place)
        from += channel.bytes * width
      }
      throw new Error(`no channel ${name}`)
    },
  }
}

/** Attributes by their names: a name, a type, a size and the value, up to an empty name. */
function head(file: Buffer): { attributes: Map<string, Buffer>; end: number } {
  const attributes = new Map<string, Buffer>()
  let at = 8
  const text = () => {
    const from = at
    at = file.indexOf(0, at) + 1
    return file.toString('latin1', from, at - 1)
  }
  for (let name = text(); name !== ''; name = text()) {
    text()
    const size = file.readInt32LE(at)
    attributes.set(name, file.subarray(at + 4, at + 4 + size))
    at += 4 + size
  }
  return { attributes, end: at }
}

/** Channels in the order of their names: a name, the kind of sample (1 half, 2 float), and twelve bytes more. */
function channelsOf(list: Buffer): { name: string; bytes: number }[] {
  const channels = []
  for (let at = 0; list[at] !== 0;) {
    const end = list.indexOf(0, at)
    channels.push({ name: list.toString('latin1', at, end), bytes: list.readInt32LE(end + 1) === 1 ? 2 : 4 })
    at = end + 17
  }
  return channels
}

/** Undoes ZIP: each byte is stored as what it differs from the one before by, the bytes of even places first. */
function unpacked(stored: Buffer): Buffer {
  const bytes = inflateSync(stored)
  for (let index = 1; index < bytes.length; index++) bytes[index] = (bytes[index - 1]! + bytes[index]! - 128) & 0xff
  const half = Math.ceil(bytes.length / 2)
  return Buffer.from(bytes.map((_, index) => bytes[index % 2 === 0 ? index / 2 : half + (index - 1) / 2]!))
}

/** A number of 16 bits (IEEE 754 binary16). */
function half(bits: number): number {
  const sign = bits & 0x8000 ? -1 : 1
  const [exponent, fraction] = [(bits >> 10) & 31, bits & 1023]
  if (exponent === 0) return sign * 2 ** -14 * (fraction / 1024)
  return exponent === 31 ? (fraction ? NaN : sign * Infinity) : sign * 2 ** (exponent - 15) * (1 + fraction / 1024)
}
