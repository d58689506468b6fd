/** Everything that Hematine knows of a sound codec as one to deliver in. */
export interface SoundCodec {
  /** The library's name of streams in it. */
  key: string
  name: string
  encoder: string
  /** The library's name of the samples that the encoder takes. */
  samples: string
  /** Whether it gives back what it was given. */
  isLossless: boolean
  /** Rates that it can have; null for any. */
  sampleRates: readonly number[] | null
  mostChannels: number
  /** Layouts of three to five channels that it can say; null for any. What it cannot say is mixed to stereo. */
  layouts: readonly string[] | null
  /** Usual bits a second for each channel; null where there is nothing to choose. */
  usualBits: number | null
  bitsPerSample?: number
}

const discRates = [32_000, 44_100, 48_000]

/** RFC 7845, 5.1.1.2, as Vorbis has it. */
const vorbisOrder = ['3.0', 'quad', '5.0', '5.0(side)', 'quad(side)']

export const soundCodecs: readonly SoundCodec[] = [
  {
    key: 'aac',
    name: 'AAC',
    encoder: 'aac',
    samples: 'fltp',
    isLossless: false,
    sampleRates: [8000, 11_025, 12_000, 16_000, 22_050, 24_000, 32_000, 44_100, 48_000, 64_000, 88_200, 96_000],
    mostChannels: 8,
    layouts: null,
    usualBits: 80_000,
  },
  {
    key: 'opus',
    name: 'Opus',
    encoder: 'libopus',
    samples: 'flt',
    isLossless: false,
    sampleRates: [48_000],
    mostChannels: 8,
    layouts: vorbisOrder,
    usualBits: 64_000,
  },
  {
    key: 'mp3',
    name: 'MP3',
    encoder: 'libmp3lame',
    samples: 'fltp',
    isLossless: false,
    sampleRates: discRates,
    mostChannels: 2,
    layouts: null,
    usualBits: 96_000,
  },
  {
    key: 'ac3',
    name: 'AC-3',
    encoder: 'ac3',
    samples: 'fltp',
    isLossless: false,
    sampleRates: discRates,
    mostChannels: 6,
    layouts: null,
    usualBits: 96_000,
  },
  {
    key: 'eac3',
    name: 'E-AC-3',
    encoder: 'eac3',
    samples: 'fltp',
    isLossless: false,
    sampleRates: discRates,
    mostChannels: 6,
    layouts: null,
    usualBits: 80_000,
  },
  {
    key: 'vorbis',
    name: 'Vorbis',
    encoder: 'libvorbis',
    samples: 'fltp',
    isLossless: false,
    sampleRates: null,
    mostChannels: 8,
    layouts: vorbisOrder,
    usualBits: 80_000,
  },
  {
    key: 'flac',
    name: 'FLAC',
    encoder: 'flac',
    samples: 's32',
    isLossless: true,
    sampleRates: null,
    mostChannels: 8,
    layouts: null,
    usualBits: null,
    bitsPerSample: 24,
  },
  {
    key: 'alac',
    name: 'ALAC',
    encoder: 'alac',
    samples: 's32p',
    isLossless: true,
    sampleRates: null,
    mostChannels: 8,
    layouts: ['3.0', '4.0', '5.0'],
    usualBits: null,
    bitsPerSample: 24,
  },
  {
    key: 'pcm_s16le',
    name: 'PCM 16 bit',
    encoder: 'pcm_s16le',
    samples: 's16',
    isLossless: true,
    sampleRates: null,
    mostChannels: 16,
    layouts: null,
    usualBits: null,
  },
  {
    key: 'pcm_s24le',
    name: 'PCM 24 bit',
    encoder: 'pcm_s24le',
    samples: 's32',
    isLossless: true,
    sampleRates: null,
    mostChannels: 16,
    layouts: null,
    usualBits: null,
  },
  {
    key: 'pcm_f32le',
    name: 'PCM 32 bit float',
    encoder: 'pcm_f32le',
    samples: 'flt',
    isLossless: true,
    sampleRates: null,
    mostChannels: 16,
    layouts: null,
    usualBits: null,
  },
]

/** Whether a second of it takes the same whatever is heard. */
export const isUncompressed = ({ key }: Pick<SoundCodec, 'key'>): boolean => key.startsWith('pcm')
