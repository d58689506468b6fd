import js from '@eslint/js'
import vue from 'eslint-plugin-vue'
import tseslint from 'typescript-eslint'
import vueParser from 'vue-eslint-parser'

/** Forbids imports that would turn an arrow of the architecture round. `groups` are what a layer may not import: patterns of paths, or one regular expression. */
function layer(files, groups) {
  return {
    files,
    rules: {
      'no-restricted-imports': [
        'error',
        {
          patterns: groups
            .filter(([what]) => what.length > 0)
            .map(([what, message]) => ({ ...(Array.isArray(what) ? { group: what } : { regex: what }), message })),
        },
      ],
    },
  }
}
const apps = [
  ['@hematine/web', '@hematine/web/*', '@hematine/worker', '@hematine/worker/*', '**/apps/**'],
  'Nothing imports an app.',
]
const native = [
  ['node-av', 'node-av/*', 'sharp', 'onnxruntime-node'],
  'Only packages/media touches the media libraries.',
]
const orm = [['@mikro-orm/*', 'pg', 'pg-boss'], 'Only packages/database touches the database.']

const ofMedia = [
  [['@hematine/database', '@hematine/demo', '@hematine/database/*'], 'media imports core only.'],
  orm,
  apps,
]
/** Folders of packages/media/src from the ground up: each may import from those before it, and not from its neighbours. */
const mediaFloors = [
  ['ground'],
  ['discs'],
  ['volumes', 'reading'],
  ['sound', 'treating'],
  ['measuring', 'stills'],
  ['proof'],
  ['encoding'],
  ['joining'],
  ['checking'],
  ['delivering'],
  ['previews'],
]

export default tseslint.config(
  {
    ignores: [
      '**/node_modules',
      '**/.output',
      '**/.nuxt',
      '**/dist',
      '.hematine',
      'coverage',
      'test-results',
      'playwright-report',
    ],
  },
  js.configs.recommended,
  ...tseslint.configs.recommended,
  ...vue.configs['flat/recommended'],
  {
    languageOptions: {
      globals: Object.fromEntries(
        [
          'console',
          'process',
          'Buffer',
          'URL',
          'setTimeout',
          'clearTimeout',
          'setInterval',
          'clearInterval',
          'performance',
          'fetch',
          'crypto',
          'NodeJS',
          'TextEncoder',
        ].map(name => [name, 'readonly']),
      ),
    },
    linterOptions: { reportUnusedDisableDirectives: 'error' },
    rules: {
      'no-undef': 'off',
      eqeqeq: 'error',
      'prefer-const': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/consistent-type-imports': ['error', { fixStyle: 'inline-type-imports' }],
      '@typescript-eslint/no-non-null-assertion': 'off',
    },
  },
  {
    files: ['**/*.vue'],
    languageOptions: {
      parser: vueParser,
      parserOptions: { parser: tseslint.parser, extraFileExtensions: ['.vue'], sourceType: 'module' },
    },
    rules: {
      'vue/max-attributes-per-line': 'off',
      'vue/singleline-html-element-content-newline': 'off',
      'vue/multiline-html-element-content-newline': 'off',
      'vue/html-closing-bracket-newline': 'off',
      'vue/first-attribute-linebreak': 'off',
      'vue/html-self-closing': ['error', { html: { void: 'any', normal: 'always', component: 'always' } }],
      'vue/attributes-order': 'off',
      'vue/html-indent': 'off',
      'vue/require-default-prop': 'off',
      'vue/no-multiple-template-root': 'off',
    },
  },
  {
    files: ['apps/web/app/pages/**/*.vue', 'apps/web/app/app.vue'],
    rules: { 'vue/multi-word-component-names': 'off' },
  },
  layer(
    ['packages/core/src/**'],
    [
      [['@hematine/*'], 'core imports nothing of the project.'],
      [['node:*', 'fs', 'path'], 'core is pure: no files, no processes.'],
      native,
      orm,
      apps,
    ],
  ),
  layer(['packages/media/src/*.ts'], [...ofMedia]),
  ...mediaFloors.flatMap((floor, index) =>
    floor.map(folder =>
      layer(
        [`packages/media/src/${folder}/**`],
        [
          ...ofMedia,
          [
            [...mediaFloors.slice(index + 1).flat(), ...floor.filter(other => other !== folder)].map(
              above => `../**/${above}/*`,
            ),
            `Arrows between the folders of media lead one way: ${mediaFloors.map(names => names.join(' and ')).join(' < ')}.`,
          ],
        ],
      ),
    ),
  ),
  layer(
    ['packages/database/src/**'],
    [[['@hematine/media', '@hematine/media/*', '@hematine/demo'], 'database imports core only.'], native, apps],
  ),
  layer(['packages/demo/src/**'], [orm, apps]),
  layer(
    ['apps/worker/src/**'],
    [native, orm, [['@hematine/demo', '@hematine/web'], 'The worker knows neither the demo nor the web.']],
  ),
  layer(
    ['apps/web/server/**', 'apps/web/shared/**'],
    [
      native,
      orm,
      [['@hematine/demo', '@hematine/worker'], 'The web server knows neither the demo nor the worker.'],
      [
        '^@hematine/media(?!/(volumes/[a-z-]+|discs/disc|previews/stills-process|treating/assets|ground/media-input)$)',
        'The web server uses the files of media that load no media library; those belong into processes of their own.',
      ],
    ],
  ),
  layer(
    ['apps/web/app/**'],
    [
      native,
      orm,
      [
        ['@hematine/media', '@hematine/media/*', '@hematine/database', '@hematine/database/*', '@hematine/demo'],
        'Pages and components use core and the routes.',
      ],
    ],
  ),
)
