import { fileURLToPath } from 'node:url'
import { defineConfig } from 'vitest/config'
import { patience } from './tests/support/patience.ts'

const inWeb = (part: string) => fileURLToPath(new URL(`./apps/web/${part}`, import.meta.url))

/** Files that change what belongs to their whole process. */
const alone = ['packages/media/tests/network*.test.ts', 'packages/media/tests/steps.test.ts']

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
          name: 'side by side',
          include: ['packages/{database,media}/tests/**/*.test.ts'],
          exclude: alone,
          globalSetup: ['tests/support/cluster.ts'],
          // Each file has databases and folders of its own, and what it loads (libraries, the mapper) keeps nothing of the file before.
          isolate: false,
        },
      },
      {
        extends: true,
        test: {
          name: 'alone',
          include: [
            ...alone,
            'packages/demo/tests/**/*.test.ts',
            'apps/*/tests/**/*.test.ts',
            'scripts/tests/**/*.test.ts',
          ],
          globalSetup: ['tests/support/cluster.ts'],
        },
      },
    ],
    // Files run in processes of their own, two at a time: most of them wait for a database, a child or a disk now and then.
    pool: 'forks',
    maxWorkers: 2,
    // Against what never ends, not against machines that are slow or busy.
    testTimeout: 4 * patience.timeout,
    hookTimeout: 4 * patience.timeout,
    reporters: ['default', ['json', { outputFile: '.hematine/test/vitest.json' }]],
  },
})
