import { fileURLToPath } from 'node:url'
import { defineConfig } from 'vitest/config'

const inWeb = (part: string) => fileURLToPath(new URL(`./apps/web/${part}`, import.meta.url))

export default defineConfig({
  // As Nuxt names them.
  resolve: { alias: { '~': inWeb('app'), '#shared': inWeb('shared') } },
  test: {
    projects: [
      {
        extends: true,
        test: {
          name: 'pure',
          include: ['packages/core/tests/**/*.test.ts'],
          // Functions without a state of their own: files share what was loaded for the one before.
          isolate: false,
        },
      },
      {
        extends: true,
        test: {
          name: 'whole',
          include: ['packages/*/tests/**/*.test.ts', 'apps/*/tests/**/*.test.ts', 'scripts/tests/**/*.test.ts'],
          exclude: ['packages/core/tests/**'],
          globalSetup: ['tests/support/cluster.ts'],
        },
      },
    ],
    // Files run in processes of their own, two at a time: most of them wait for a database, a child or a disk now and then.
    pool: 'forks',
    maxWorkers: 2,
    // Against what never ends, not against machines that are slow or busy.
    testTimeout: 240_000,
    hookTimeout: 240_000,
    reporters: ['default', ['json', { outputFile: '.hematine/test/vitest.json' }]],
  },
})
