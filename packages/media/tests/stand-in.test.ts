import { existsSync, readdirSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { standInDevices, withEncoder, withPictureCodec, type Device, type PictureSpec } from '@hematine/core'
import { afterEach, beforeAll, describe, expect, test } from 'vitest'
import { StandInSession } from '../src/encoding/stand-in.ts'
import { DeviceProblem, setUpLibraries, useDevices, type MediaInput } from '../src/index.ts'
import { setStandInFault } from '../src/ground/stand-in-faults.ts'
import { makeAndCheck, specOf } from '../../../tests/support/jobs.ts'
import { losslessEncoder, writeClip } from '../../../tests/support/material.ts'
import { scratchDirectory } from '../../../tests/support/scratch.ts'

const scratch = scratchDirectory()
const source: MediaInput = { kind: 'file', path: path.join(scratch, 'source.mkv') }
const frames = 75
const directory = path.join(scratch, 'stand-in')
const [gpu] = standInDevices
const byDevice = (codec: string): PictureSpec => {
  const spec = specOf('small-mp4')
  return { ...spec, video: withEncoder(withPictureCodec(spec.video, codec), 'hardware') }
}
const deliver = (codec: string, name: string) =>
  makeAndCheck(source, byDevice(codec), path.join(scratch, `${name}.mp4`))
const sessions = () =>
  existsSync(path.join(directory, gpu!.key))
    ? readdirSync(path.join(directory, gpu!.key)).filter(name => name.startsWith('session'))
    : []

beforeAll(async () => {
  setUpLibraries()
  await writeClip({
    path: source.path,
    format: 'matroska',
    video: { encoder: losslessEncoder, filters: `testsrc2=s=320x240:r=25:d=${frames / 25},format=yuv420p,setsar=1` },
    audio: [],
  })
})
afterEach(() => {
  setStandInFault(directory, gpu!.key, null)
  useDevices([], null)
})

describe('a stand-in GPU', () => {
  test.each(['h264', 'hevc', 'av1'])('encodes what it is given in %s, and the result says who did', async codec => {
    useDevices([gpu!], directory)
    const { check } = await deliver(codec, codec)
    expect(check.lines.filter(({ verdict }) => verdict === 'fail')).toEqual([])
    expect(check.measurement.encodedBy).toBe('Stand-in GPU A')
    expect(check.lines.find(({ name }) => name === 'encoder')).toMatchObject({
      found: 'Stand-in GPU A',
      verdict: 'pass',
    })
    expect(sessions()).toEqual([])
  })

  test('is asked for where there is none: a sentence says so', async () => {
    await expect(deliver('h264', 'none')).rejects.toThrow(/no graphics device that encodes/)
  })

  test('takes as long as its pace says', async () => {
    // 320x240 at a million pixels a second: 13 frames a second.
    useDevices([{ ...gpu!, pace: { h264: 1 } }], directory)
    const begun = performance.now()
    await deliver('h264', 'paced')
    expect(performance.now() - begun).toBeGreaterThan(((frames * 320 * 240) / 1e6) * 1000)
  })

  test('with wrong output is found out by the check', async () => {
    useDevices([gpu!], directory)
    setStandInFault(directory, gpu!.key, 'wrong output')
    const { check } = await deliver('h264', 'wrong')
    expect(check.verdict).toBe('fail')
    // Every twenty-fourth picture is another one.
    expect(check.measurement.strange).toEqual([23, 47, 71])
    expect(check.lines.filter(({ verdict }) => verdict === 'fail').map(({ name }) => name)).toEqual(['each frame'])
  })

  test('that is lost while it encodes says so, and gives its session back', async () => {
    useDevices([{ ...gpu!, pace: { h264: 0.5 } }], directory)
    const made = deliver('h264', 'lost').catch((error: unknown) => error)
    await new Promise(resolve => setTimeout(resolve, 1500))
    expect(sessions()).toHaveLength(1)
    setStandInFault(directory, gpu!.key, 'lost')
    const error = await made
    expect(error).toBeInstanceOf(DeviceProblem)
    expect(error).toMatchObject({ message: 'Stand-in GPU A was lost while it encoded.', device: 'stand-in-a' })
    expect(sessions()).toEqual([])
    await expect(deliver('h264', 'lost too')).rejects.toThrow('Stand-in GPU A does not answer.')
  })
})

describe('sessions of a stand-in GPU', () => {
  const size = { width: 1280, height: 720 }
  const open = (device: Device = gpu!, depth: 8 | 10 = 8) => StandInSession.open(device, 'h264', size, depth, directory)

  test('are no more than it has', () => {
    const [one, two] = [open(), open()]
    expect(() => open()).toThrow('Stand-in GPU A has no encoder session free: 2 of 2 are taken.')
    one.close()
    open().close()
    two.close()
  })

  test('have no more memory than it has', () => {
    // A session of 720p takes 22 MB of 8 bit, 42 MB of 10 bit.
    const small = { ...gpu!, memoryBytes: 60 * 1024 * 1024 }
    const one = open(small)
    expect(() => open(small, 10)).toThrow('Stand-in GPU A is out of memory: a session needs 42 MB, and 39 MB are free.')
    open(small).close()
    one.close()
    setStandInFault(directory, gpu!.key, 'out of memory')
    expect(() => open()).toThrow(/out of memory/)
  })

  test('of processes that are gone are free', () => {
    // Numbers of processes end below four million.
    for (const number of [0, 1]) writeFileSync(path.join(directory, gpu!.key, `session-${number}`), '4999999 1000')
    open().close()
    expect(sessions()).toEqual([expect.stringMatching(/^session-/)].slice(1))
  })

  test('that are throttled take three times as long', async () => {
    const device = { ...gpu!, pace: { h264: 20 } }
    const frame = { width: 1280, height: 720 } as never
    const timed = async () => {
      const session = open(device)
      const begun = performance.now()
      for (let count = 0; count < 5; count++) {
        session.take(frame)
        await session.keepPace()
      }
      session.close()
      return performance.now() - begun
    }
    const usual = await timed()
    setStandInFault(directory, gpu!.key, 'throttled')
    expect((await timed()) / usual).toBeGreaterThan(2)
  })
})
