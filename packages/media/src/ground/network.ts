import { existsSync, readdirSync } from 'node:fs'
import { createRequire } from 'node:module'
import { availableParallelism } from 'node:os'
import type { InferenceSession } from 'onnxruntime-node'
import { MediaError } from './libav.ts'
import { networkRuntime } from './when-wanted.ts'

/** The learned networks that ship with Hematine; docs/models.md says what each is worth. */
export const networks = {
  'clean-fast': { scale: 2, reach: 8 },
  'clean-careful': { scale: 2, reach: 8 },
  'compressed-fast': { scale: 2, reach: 8 },
  'compressed-careful': { scale: 2, reach: 8 },
  'drawn-fast': { scale: 2, reach: 8 },
  'drawn-careful': { scale: 2, reach: 8 },
  'clean-up': { scale: 1, reach: 8 },
} as const
export type NetworkName = keyof typeof networks

/** What runs a network: the graphics processor, or the processor. */
export type NetworkDevice = 'webgpu' | 'cpu'

/** Where the weights of a network are. */
export function weightsOf(name: NetworkName): string {
  return createRequire(import.meta.url).resolve(`@hematine/models/${name}.onnx`)
}

/** Whether this machine shows a graphics processor to programs. */
function hasGpu(): boolean {
  const directory = '/dev/dri'
  return existsSync(directory) && readdirSync(directory).some(name => name.startsWith('renderD'))
}

/** Pixels of the picture that a network is given at once: more only take memory. */
const tilePixels = 720 * 288

/** Red, green and blue, 8 bit, line after line without gaps. */
export interface RgbLines {
  width: number
  height: number
  data: Uint8Array
}

/** A network that is ready to run. */
export class Network {
  private constructor(
    readonly name: NetworkName,
    private readonly session: InferenceSession,
    readonly device: NetworkDevice,
  ) {}

  /**
   * Opens a network on the graphics processor where there is one that works, otherwise on the processor.
   * @param device to insist on one
   * @throws MediaError when its weights cannot be read
   */
  static async open(
    name: NetworkName,
    device: NetworkDevice | 'auto' = 'auto',
    threads = availableParallelism(),
  ): Promise<Network> {
    const options = (provider: NetworkDevice): InferenceSession.SessionOptions => ({
      executionProviders: [provider],
      intraOpNumThreads: threads,
      interOpNumThreads: 1,
      logSeverityLevel: 3,
      extra: { session: { intra_op: { allow_spinning: '0' } } },
    })
    const file = weightsOf(name)
    const { InferenceSession } = networkRuntime()
    if (device === 'webgpu' || (device === 'auto' && hasGpu())) {
      try {
        return new Network(name, await InferenceSession.create(file, options('webgpu')), 'webgpu')
      } catch (error) {
        if (device === 'webgpu')
          throw new MediaError(`The graphics processor cannot run the network ${name}: ${(error as Error).message}`)
      }
    }
    try {
      return new Network(name, await InferenceSession.create(file, options('cpu')), 'cpu')
    } catch (error) {
      throw new MediaError(`The network ${name} cannot be opened: ${(error as Error).message}`)
    }
  }

  get scale(): 1 | 2 {
    return networks[this.name].scale
  }

  /**
   * The picture, enlarged by the network's scale. It is done in strips that overlap by as far as the network sees, so that the seams
   * are equal to the last bit and memory does not grow with the picture.
   * @param strength part of the learned detail that is added to the plain enlargement, 0 to 1
   */
  async run(picture: RgbLines, strength: number): Promise<RgbLines> {
    const { scale } = this
    const { reach } = networks[this.name]
    const { width, height } = picture
    const { Tensor } = networkRuntime()
    const rows = Math.max(reach * 2, Math.floor(tilePixels / width))
    const large = {
      width: width * scale,
      height: height * scale,
      data: new Uint8Array(width * scale * height * scale * 3),
    }
    for (let top = 0; top < height; top += rows) {
      const bottom = Math.min(height, top + rows)
      const [from, to] = [Math.max(0, top - reach - 2), Math.min(height, bottom + reach + 2)]
      const strip = picture.data.subarray(from * width * 3, to * width * 3)
      const { large: result } = await this.session.run({
        small: new Tensor('uint8', strip, [1, to - from, width, 3]),
        strength: new Tensor('float32', Float32Array.of(strength), [1]),
      })
      const lines = result!.data as Uint8Array
      const line = width * scale * 3
      large.data.set(lines.subarray((top - from) * scale * line, (bottom - from) * scale * line), top * scale * line)
    }
    return large
  }

  async close(): Promise<void> {
    await this.session.release()
  }
}
