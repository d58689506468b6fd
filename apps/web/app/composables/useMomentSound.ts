import { onBeforeUnmount, ref, shallowRef, watch, type Ref } from 'vue'

/** A sound that can be heard with the pictures: the source's or a result's. */
export interface MomentSound {
  key: string
  address: string
  /** In LUFS; null when it is not known. */
  loudness: number | null
  /** Its own seconds in a second of the source. */
  pace: number
}

/** Seconds in which one sound gives way to another, so that switching does not click. */
const fade = 0.01

/**
 * Plays the sounds of a moment in step with its pictures, one of them heard. All are brought down to the quietest, so that none seems better for
 * being louder. At other paces than forward and normal there is silence.
 */
export function useMomentSound(
  sounds: Ref<readonly MomentSound[]>,
  heard: Ref<string | null>,
  player: { speed: Ref<number>; seconds: Ref<number>; frames: Ref<number>; loops: Ref<boolean> },
  length: Ref<number>,
) {
  const failed = ref(false)
  const buffers = shallowRef(new Map<string, AudioBuffer>())
  let context: AudioContext | null = null
  let playing: { key: string; node: AudioBufferSourceNode; gain: GainNode }[] = []

  const quietest = () => Math.min(...sounds.value.flatMap(({ loudness }) => (loudness === null ? [] : [loudness])))
  function levelOf({ key, loudness }: MomentSound): number {
    if (key !== heard.value) return 0
    return loudness === null ? 1 : Math.min(1, 10 ** ((quietest() - loudness) / 20))
  }

  function stop(): void {
    for (const { node } of playing) node.stop()
    playing = []
  }

  function start(): void {
    stop()
    if (!context || heard.value === null || player.speed.value !== 1) return
    void context.resume()
    for (const sound of sounds.value) {
      const buffer = buffers.value.get(sound.key)
      if (!buffer) continue
      const [node, gain] = [context.createBufferSource(), context.createGain()]
      gain.gain.value = levelOf(sound)
      Object.assign(node, {
        buffer,
        loop: player.loops.value,
        loopStart: 0,
        loopEnd: Math.min(buffer.duration, length.value * sound.pace),
      })
      node.playbackRate.value = sound.pace
      node.connect(gain).connect(context.destination)
      node.start(0, Math.min(player.seconds.value * sound.pace, buffer.duration))
      playing.push({ key: sound.key, node, gain })
    }
  }

  /** Fetches what is not there yet; the browser lets sound begin only where a person asked for it. */
  async function prepare(): Promise<void> {
    if (heard.value === null) return
    context ??= new AudioContext()
    failed.value = false
    const missing = sounds.value.filter(({ key }) => !buffers.value.has(key))
    try {
      const fetched = await Promise.all(
        missing.map(async ({ key, address }) => {
          const response = await fetch(address)
          if (!response.ok) throw new Error(`status ${response.status}`)
          return [key, await context!.decodeAudioData(await response.arrayBuffer())] as const
        }),
      )
      const wanted = new Set(sounds.value.map(({ key }) => key))
      buffers.value = new Map([...buffers.value, ...fetched].filter(([key]) => wanted.has(key)))
    } catch {
      failed.value = true
    }
    start()
  }

  watch([sounds, () => heard.value === null], prepare)
  watch(heard, () => {
    for (const { key, gain } of playing) {
      const sound = sounds.value.find(entry => entry.key === key)
      gain.gain.setTargetAtTime(sound ? levelOf(sound) : 0, context!.currentTime, fade)
    }
  })
  watch([player.speed, player.loops], start)
  // A jump of the pictures that playing does not make by itself.
  watch(player.seconds, (now, before) => {
    if (player.speed.value === 1 && (now < before || now - before > 0.5) && !(player.loops.value && now < 0.2)) start()
  })
  onBeforeUnmount(() => {
    stop()
    void context?.close()
  })
  return { failed, prepare }
}
