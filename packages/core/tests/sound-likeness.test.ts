import { describe, expect, test } from 'vitest'
import { judgeSoundLikeness, type AddLine } from '../src/check/lines.ts'
import type { Container, SoundLikeness } from '../src/index.ts'

/** The line on a track, as verdict and what was found. */
function judged(
  likeness: Partial<SoundLikeness>,
  codec: 'aac' | 'flac' | 'mp3',
  container: Container = 'mp4',
): [verdict: string, found: string] {
  let line: [string, string] = ['none', '']
  const add: AddLine = (_name, _expected, found, ok, _reason, otherwise = 'fail') => {
    line = [ok ? 'pass' : otherwise, found]
  }
  const plain = { treatedSeconds: 2, sampleRate: 48_000, channels: 2, identical: false, signalToNoise: null }
  judgeSoundLikeness(add, '', { ...plain, ...likeness }, { audio: { codec }, container })
  return line
}

describe('how like sound is to what it was made of', () => {
  test('must be the same where the codec loses nothing', () => {
    expect(judged({ identical: true }, 'flac')).toEqual(['pass', 'every sample identical'])
    expect(judged({ signalToNoise: 90 }, 'flac')).toEqual(['fail', 'differs'])
  })

  test('wants a look where the difference is nearly as loud as the sound', () => {
    expect(judged({ signalToNoise: 20 }, 'aac')).toEqual(['pass', '20.0 dB below'])
    expect(judged({ signalToNoise: 3 }, 'aac')).toEqual(['look', '3.0 dB below'])
  })

  test('fails where it was moved, whatever the codec', () => {
    for (const codec of ['aac', 'flac'] as const)
      expect(judged({ signalToNoise: 0.2, late: -0.04 }, codec)).toEqual(['fail', '40 ms early'])
    expect(judged({ signalToNoise: 3, late: 0 }, 'aac')).toEqual(['look', '3.0 dB below'])
  })

  test('fails where some of it never came out of the encoder', () => {
    expect(judged({ signalToNoise: 30, lostSeconds: 0.021 }, 'aac')).toEqual(['fail', '0.021 s lost'])
    expect(judged({ signalToNoise: 30, lostSeconds: 0.001 }, 'aac')).toEqual(['pass', '30.0 dB below'])
  })

  test('may lose one frame of a coder whose first packet AVI has no place for', () => {
    expect(judged({ signalToNoise: 30, lostSeconds: 0.024 }, 'mp3', 'avi')).toEqual(['pass', '30.0 dB below'])
    expect(judged({ signalToNoise: 30, lostSeconds: 0.072 }, 'mp3', 'avi')).toEqual(['fail', '0.072 s lost'])
  })

  test('may lose a little silence, but not where the codec loses nothing', () => {
    expect(judged({ lostSeconds: 0.005 }, 'aac')).toEqual(['pass', 'identical but for silence'])
    expect(judged({ lostSeconds: 0.005 }, 'flac')).toEqual(['fail', 'differs'])
    expect(judged({}, 'aac')).toEqual(['look', 'the source is silent'])
  })

  test('is silence where a coder makes of silence what nobody hears', () => {
    expect(judged({ residue: -96 }, 'aac')).toEqual(['pass', '-96 dBFS'])
    expect(judged({ residue: -40 }, 'aac')).toEqual(['look', '-40 dBFS'])
  })
})
