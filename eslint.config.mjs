import js from '@eslint/js'
import vue from 'eslint-plugin-vue'
import tseslint from 'typescript-eslint'
import vueParser from 'vue-eslint-parser'

/** Forbids imports that would turn an arrow of the architecture round. `groups` are what a layer may not import: patterns of paths, or one regular expression. */
function layer(files, groups) {
  return { files, rules: { 'no-restricted-imports': ['error', { patterns: groups.map(([what, message]) => ({ ...(Array.isArray(what) ? { group: what } : { regex: what }), message })) }] } }
}
const apps = [['@hematine/web', '@hematine/web/*', '@hematine/worker', '@hematine/worker/*', '**/apps/**'], 'Nothing imports an app.']
const native = [['node-av', 'node-av/*', 'sharp', 'onnxruntime-node'], 'Only packages/media touches the media libraries.']
const orm = [['@mikro-orm/*', 'pg', 'pg-boss'], 'Only packages/database touches the database.']

export default tseslint.config(
  { ignores: ['**/node_modules', '**/.output', '**/.nuxt', '**/dist', '.hematine', 'coverage', 'test-results', 'playwright-report'] },
  js.configs.recommended,
  ...tseslint.configs.recommended,
  ...vue.configs['flat/recommended'],
  {
    languageOptions: { globals: Object.fromEntries(['console', 'process', 'Buffer', 'URL', 'setTimeout', 'clearTimeout', 'setInterval', 'clearInterval', 'performance', 'fetch', 'crypto', 'NodeJS', 'TextEncoder'].map(name => [name, 'readonly'])) },
    linterOptions: { reportUnusedDisableDirectives: 'error' },
    rules: {
      'no-undef': 'off',
      'eqeqeq': 'error',
      'prefer-const': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/consistent-type-imports': ['error', { fixStyle: 'inline-type-imports' }],
      '@typescript-eslint/no-non-null-assertion': 'off',
    },
  },
  {
    files: ['**/*.vue'],
    languageOptions: { parser: vueParser, parserOptions: { parser: tseslint.parser, extraFileExtensions: ['.vue'], sourceType: 'module' } },
    rules: {
      'vue/max-attributes-per-line': 'off', 'vue/singleline-html-element-content-newline': 'off', 'vue/multiline-html-element-content-newline': 'off', 'vue/html-closing-bracket-newline': 'off',
      'vue/first-attribute-linebreak': 'off', 'vue/html-self-closing': ['error', { html: { void: 'never', normal: 'always', component: 'always' } }], 'vue/attributes-order': 'off', 'vue/html-indent': 'off',
      'vue/require-default-prop': 'off', 'vue/no-multiple-template-root': 'off',
    },
  },
  { files: ['apps/web/app/pages/**/*.vue', 'apps/web/app/app.vue'], rules: { 'vue/multi-word-component-names': 'off' } },
  layer(['packages/core/src/**'], [[['@hematine/*'], 'core imports nothing of the project.'], [['node:*', 'fs', 'path'], 'core is pure: no files, no processes.'], native, orm, apps]),
  layer(['packages/media/src/**'], [[['@hematine/database', '@hematine/demo', '@hematine/database/*'], 'media imports core only.'], orm, apps]),
  layer(['packages/database/src/**'], [[['@hematine/media', '@hematine/media/*', '@hematine/demo'], 'database imports core only.'], native, apps]),
  layer(['packages/demo/src/**'], [orm, apps]),
  layer(['apps/worker/src/**'], [native, orm, [['@hematine/demo', '@hematine/web'], 'The worker knows neither the demo nor the web.']]),
  layer(['apps/web/server/**', 'apps/web/shared/**'], [native, orm, [['@hematine/demo', '@hematine/worker'], 'The web server knows neither the demo nor the worker.'], ['^@hematine/media(?!/(volume-files|source-input|stills-process|input|disc|trial-files|assets)$)', 'The web server uses the files of media that load no media library; those belong into processes of their own.']]),
  layer(['apps/web/app/**'], [native, orm, [['@hematine/media', '@hematine/media/*', '@hematine/database', '@hematine/database/*', '@hematine/demo'], 'Pages and components use core and the routes.']]),
)
