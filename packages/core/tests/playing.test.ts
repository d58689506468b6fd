import { describe, expect, test } from 'vitest'
import { browserType, specProblems, proxySpec, type SourceFacts } from '../src/index.ts'
import { discFacts, facts } from './examples.ts'

describe('what a browser may play itself', () => {
  const sound = (container: string, codec: string): SourceFacts => ({
    ...facts(),
    container,
    video: null,
    audio: [{ ...facts().audio[0]!, codec }],
  })

  test.each([
    ['H.264 with AAC in MP4', facts(), 'video/mp4; codecs="avc1.640028, mp4a.40.2"'],
    [
      'VP9 with Opus in WebM',
      { ...facts({ codec: 'vp9' }), container: 'WebM', audio: [{ ...facts().audio[0]!, codec: 'opus' }] },
      'video/webm; codecs="vp9, opus"',
    ],
    ['without sound', { ...facts(), audio: [] }, 'video/mp4; codecs="avc1.640028"'],
    ['WAV', sound('WAV', 'pcm_s16le'), 'audio/wav'],
    ['MP3', sound('MP3', 'mp3'), 'audio/mpeg'],
  ])('%s', (_, source, type) => {
    expect(browserType(source)).toBe(type)
  })

  test.each([
    ['an MPEG-2 program stream', discFacts],
    ['interlaced H.264', facts({ scan: { kind: 'interlaced', firstField: 'top', framesRead: 13 } })],
    ['10 bit H.264', facts({ pixelFormat: 'yuv420p10le' })],
    ['AC-3 sound', { ...facts(), audio: [{ ...facts().audio[0]!, codec: 'ac3' }] }],
    ['another container', { ...facts(), container: 'MKV' }],
    ['WAV of an odd kind', sound('WAV', 'adpcm_ms')],
  ])('not %s', (_, source) => {
    expect(browserType(source)).toBe(null)
  })
})

test("the proxy's own spec makes sense", () => {
  expect(specProblems(proxySpec)).toEqual([])
})
