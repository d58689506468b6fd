import { defineConfig } from 'vitest/config'

export default defineConfig({
  test: {
    include: ['packages/*/tests/**/*.test.ts', 'apps/*/tests/**/*.test.ts', 'scripts/tests/**/*.test.ts'],
    // Media and database tests share two cores: files run one after another in processes of their own.
    pool: 'forks',
    fileParallelism: false,
    testTimeout: 60_000,
    hookTimeout: 120_000,
    reporters: ['default', ['json', { outputFile: '.hematine/test/vitest.json' }]],
  },
})
