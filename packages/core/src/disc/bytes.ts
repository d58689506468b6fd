/** What is wrong with a disc's structures, as a sentence for the technician. */
export class DiscProblem extends Error {
  constructor(message: string) {
    super(message)
    this.name = 'DiscProblem'
  }
}

/** Bytes of one structure, read with every access checked: a damaged table can point anywhere. */
export class Bytes {
  private readonly view: DataView

  /** @param name what the bytes are, for sentences: "VTS_01_0.IFO" */
  constructor(
    readonly data: Uint8Array,
    readonly name: string,
  ) {
    this.view = new DataView(data.buffer, data.byteOffset, data.byteLength)
  }

  get length(): number {
    return this.data.length
  }

  u8(at: number): number {
    this.mustHold(at, 1)
    return this.view.getUint8(at)
  }

  /** Big endian, as DVD-Video tables are, unless said otherwise. */
  u16(at: number, littleEndian = false): number {
    this.mustHold(at, 2)
    return this.view.getUint16(at, littleEndian)
  }

  u32(at: number, littleEndian = false): number {
    this.mustHold(at, 4)
    return this.view.getUint32(at, littleEndian)
  }

  /** Little endian, as UDF writes lengths. */
  u64(at: number): number {
    return this.u32(at, true) + this.u32(at + 4, true) * 2 ** 32
  }

  /** Characters of one byte each. */
  text(at: number, length: number): string {
    this.mustHold(at, length)
    return String.fromCharCode(...this.data.subarray(at, at + length))
  }

  /** The rest from a place on, as a structure of its own. */
  from(at: number): Bytes {
    this.mustHold(at, 1)
    return new Bytes(this.data.subarray(at), this.name)
  }

  private mustHold(at: number, length: number): void {
    if (at < 0 || at + length > this.data.length) {
      throw new DiscProblem(
        `${this.name} is damaged or cut short: a table in it points to byte ${at + length - 1}, but it holds ${this.data.length} bytes. Read the disc again.`,
      )
    }
  }
}

/** Directories of a disc larger than this are taken for damage. */
export const mostDirectoryBytes = 1 << 20

/** Bytes of every structure of a disc are counted in these. */
export const sectorBytes = 2048

/** A file in a disc image, with where its bytes are. */
export interface ImageFile {
  name: string
  bytes: number
  extents: { at: number; bytes: number }[]
}
