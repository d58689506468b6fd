import { describe, expect, test } from 'vitest'
import {
  CannotTreat,
  deliveredFacts,
  deriveTreatment,
  describeLanguage,
  languageOf,
  readLanguages,
  soundSpecs,
  specProblems,
  type AudioFacts,
  type PictureSpec,
  type SoundSpec,
  type Step,
} from '../src/index.ts'
import { facts, spec } from './examples.ts'

describe('language tags', () => {
  // ISO 639-2 has two codes for German and French, of which containers use either; discs use ISO 639-1.
  test.each([
    ['deu', 'de'],
    ['ger', 'de'],
    ['de', 'de'],
    ['fre', 'fr'],
    ['fra', 'fr'],
    ['EN', 'en'],
    ['pt_BR', 'pt-BR'],
    ['und', null],
    ['', null],
    ['?', null],
    [null, null],
  ])('%s is %s', (tag, language) => expect(languageOf(tag)).toBe(language))

  test('are read as somebody writes them, and named', () => {
    expect(readLanguages('en; GER, de  fra,klingonese, xx')).toEqual({
      languages: ['en', 'de', 'fr'],
      unknown: ['klingonese', 'xx'],
    })
    expect(describeLanguage('nob')).toBe('Norwegian Bokmål')
  })
})

describe('a spec that keeps some languages', () => {
  const track = (language: string | null): AudioFacts => ({ ...facts().audio[0]!, language })
  const source = { ...facts(), audio: [track('eng'), track('ger'), track(null), track('fra'), track('deu')] }
  const box = spec('playback-box')
  const keeping = (...languages: string[]): PictureSpec => ({ ...box, audio: { ...box.audio!, languages } })
  const kept = (wanted: PictureSpec, steps: Step[] = []) => {
    const treatment = deriveTreatment(source, wanted, steps)
    return { tracks: deliveredFacts(source, treatment).audio.map(entry => entry.position), notes: treatment.notes }
  }

  test('has them in its order, whatever code a file has for them, and says what stays out', () => {
    expect(kept(keeping('de', 'en'))).toEqual({
      tracks: [1, 4, 0, 2],
      notes: [
        'Sound track 4 (French) stays out: Playback box MP4 keeps German, English.',
        'Sound track 3 states no language, so it stays.',
      ],
    })
  })

  test('without a list keeps all as they are', () => {
    expect(kept(box)).toEqual({ tracks: [0, 1, 2, 3, 4], notes: undefined })
  })

  test('is overruled by a person, whose order counts as well', () => {
    expect(kept(keeping('de'), [{ kind: 'keep-tracks', tracks: [3, 0] }]).tracks).toEqual([3, 0])
  })

  test('never leaves a result silent unseen', () => {
    const french = { ...source, audio: [track('fra')] }
    expect(() => deriveTreatment(french, keeping('en', 'de'))).toThrow(CannotTreat)
    expect(() => deriveTreatment(french, keeping('en', 'de'))).toThrow(
      'Playback box MP4 keeps sound in English, German, and this source has it in French: the result would be silent. Choose another spec, or choose tracks with the step "Keep tracks".',
    )
    expect(deriveTreatment({ ...source, audio: [] }, keeping('en')).result.frameCount).toBeGreaterThan(0)
  })

  test('takes the first of them for a file of one track', () => {
    const wav = soundSpecs.find(entry => entry.key === 'sound-wav')!
    const one: SoundSpec = { ...wav, audio: { ...wav.audio, languages: ['fr', 'de'] } }
    expect(deriveTreatment(source, one).tracks).toEqual([3])
  })

  test('is told of what is no language', () => {
    expect(specProblems(keeping('en', 'xx'))).toEqual(['xx is no language. Write its code, as en, de or fr.'])
  })
})
