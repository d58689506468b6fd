import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import { effectScope, nextTick, ref, type EffectScope } from 'vue'
import { useMomentSound, type MomentSound } from '../app/composables/useMomentSound.ts'

/** The sound beside a moment's pictures, on a made-up sound device that notes what it is told. */

interface Played {
  gain: { value: number; setTargetAtTime: (value: number) => void }
  rate: number
  offset: number
  stopped: boolean
  loop: boolean
  loopEnd: number
}
let played: Played[]
let scope: EffectScope

class Device {
  currentTime = 0
  destination = {}
  resume = async () => undefined
  close = async () => undefined
  decodeAudioData = async (bytes: ArrayBuffer) => ({ duration: bytes.byteLength / 1000 })
  createGain() {
    const gain = {
      value: 0,
      setTargetAtTime: (value: number) => {
        gain.value = value
      },
    }
    return { gain, connect: () => undefined }
  }

  createBufferSource() {
    const note = { rate: 0, offset: 0, stopped: false, loop: false, loopEnd: 0 } as Played
    const node = {
      buffer: null,
      loop: false,
      loopStart: 0,
      loopEnd: 0,
      playbackRate: { value: 1 },
      connect: (next: { gain: Played['gain'] }) => {
        note.gain = next.gain
        return next
      },
      start: (_when: number, offset: number) => {
        Object.assign(note, { offset, rate: node.playbackRate.value, loop: node.loop, loopEnd: node.loopEnd })
        played.push(note)
      },
      stop: () => {
        note.stopped = true
      },
    }
    return node
  }
}

beforeEach(() => {
  played = []
  scope = effectScope()
  vi.stubGlobal('AudioContext', Device)
  // Two seconds of each.
  vi.stubGlobal('fetch', async (address: string) => ({
    ok: !address.includes('gone'),
    status: 404,
    arrayBuffer: async () => new ArrayBuffer(address.includes('slow') ? 4000 : 2000),
  }))
})
afterEach(() => {
  scope.stop()
  vi.unstubAllGlobals()
})

const source: MomentSound = { key: 'source', address: '/source', loudness: -23, pace: 1 }
const result: MomentSound = { key: 'result', address: '/result', loudness: -17, pace: 1 }

function make(list: MomentSound[], key: string | null = 'source') {
  const sounds = ref(list)
  const heard = ref(key)
  const player = { speed: ref(0), seconds: ref(0), frames: ref(50), loops: ref(true) }
  const sound = scope.run(() => useMomentSound(sounds, heard, player, ref(2)))!
  return { sounds, heard, player, sound }
}
const now = () => played.filter(entry => !entry.stopped)
const levels = () => now().map(entry => Number(entry.gain.value.toFixed(3)))

describe('the sound of a moment', () => {
  test('is heard one at a time, the louder one brought down to the quieter', async () => {
    const { heard, player, sound } = make([source, result])
    player.speed.value = 1
    await sound.prepare()
    expect(levels()).toEqual([1, 0])
    heard.value = 'result'
    await nextTick()
    // 6 dB less is a factor of 10 ** (-6 / 20).
    expect(levels()).toEqual([0, 0.501])
  })

  test('begins where the picture is, and again after a jump; a loop goes on by itself', async () => {
    const { player, sound } = make([source])
    player.seconds.value = 0.8
    player.speed.value = 1
    await sound.prepare()
    expect(now()).toMatchObject([{ offset: 0.8, loop: true, loopEnd: 2, rate: 1 }])
    player.seconds.value = 1.96
    await nextTick()
    expect(now()[0]!.offset).toBe(1.96)
    const begun = played.length
    player.seconds.value = 0.02
    await nextTick()
    expect(played).toHaveLength(begun)
  })

  test('is silent while the picture stands, goes back or runs faster', async () => {
    const { player, sound } = make([source])
    player.speed.value = 1
    await sound.prepare()
    expect(now()).toHaveLength(1)
    for (const speed of [0, -1, 2]) {
      player.speed.value = speed
      await nextTick()
      expect(now()).toEqual([])
    }
  })

  test('of a result at half the speed keeps up with the picture', async () => {
    const { player, sound } = make([{ ...source, key: 'slow', address: '/slow', pace: 2 }], 'slow')
    player.seconds.value = 0.5
    player.speed.value = 1
    await sound.prepare()
    expect(now()).toMatchObject([{ rate: 2, offset: 1, loopEnd: 4 }])
  })

  test('makes no device and fetches nothing until it is asked for', async () => {
    const { player, sound } = make([source], null)
    player.speed.value = 1
    await sound.prepare()
    expect(played).toEqual([])
  })

  test('that cannot be fetched says so', async () => {
    const { sound } = make([{ ...source, address: '/gone' }])
    await sound.prepare()
    expect(sound.failed.value).toBe(true)
  })
})
