import { editedFrames, type PictureCodec } from './picture-codec.ts'

const numbers: Record<string, string> = { proxy: '0', lt: '1', '422': '2', hq: '3', '4444': '4' }

export const prores: PictureCodec = {
  ...editedFrames,
  key: 'prores',
  name: 'ProRes',
  says: 'Opens in editing programs and cuts at any frame.',
  encoder: 'prores_ks',
  profiles: [
    { key: 'proxy', statedAs: ['proxy'], pixelFormats: ['yuv422p10le'], says: 'for cutting, a quarter of 422' },
    { key: 'lt', statedAs: ['lt'], pixelFormats: ['yuv422p10le'], says: 'about two thirds of 422' },
    { key: '422', statedAs: ['standard', '422'], pixelFormats: ['yuv422p10le'], says: 'the usual one' },
    { key: 'hq', statedAs: ['hq'], pixelFormats: ['yuv422p10le'], says: 'half as large again as 422' },
    {
      key: '4444',
      statedAs: ['4444'],
      pixelFormats: ['yuv444p10le'],
      decodesAs: 'yuv444p12le',
      says: 'full colour, for lettering and keying',
    },
  ],
  pixelFormats: [],
  rates: ['set by profile'],
  keepsFields: true,
  settings: ({ profile }) => ({ options: { profile: numbers[profile ?? '422'] ?? '2', vendor: 'apl0' } }),
}
