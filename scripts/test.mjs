// `npm test`: sets itself up, then lint, types, unit and integration tests, and the browser tests. Ends with "N passed, N failed".
import { spawnSync } from 'node:child_process'
import { existsSync, readFileSync, rmSync } from 'node:fs'
import path from 'node:path'
import { projectDirectory, runScript, temporaryDirectory } from './lib/bootstrap.mjs'

/** The twenty tests that took longest, as lines, of the reports of both runners. */
function slowest(unit, browser) {
  const ofUnit = (unit?.testResults ?? []).flatMap(file =>
    file.assertionResults.map(test => ({
      seconds: (test.duration ?? 0) / 1000,
      name: `${path.relative(projectDirectory, file.name)}: ${test.fullName}`,
    })),
  )
  const ofSuite = (suite, file) => [
    ...(suite.specs ?? []).map(spec => ({
      seconds: spec.tests.flatMap(test => test.results).reduce((sum, result) => sum + result.duration, 0) / 1000,
      name: `${file}: ${spec.title}`,
    })),
    ...(suite.suites ?? []).flatMap(inner => ofSuite(inner, file)),
  ]
  const ofBrowser = (browser?.suites ?? []).flatMap(suite => ofSuite(suite, `tests/e2e/${suite.file}`))
  return [...ofUnit, ...ofBrowser]
    .sort((a, b) => b.seconds - a.seconds)
    .slice(0, 20)
    .map(({ seconds, name }) => `${seconds.toFixed(1).padStart(7)} s  ${name}`)
}

await runScript(['postgresql', 'chromium', 'dvdauthor', 'genisoimage', 'libvulkan1'], async () => {
  const directory = temporaryDirectory('hematine-test-run-')
  const reports = path.join(projectDirectory, '.hematine', 'test')
  const material = path.join(directory, 'material')
  const sum = { passed: 0, failed: 0 }
  const count = (passed, failed) => {
    sum.passed += passed
    sum.failed += failed
  }
  const run = (name, words) => {
    console.log(`\n== ${name}`)
    const begun = Date.now()
    const { status } = spawnSync(process.execPath, words, {
      cwd: projectDirectory,
      stdio: ['ignore', 'inherit', 'inherit'],
      env: { ...process.env, TEST_MATERIAL: material },
    })
    console.log(`== ${name}: ${status === 0 ? 'passed' : 'failed'} in ${((Date.now() - begun) / 1000).toFixed(0)} s`)
    return status === 0
  }
  const report = name => {
    const file = path.join(reports, name)
    return existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : null
  }
  const bin = name => path.join(projectDirectory, 'node_modules', name)

  try {
    rmSync(reports, { recursive: true, force: true })
    for (const [name, words] of [
      ['format', [bin('prettier/bin/prettier.cjs'), '--check', '--log-level', 'warn', '.']],
      ['lint', [bin('eslint/bin/eslint.js'), '.', '--max-warnings', '0']],
      ['types', ['scripts/typecheck.mjs']],
    ]) {
      if (run(name, words)) count(1, 0)
      else count(0, 1)
    }
    const unitPassed = run('unit and integration tests', [bin('vitest/vitest.mjs'), 'run'])
    const unit = report('vitest.json')
    // A run that broke off outside any test has failed too, whatever its tests say.
    count(unit?.numPassedTests ?? 0, Math.max(unit?.numFailedTests ?? 0, unitPassed ? 0 : 1))
    const browserPassed = run('browser tests', ['scripts/e2e.mjs'])
    const browser = report('playwright.json')?.stats
    count((browser?.expected ?? 0) + (browser?.flaky ?? 0), Math.max(browser?.unexpected ?? 0, browserPassed ? 0 : 1))
    // The campaigns of the benchmarks, short and with fixed seeds.
    for (const [name, words] of [
      ['hostile requests', ['scripts/bench-requests.mjs', '100', '11']],
      ['a batch of a thousand', ['scripts/bench-batch.mjs', '1000']],
      ['faults at moments of chance', ['scripts/bench-faults.mjs', '5', '7']],
    ]) {
      if (run(name, words)) count(1, 0)
      else count(0, 1)
    }
    console.log(`\nThe slowest tests:\n${slowest(unit, report('playwright.json')).join('\n')}`)
  } finally {
    rmSync(directory, { recursive: true, force: true })
    // What a failure left (traces, reports) is of use; a passed run leaves nothing.
    if (sum.failed === 0) rmSync(reports, { recursive: true, force: true })
  }
  console.log(`\n${sum.passed} passed, ${sum.failed} failed`)
  process.exitCode = sum.failed === 0 && sum.passed > 0 ? 0 : 1
})
