import { existsSync, readdirSync, readFileSync } from 'node:fs'
import path from 'node:path'
import {
  hardwareCodecs,
  hardwareFamilies,
  pictureCodec,
  type Device,
  type DeviceEncoder,
  type FoundDevices,
  type HardwareCodec,
  type HardwareFamily,
} from '@hematine/core'
import { AV_LOG_ERROR, AV_LOG_QUIET } from 'node-av/constants'
import { avGetPixFmtFromName, Codec, CodecContext, Frame, Log, Packet, Rational } from 'node-av/lib'
import { readPlanes, rewritten } from '../ground/frame-planes.ts'
import { ensure, isAgain, isEnd } from '../ground/libav.ts'
import { DecoderBehind } from '../proof/decoder-behind.ts'
import { applySettings } from './encoder-settings.ts'
import { HandOver } from './hand-over.ts'

/** The pictures that an encoder is tried with: few and small, and larger than the least that any device takes. */
const trial = { width: 640, height: 368, frames: 12 }
/** Likeness below which a device's pictures are not those that it was given, in dB of brightness. */
const leastLikeness = 28
/** More sessions than this are not counted. */
const mostSessions = 8
/** Devices of one driver that are looked for. */
const mostPlaces = 8

/** What the libraries say is handed over when this thread has time: so often it is looked for, and so long where they should have said something. */
const [hearMilliseconds, mostHearing] = [20, 500]

const noDevice = 'this machine shows no graphics device to programs: there is nothing below /dev/dri'

/** Devices of a family on this machine, as its driver counts them. */
function placesOf({ key }: HardwareFamily): (string | null)[] {
  if (key === 'vaapi') return renderNodes().map(node => path.join('/dev/dri', node))
  if (key === 'nvenc' || key === 'vulkan') return Array.from({ length: mostPlaces }, (_, place) => String(place))
  return [null]
}

function renderNodes(): string[] {
  return existsSync('/dev/dri') ? readdirSync('/dev/dri').filter(name => name.startsWith('renderD')) : []
}

/** Who made a device, by the number that it states on its bus (PCI); null where it states none. */
function makerOf(node: string): string | null {
  try {
    const number = readFileSync(`/sys/class/drm/${node}/device/vendor`, 'utf8').trim()
    return { '0x10de': 'NVIDIA', '0x1002': 'AMD', '0x8086': 'Intel' }[number] ?? null
  } catch {
    return null
  }
}

/**
 * What the libraries said while something was tried, the first line of it as the end of a sentence; null where they said nothing.
 * @param isReason whether they should have said something
 */
async function listening<Result>(
  work: () => Promise<Result>,
  isReason: (result: Result) => boolean = () => false,
): Promise<{ result: Result; said: string | null }> {
  const lines: string[] = []
  Log.setLevel(AV_LOG_ERROR)
  Log.setCallback((level, message) => {
    if (level <= AV_LOG_ERROR) lines.push(message.trim())
  })
  try {
    const result = await work()
    const said = () => lines.find(line => line.length > 0) ?? null
    const begun = performance.now()
    do await new Promise(resolve => setTimeout(resolve, hearMilliseconds))
    while (isReason(result) && said() === null && performance.now() - begun < mostHearing)
    return { result, said: said() }
  } finally {
    Log.setCallback(null)
    Log.setLevel(AV_LOG_QUIET)
  }
}

/** The reason in words, where it is one of those that are met everywhere. */
function inWords(family: HardwareFamily, said: string | null): string {
  const library = /(lib[\w.-]+\.so[\w.]*|\w+\.dll)/.exec(said ?? '')?.[1]
  if (library) return `the driver's library ${library} is not there`
  if (said?.includes('VK_KHR_video_encode')) return 'the driver of the device that is there has no encoder'
  // MFX_ERR_NOT_FOUND and MFX_ERR_UNSUPPORTED.
  if (/MFX session: -(9|3)\b/.test(said ?? '')) return 'no Intel device with a driver for it is there'
  if (family.uploadsTo === 'vaapi' && renderNodes().length === 0) return noDevice
  return said ? `the library says "${said.replace(/\.$/, '')}"` : 'nothing answers'
}

