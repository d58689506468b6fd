/** Pictures of a moment, fetched whole and decoded a little ahead of where they are shown. */

interface SheetHeader {
  width: number
  height: number
  frames: { at: number; bytes: number; seconds: number }[]
}

/** Bytes of decoded pictures kept of one sheet: two seconds of 1280x720, so that a loop decodes them once. */
const keptBytes = 200e6
/** Kept whatever their size: enough for a second ahead. */
const leastKept = 32
const decodedAhead = 10

export class Sheet {
  private readonly pictures = new Map<number, ImageBitmap | Promise<void>>()

  private readonly kept: number

  private constructor(
    readonly header: SheetHeader,
    private readonly data: Blob,
  ) {
    this.kept = Math.max(leastKept, Math.floor(keptBytes / (header.width * header.height * 4)))
  }

  /** @throws Error when it cannot be fetched */
  static async load(address: string): Promise<Sheet> {
    const response = await fetch(address)
    if (!response.ok) throw new Error(`status ${response.status}`)
    const bytes = await response.arrayBuffer()
    const length = new DataView(bytes).getUint32(0, true)
    return new Sheet(
      JSON.parse(new TextDecoder().decode(bytes.slice(4, 4 + length))) as SheetHeader,
      new Blob([bytes.slice(4 + length)]),
    )
  }

  get frames(): number {
    return this.header.frames.length
  }

  /** Number of the frame that is shown at a time from the moment's start. */
  indexAt(seconds: number): number {
    const { frames } = this.header
    let [low, high] = [0, frames.length - 1]
    while (low < high) {
      const middle = (low + high + 1) >> 1
      // Times are rounded; a frame is shown from a hair before its own.
      if (frames[middle]!.seconds <= seconds + 0.002) low = middle
      else high = middle - 1
    }
    return Math.max(0, low)
  }

  /** The picture of a frame if it is decoded, otherwise undefined; it and those after it are asked for. */
  picture(index: number, whenThere: () => void): ImageBitmap | undefined {
    for (let ahead = 0; ahead <= decodedAhead; ahead++)
      this.decode((index + ahead) % this.frames, ahead === 0 ? whenThere : () => undefined)
    const found = this.pictures.get(index)
    return found instanceof ImageBitmap ? found : undefined
  }

  private decode(index: number, whenThere: () => void): void {
    const known = this.pictures.get(index)
    if (known) {
      if (known instanceof Promise) void known.then(whenThere)
      return
    }
    const { at, bytes } = this.header.frames[index]!
    const decoding = createImageBitmap(this.data.slice(at, at + bytes, 'image/jpeg')).then(
      picture => {
        this.pictures.delete(index)
        this.pictures.set(index, picture)
        this.forgetOldest()
        whenThere()
      },
      () => {
        this.pictures.delete(index)
      },
    )
    this.pictures.set(index, decoding)
  }

  private forgetOldest(): void {
    for (const [index, picture] of this.pictures) {
      if (this.pictures.size <= this.kept) break
      if (!(picture instanceof ImageBitmap)) continue
      picture.close()
      this.pictures.delete(index)
    }
  }

  close(): void {
    for (const picture of this.pictures.values()) if (picture instanceof ImageBitmap) picture.close()
    this.pictures.clear()
  }
}
