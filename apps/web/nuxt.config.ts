import { fileURLToPath } from 'node:url'

const compilerOptions = { noUncheckedIndexedAccess: true, allowImportingTsExtensions: true, noEmit: true }

export default defineNuxtConfig({
  compatibilityDate: '2026-11-01',
  ssr: false,
  devtools: { enabled: false },
  telemetry: false,
  modules: ['vuetify-nuxt-module', '@pinia/nuxt'],
  // Imports are written out, so that a reader sees where a name comes from; Nuxt's own composables stay at hand.
  components: false,
  features: { inlineStyles: false },
  css: [
    '@fontsource/atkinson-hyperlegible-next/latin-400.css', '@fontsource/atkinson-hyperlegible-next/latin-ext-400.css',
    '@fontsource/atkinson-hyperlegible-next/latin-600.css', '@fontsource/atkinson-hyperlegible-next/latin-ext-600.css',
    '@fontsource/atkinson-hyperlegible-mono/latin-400.css', '@fontsource/atkinson-hyperlegible-mono/latin-ext-400.css',
    '~/assets/base.css',
  ],
  app: {
    head: {
      title: 'Hematine', htmlAttrs: { lang: 'en' },
      link: [{ rel: 'icon', type: 'image/svg+xml', href: '/mark.svg' }],
      meta: [{ name: 'viewport', content: 'width=device-width, initial-scale=1' }, { name: 'color-scheme', content: 'dark light' }],
    },
  },
  postcss: { plugins: { cssnano: false } },
  vite: { build: { chunkSizeWarningLimit: 1200 } },
  nitro: {
    errorHandler: fileURLToPath(new URL('./server/error.ts', import.meta.url)),
    compressPublicAssets: false,
    typescript: { tsConfig: { compilerOptions } },
  },
  typescript: { strict: true, typeCheck: false, tsConfig: { compilerOptions }, sharedTsConfig: { compilerOptions }, nodeTsConfig: { compilerOptions } },
  vuetify: {
    moduleOptions: { styles: true, disableVuetifyStyles: false },
    vuetifyOptions: {
      icons: { defaultSet: 'mdi-svg' },
      theme: {
        defaultTheme: 'dark',
        themes: {
          dark: {
            dark: true,
            colors: {
              'background': '#161616', 'surface': '#1F1F1F', 'surface-light': '#2A2A2A', 'surface-variant': '#3A3A3A', 'on-surface-variant': '#E8E6E3', 'on-background': '#E8E6E3', 'on-surface': '#E8E6E3',
              'primary': '#B4472E', 'on-primary': '#FFFFFF', 'secondary': '#3A3A3A', 'on-secondary': '#E8E6E3', 'accent-text': '#E58A70', 'look': '#D9A441', 'good': '#62B5A0', 'bad': '#F07C6C', 'error': '#F07C6C', 'muted': '#A9A6A1', 'line': '#343434',
            },
            variables: { 'border-opacity': 1, 'border-color': '#343434', 'medium-emphasis-opacity': 0.76, 'high-emphasis-opacity': 1 },
          },
          light: {
            dark: false,
            colors: {
              'background': '#F6F4F0', 'surface': '#FFFFFF', 'surface-light': '#EFECE6', 'surface-variant': '#DDD9D1', 'on-surface-variant': '#1F1E1C', 'on-background': '#1F1E1C', 'on-surface': '#1F1E1C',
              'primary': '#A83F27', 'on-primary': '#FFFFFF', 'secondary': '#DDD9D1', 'on-secondary': '#1F1E1C', 'accent-text': '#973720', 'look': '#7A5410', 'good': '#276B5B', 'bad': '#A3271A', 'error': '#A3271A', 'muted': '#5E5B56', 'line': '#D6D2CA',
            },
            variables: { 'border-opacity': 1, 'border-color': '#D6D2CA', 'medium-emphasis-opacity': 0.78, 'high-emphasis-opacity': 1 },
          },
        },
      },
      defaults: {
        global: { ripple: false, elevation: 0 },
        VBtn: { variant: 'flat', color: 'secondary', density: 'compact', rounded: 'sm', height: 28 },
        VTextField: { variant: 'outlined', density: 'compact', hideDetails: 'auto' },
        VSelect: { variant: 'outlined', density: 'compact', hideDetails: 'auto' },
        VCheckbox: { density: 'compact', hideDetails: true },
        VCheckboxBtn: { density: 'compact' },
        VDataTableVirtual: { density: 'compact', fixedHeader: true },
        VCard: { rounded: 'sm', border: true },
        VTooltip: { openDelay: 400 },
        VProgressLinear: { bgColor: 'on-surface', bgOpacity: 0.2 },
      },
    },
  },
})