/** A picture with shapes and shades that move, so that a frame that is another one is found out. */
function draw(frame: Frame, number: number): void {
  const { planes } = readPlanes(frame)
  for (const [plane, { data, width, height }] of planes.entries())
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++)
        data[y * width + x] =
          plane === 0
            ? 40 + ((x + number * 6) % 160) + ((((x + number * 6) >> 4) + (y >> 4)) % 2) * 20
            : 128 + Math.round(40 * Math.sin((x + y * (plane === 1 ? 1 : -1)) / 40 + number / 8))
  rewritten(frame, planes)
}

const brightness = (frame: Frame) => readPlanes(frame, 1).planes[0]!.data

function likeness(a: ArrayLike<number>, b: ArrayLike<number>): number {
  let sum = 0
  for (let at = 0; at < a.length; at++) sum += (a[at]! - b[at]!) ** 2
  return 10 * Math.log10(255 ** 2 / Math.max(sum / a.length, 1e-9))
}

/** An encoder that is open, with what it is given frames through. */
interface Opened {
  context: CodecContext
  handOver: HandOver
}

/** Opens an encoder as it would be opened for a job. @returns null where it does not open */
async function open(device: Device, family: HardwareFamily, codec: HardwareCodec): Promise<Opened | null> {
  const encoder = Codec.findEncoderByName((family.encoders[codec] ?? '') as never)
  if (!encoder) return null
  const context = new CodecContext()
  context.allocContext3(encoder)
  context.width = trial.width
  context.height = trial.height
  context.timeBase = new Rational(1, 25)
  context.framerate = new Rational(25, 1)
  context.gopSize = 25
  let handOver: HandOver | null = null
  try {
    handOver = HandOver.prepare(context, device, family, 'yuv420p')
    const chosen = pictureCodec(codec)
    const rateControl = { kind: 'constant quality', value: chosen.quality!.best } as const
    applySettings(
      context,
      family.settings(chosen, { profile: 'main', level: null, effort: null, rateControl }, device.place),
    )
    if ((await context.open2(encoder, null)) >= 0) return { context, handOver }
  } catch {
    // What the library says of it is heard by whoever asked.
  }
  handOver?.close()
  context.freeContext()
  return null
}

function close({ context, handOver }: Opened): void {
  handOver.close()
  context.freeContext()
}

/** Encodes a few pictures and decodes what came of them. @returns what is wrong with it, as the end of a sentence; null where nothing is */
async function encodeAndLook({ context, handOver }: Opened): Promise<string | null> {
  const decoder = await DecoderBehind.open(context, 1)
  const packet = new Packet()
  packet.alloc()
  const frame = new Frame()
  frame.alloc()
  const given: Uint8Array[] = []
  const found: number[] = []
  const look = (decoded: Frame) => {
    const expected = given[found.length]
    found.push(expected ? likeness(expected, brightness(decoded)) : 0)
  }
  try {
    for (let number = 0; number <= trial.frames; number++) {
      const isEnding = number === trial.frames
      if (!isEnding) {
        frame.unref()
        Object.assign(frame, { width: trial.width, height: trial.height, format: avGetPixFmtFromName('yuv420p') })
        ensure(frame.getBuffer(), 'No picture can be made')
        frame.pts = BigInt(number)
        draw(frame, number)
        given.push(Uint8Array.from(brightness(frame)))
      }
      const sent = await context.sendFrame(isEnding ? null : await handOver.take(frame))
      if (sent < 0 && !isEnd(sent)) return 'it takes no pictures'
      for (;;) {
        const code = await context.receivePacket(packet)
        if (isAgain(code) || isEnd(code)) break
        if (code < 0) return 'it fails while it encodes'
        await decoder.decode(packet, look)
        packet.unref()
      }
    }
    await decoder.decode(null, look)
    if (decoder.errors > 0) return 'what it makes cannot be decoded without errors'
    if (found.length !== trial.frames) return `of ${trial.frames} pictures it makes ${found.length}`
    return Math.min(...found) < leastLikeness ? 'its pictures are not those that it was given' : null
  } finally {
    packet.free()
    frame.free()
    decoder.close()
  }
}

/**
 * Tries an encoder of a device, as a job would use it.
 * @returns what is wrong with it, as the end of a sentence; null where it makes the pictures that it is given
 */
