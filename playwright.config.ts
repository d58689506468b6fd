import { defineConfig } from '@playwright/test'
import { patience } from './tests/support/patience.ts'

/** Of a run in halves, which: told apart in the names of what a run leaves. */
const part = process.env.E2E_PART ?? ''
/** Milliseconds that a test waits for what is sure to come; fewer seconds while it is written. */
const timeout = process.env.E2E_PATIENCE ? Number(process.env.E2E_PATIENCE) * 1000 : patience.timeout

/** Runs against a built application that `scripts/e2e.mjs` started and whose address it passes on. */
export default defineConfig({
  testDir: 'tests/e2e',
  // One worker does the jobs of all tests, so the tests take turns.
  workers: 1,
  fullyParallel: false,
  timeout: 4 * timeout,
  expect: { timeout },
  outputDir: `.hematine/test/playwright${part}`,
  reporter: [['list'], ['json', { outputFile: `.hematine/test/playwright${part}.json` }]],
  use: {
    baseURL: process.env.E2E_ADDRESS ?? '',
    viewport: { width: 1280, height: 800 },
    // Drawing what moves on a machine without a graphics card costs a good part of the tests' time.
    contextOptions: { reducedMotion: 'reduce' },
    // Keeping what the page held at each step costs a good part of the tests' time: it is done when asked for, to look at a failure.
    trace: { mode: process.env.E2E_TRACE ? 'retain-on-failure' : 'off', screenshots: false, sources: false },
    screenshot: 'only-on-failure',
    launchOptions: {
      executablePath: '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--disable-dev-shm-usage',
        '--disable-quic',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
      ],
    },
  },
})
