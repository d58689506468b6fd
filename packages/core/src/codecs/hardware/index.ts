import { amf } from './amf.ts'
import type { HardwareFamily } from './family.ts'
import { nvenc } from './nvenc.ts'
import { qsv } from './qsv.ts'
import { standIn } from './stand-in.ts'
import { vaapi } from './vaapi.ts'
import { vulkan } from './vulkan.ts'

export {
  hardwareCodecs,
  hardwareFormats,
  isHardwareCodec,
  levelNumber,
  type HardwareCodec,
  type HardwareFamily,
  type HardwareFormat,
} from './family.ts'

/** Ways to the encoders of graphics devices, those first that are tried first. A new one is a file, a line here, and its tests. */
export const hardwareFamilies: readonly HardwareFamily[] = [nvenc, qsv, amf, vaapi, vulkan]

/** A family by its key, the stand-in's with them. @throws TypeError when there is none */
export function hardwareFamily(key: string): HardwareFamily {
  const found = [...hardwareFamilies, standIn].find(family => family.key === key)
  if (!found) throw new TypeError(`There are no encoders of graphics devices called ${key}.`)
  return found
}