export async function tryEncoder(device: Device, family: HardwareFamily, codec: HardwareCodec): Promise<string | null> {
  const opened = await open(device, family, codec)
  if (!opened) return 'it does not open'
  try {
    return await encodeAndLook(opened)
  } finally {
    close(opened)
  }
}

/** How many sessions of an encoder are open at the same time before one is refused; from that many on nobody counts. */
async function countSessions(device: Device, family: HardwareFamily, codec: HardwareCodec): Promise<number> {
  const opened: Opened[] = []
  try {
    while (opened.length < mostSessions) {
      const next = await open(device, family, codec)
      if (!next) break
      opened.push(next)
    }
    return Math.max(1, opened.length)
  } finally {
    for (const entry of opened) close(entry)
  }
}

/** Tries the encoders of a family on one of its devices. @returns null, with what was said, where none of them opens */
async function tryDevice(
  family: HardwareFamily,
  place: string | null,
): Promise<{ device: Device | null; said: string | null }> {
  const device: Device = {
    ...{ key: [family.key, path.basename(place ?? '0')].join('-'), kind: 'graphics device', place },
    name: nameOf(family, place),
    ...{ encoders: [], sessions: 1, memoryBytes: null },
  }
  let first: string | null = null
  const encoders: DeviceEncoder[] = []
  for (const codec of hardwareCodecs) {
    const { result: problem, said } = await listening(
      () => tryEncoder(device, family, codec),
      problem => problem !== null,
    )
    first ??= said
    encoders.push({ codec, family: family.key, problem: problem && `${problem}: ${inWords(family, said)}` })
  }
  const works = encoders.find(({ problem }) => problem === null)
  if (!works) return { device: null, said: first }
  const sessions = (await listening(() => countSessions(device, family, works.codec))).result
  return { device: { ...device, encoders, sessions }, said: first }
}

function nameOf(family: HardwareFamily, place: string | null): string {
  if (family.key === 'nvenc') return nvidiaName(Number(place)) ?? `NVIDIA device ${Number(place) + 1}`
  const node = place === null ? renderNodes()[0] : path.basename(place)
  const maker = node === undefined ? null : makerOf(node)
  return `${maker ? `${maker} device` : 'Graphics device'}${node?.startsWith('renderD') ? ` ${node}` : ''} by ${family.name}`
}

/** What NVIDIA's driver calls its device; null where it does not say. */
function nvidiaName(place: number): string | null {
  const directory = '/proc/driver/nvidia/gpus'
  try {
    const information = readFileSync(
      path.join(directory, readdirSync(directory).toSorted()[place]!, 'information'),
      'utf8',
    )
    return /^Model:\s*(.+)$/m.exec(information)?.[1]?.trim() ?? null
  } catch {
    return null
  }
}

/**
 * The graphics devices of this machine whose encoders make right pictures, found by encoding some with each and decoding them again on the processor. A device
 * that is reached in several ways counts once, in the first way that works; Vulkan, which reaches all of them, only where nothing else does.
 * @param families ways that are tried, in this order; all that there are unless said
 */
export async function findDevices(families: readonly HardwareFamily[] = hardwareFamilies): Promise<FoundDevices> {
  const devices: Device[] = []
  const missing: FoundDevices['missing'] = []
  const makers = { nvenc: 'NVIDIA', qsv: 'Intel', amf: 'AMD' } as Record<string, string>
  for (const family of families) {
    if (family.key === 'vulkan' && devices.length > 0) continue
    const known = devices.map(({ encoders }) => makers[encoders[0]!.family])
    const places = placesOf(family).filter(
      place => family.key !== 'vaapi' || place === null || !known.includes(makerOf(path.basename(place)) ?? ''),
    )
    let said: string | null = null
    const before = devices.length
    for (const place of places) {
      const tried = await tryDevice(family, place)
      said ??= tried.said
      if (tried.device) devices.push(tried.device)
      // A driver that counts its devices has no gaps; of nodes, one may be another maker's.
      else if (family.key !== 'vaapi') break
    }
    if (devices.length === before) missing.push({ family: family.key, problem: `${inWords(family, said)}.` })
  }
  return { devices, missing }
}
